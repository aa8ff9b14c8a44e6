"""The claim ruler: allowed span as a zinc bar, guard bands hatched, the finding as a needle with its whisker."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from zincsmith.formats.words import number, shown
from zincsmith.model.finding import Judged
from zincsmith.showing.ruler_scale import Scale, scale_for
from zincsmith.ui import ink
from zincsmith.ui.theme import theme


def _x(scale: Scale, value: float, box: QRectF) -> float:
    return box.left() + scale.share(value) * box.width()


@dataclass(frozen=True)
class Needle:
    """A value on the ruler and what it may be from and to, in the unit of the scale. Hollow: nobody measured it."""

    value: float
    low: float
    high: float
    color: QColor
    hollow: bool = False


def paint_ruler(p: QPainter, box: QRectF, judged: Judged, labels: bool = True) -> None:
    """Draw into ``box``: bar in its upper part, tick labels below. Nothing where there is no claim."""
    scale = scale_for(judged)
    if scale is None or judged.claim is None:
        return
    claim, finding = judged.claim, judged.finding
    factor, _ = shown(finding)
    expanded = finding.u * finding.k * factor if finding.u is not None and finding.k is not None else 0.0
    needles = []
    if finding.value is not None:
        at = finding.value * factor
        needles = [Needle(at, at - expanded, at + expanded, QColor(theme().verdict[judged.verdict.value]))]
    limits = tuple(None if limit is None else limit * factor for limit in (claim.low, claim.high))
    paint_scale(p, box, scale, limits, needles, guard=expanded, labels=labels)


def paint_scale(
    p: QPainter, box: QRectF, scale: Scale, limits: tuple[float | None, ...], needles: Iterable[Needle],
    guard: float = 0.0, labels: bool = True,
) -> None:  # fmt: skip
    """``limits`` are the lower and the upper one of what is allowed, None where there is none; ``guard`` is drawn as a
    band to either side of each."""
    t = theme()
    bar = QRectF(box.left(), box.top() + 10, box.width(), 10)
    p.save()
    p.fillRect(bar, t.color("zinc_light"))
    low, high = (_x(scale, end if limit is None else limit, bar)
                 for limit, end in zip(limits, (scale.low, scale.high), strict=True))  # fmt: skip
    p.fillRect(QRectF(low, bar.top(), high - low, bar.height()), t.color("zinc"))
    for limit in limits:
        if limit is not None:
            _limit(p, bar, scale, limit, guard)
    if labels:
        _ticks(p, bar, scale)
    for one in needles:
        _needle(p, bar, scale, one)
    p.restore()


def _limit(p: QPainter, bar: QRectF, scale: Scale, limit: float, guard: float) -> None:
    ink_color = theme().color("ink")
    if guard:
        left, right = _x(scale, limit - guard, bar), _x(scale, limit + guard, bar)
        if right - left >= 2.0:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QBrush(ink_color, Qt.BrushStyle.BDiagPattern))
            p.drawRect(QRectF(left, bar.top(), right - left, bar.height()))
    x = _x(scale, limit, bar)
    p.setPen(QPen(ink_color, 1.6))
    p.drawLine(QPointF(x, bar.top() - 2), QPointF(x, bar.bottom() + 2))


def _ticks(p: QPainter, bar: QRectF, scale: Scale) -> None:
    t = theme()
    widest = max(ink.width(number(tick, scale.decimals), 12) for tick in scale.ticks)
    step = bar.width() / max(1, len(scale.ticks) - 1)
    every = max(1, -int(-(widest + 5.0) // max(step, 1.0)))  # where it is narrow only every second one has room
    for n, tick in enumerate(scale.ticks):
        x = _x(scale, tick, bar)
        p.setPen(QPen(t.color("edge"), 1.0))
        p.drawLine(QPointF(x, bar.bottom()), QPointF(x, bar.bottom() + 3))
        if n % every:
            continue
        label = QRectF(x - 30, bar.bottom() + 3, 60, 15)
        ink.write(p, label, number(tick, scale.decimals), 12, 400, t.color("ink2"), ink.CENTRE)


def _needle(p: QPainter, bar: QRectF, scale: Scale, one: Needle) -> None:
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    x = _x(scale, one.value, bar)
    if one.low < one.high:
        left, right = _x(scale, one.low, bar), _x(scale, one.high, bar)
        p.setPen(QPen(one.color, 1.6))
        y = bar.center().y()
        p.drawLine(QPointF(left, y), QPointF(right, y))
        for end in (left, right):
            p.drawLine(QPointF(end, y - 3.5), QPointF(end, y + 3.5))
    p.setPen(QPen(one.color, 2.0))
    p.drawLine(QPointF(x, bar.top() - (0 if one.hollow else 4)), QPointF(x, bar.bottom() + 1))
    p.setPen(QPen(one.color, 1.8) if one.hollow else Qt.PenStyle.NoPen)
    p.setBrush(theme().color("paper") if one.hollow else one.color)
    p.drawPolygon(QPolygonF([QPointF(x - 5, bar.top() - 9), QPointF(x + 5, bar.top() - 9), QPointF(x, bar.top() - 1)]))
