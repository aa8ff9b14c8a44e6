"""The claim ruler: allowed span as a zinc bar, guard bands hatched, the finding as a needle with its whisker."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from zincsmith.formats.words import number, shown
from zincsmith.model.finding import Judged
from zincsmith.showing.ruler_scale import Scale, scale_for
from zincsmith.ui import ink
from zincsmith.ui.theme import theme


def _x(scale: Scale, value: float, box: QRectF) -> float:
    return box.left() + scale.share(value) * box.width()


def paint_ruler(p: QPainter, box: QRectF, judged: Judged, labels: bool = True) -> None:
    """Draw into ``box``: bar in its upper part, tick labels below. Nothing where there is no claim."""
    scale = scale_for(judged)
    if scale is None or judged.claim is None:
        return
    t, claim, finding = theme(), judged.claim, judged.finding
    factor, _ = shown(finding)
    bar = QRectF(box.left(), box.top() + 10, box.width(), 10)
    p.save()
    p.fillRect(bar, t.color("zinc_light"))
    low = scale.low if claim.low is None else claim.low * factor
    high = scale.high if claim.high is None else claim.high * factor
    allowed = QRectF(_x(scale, low, bar), bar.top(), _x(scale, high, bar) - _x(scale, low, bar), bar.height())
    p.fillRect(allowed, t.color("zinc"))
    expanded = finding.u * finding.k * factor if finding.u is not None and finding.k is not None else None
    for limit in (claim.low, claim.high):
        if limit is not None:
            _limit(p, bar, scale, limit * factor, expanded)
    if labels:
        _ticks(p, bar, scale)
    if finding.value is not None:
        _needle(p, bar, scale, finding.value * factor, expanded, QColor(t.verdict[judged.verdict.value]))
    p.restore()


def _limit(p: QPainter, bar: QRectF, scale: Scale, limit: float, expanded: float | None) -> None:
    ink_color = theme().color("ink")
    if expanded:
        left, right = _x(scale, limit - expanded, bar), _x(scale, limit + expanded, bar)
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


def _needle(p: QPainter, bar: QRectF, scale: Scale, value: float, expanded: float | None, color: QColor) -> None:
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    x = _x(scale, value, bar)
    if expanded:
        left, right = _x(scale, value - expanded, bar), _x(scale, value + expanded, bar)
        p.setPen(QPen(color, 1.6))
        y = bar.center().y()
        p.drawLine(QPointF(left, y), QPointF(right, y))
        for end in (left, right):
            p.drawLine(QPointF(end, y - 3.5), QPointF(end, y + 3.5))
    p.setPen(QPen(color, 2.0))
    p.drawLine(QPointF(x, bar.top() - 4), QPointF(x, bar.bottom() + 1))
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(color)
    p.drawPolygon(QPolygonF([QPointF(x - 5, bar.top() - 9), QPointF(x + 5, bar.top() - 9), QPointF(x, bar.top() - 1)]))
