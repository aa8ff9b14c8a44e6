"""Painting text and marks. Signs the typeface lacks (tick, sine, direct current) are drawn as paths."""

from __future__ import annotations

from weakref import WeakKeyDictionary

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QIcon, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from zincsmith.formats.decimal_marks import on_screen
from zincsmith.formats.plain_text import shown
from zincsmith.model.finding import Verdict
from zincsmith.ui.theme import font, theme

LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter

LONGEST = 1000  # characters that are painted


def write(
    p: QPainter,
    rect: QRectF,
    text: str,
    size: int = 13,
    weight: int = 400,
    color: QColor | None = None,
    align: Qt.AlignmentFlag = LEFT,
    wrap: bool = False,
) -> None:
    """Text in a rectangle, ended by an ellipsis when it does not fit on its line."""
    front_panel = font(size, weight)
    text = on_screen(shown(text, LONGEST))
    p.setFont(front_panel)
    p.setPen(color or theme().color("ink"))
    if wrap:
        p.drawText(rect, align | Qt.TextFlag.TextWordWrap, text)
    else:
        metrics = QFontMetricsF(front_panel)
        fitted = metrics.elidedText(text, Qt.TextElideMode.ElideRight, max(1.0, rect.width() + 1.0))
        _remember(p, rect, text if fitted != text else "")
        p.drawText(rect, align | Qt.TextFlag.TextSingleLine, fitted)


_cut: WeakKeyDictionary[QWidget, dict[tuple[int, int, int, int], str]] = WeakKeyDictionary()


def _remember(p: QPainter, rect: QRectF, text: str) -> None:
    """What was cut is kept by its place, for the tool tip that shows it whole; empty: it is whole now."""
    on = p.device()
    if not isinstance(on, QWidget):
        return
    at = p.transform().mapRect(rect).toRect()
    key = at.x(), at.y(), at.width(), at.height()
    if text:
        _cut.setdefault(on, {})[key] = text
    elif on in _cut:
        _cut[on].pop(key, None)


def cut_at(widget: QWidget, x: int, y: int) -> str:
    """The whole of what stands cut at a place of a painted widget; empty where nothing does."""
    found = (text for (left, top, w, h), text in _cut.get(widget, {}).items()
             if left <= x <= left + w and top <= y <= top + h)  # fmt: skip
    return next(found, "")


def width(text: str, size: int = 13, weight: int = 400) -> float:
    return QFontMetricsF(font(size, weight)).horizontalAdvance(text)


def wrapped_height(text: str, room: float, size: int = 13, weight: int = 400) -> float:
    """Height of a text wrapped into ``room`` pixels."""
    flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
    return QFontMetricsF(font(size, weight)).boundingRect(QRectF(0, 0, room, 10_000), flags, text).height()


def hairline(p: QPainter, a: QPointF, b: QPointF, color: QColor | None = None, dashed: bool = False) -> None:
    pen = QPen(color or theme().color("line"), 1.0)
    if dashed:
        pen.setStyle(Qt.PenStyle.DashLine)
    p.setPen(pen)
    p.drawLine(a, b)


def verdict_mark(p: QPainter, centre: QPointF, verdict: Verdict, size: float = 15.0) -> None:
    """Holds: disc with a tick; fails: diamond with a bar; too close: half disc; not tested: ring; no claim: dash."""
    color = QColor(theme().verdict[verdict.value])
    paper = theme().color("paper")
    r = size / 2.0
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(centre)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QBrush(color))
    if verdict is Verdict.HOLDS:
        p.drawEllipse(QPointF(0, 0), r, r)
        tick = QPainterPath(QPointF(-0.42 * r, 0.02 * r))
        tick.lineTo(-0.1 * r, 0.36 * r)
        tick.lineTo(0.46 * r, -0.34 * r)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(paper, 0.24 * r, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
        p.drawPath(tick)
    elif verdict is Verdict.FAILS:
        diamond = QPainterPath(QPointF(0, -1.12 * r))
        for x, y in ((1.12 * r, 0.0), (0.0, 1.12 * r), (-1.12 * r, 0.0)):
            diamond.lineTo(x, y)
        diamond.closeSubpath()
        p.drawPath(diamond)
        p.fillRect(QRectF(-0.5 * r, -0.14 * r, r, 0.28 * r), paper)
    elif verdict is Verdict.TOO_CLOSE:
        p.drawPie(QRectF(-r, -r, 2 * r, 2 * r), 90 * 16, 180 * 16)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(color, 0.22 * r))
        p.drawEllipse(QPointF(0, 0), 0.9 * r, 0.9 * r)
    elif verdict is Verdict.NOT_TESTED:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(color, 0.26 * r))
        p.drawEllipse(QPointF(0, 0), 0.86 * r, 0.86 * r)
    else:
        p.fillRect(QRectF(-0.7 * r, -0.12 * r, 1.4 * r, 0.24 * r), color)
    p.restore()


def doubt_mark(p: QPainter, centre: QPointF, size: float = 14.0) -> None:
    """A small flag with a wave: this number may not mean what it seems to."""
    color = QColor(theme().verdict["too close to call"])
    r = size / 2.0
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(centre)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QBrush(color))
    p.drawRoundedRect(QRectF(-r, -0.8 * r, 2 * r, 1.5 * r), 2, 2)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(theme().color("paper"), 0.24 * r))
    wave = QPainterPath(QPointF(-0.6 * r, -0.05 * r))
    wave.cubicTo(-0.3 * r, -0.55 * r, 0.0, 0.45 * r, 0.6 * r, -0.15 * r)
    p.drawPath(wave)
    p.restore()


def sine_sign(p: QPainter, centre: QPointF, span: float, color: QColor, thickness: float = 1.6) -> None:
    """The sign for alternating current."""
    half = span / 2.0
    path = QPainterPath(QPointF(centre.x() - half, centre.y()))
    path.cubicTo(
        centre.x() - half / 2,
        centre.y() - half,
        centre.x() + half / 2,
        centre.y() + half,
        centre.x() + half,
        centre.y(),
    )
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(color, thickness))
    p.drawPath(path)


def dc_sign(p: QPainter, centre: QPointF, span: float, color: QColor, thickness: float = 1.6) -> None:
    """The sign for direct current: a line over three short ones."""
    half = span / 2.0
    p.setPen(QPen(color, thickness))
    p.drawLine(QPointF(centre.x() - half, centre.y() - 2.5), QPointF(centre.x() + half, centre.y() - 2.5))
    for k in range(3):
        left = centre.x() - half + k * span * 0.39
        p.drawLine(QPointF(left, centre.y() + 2.5), QPointF(left + span * 0.22, centre.y() + 2.5))


def fit_font(text: str, size: int, weight: int, room: float, least: int = 12) -> QFont:
    """The largest font up to ``size`` with which the text fits into ``room``."""
    while size > least and width(text, size, weight) > room:
        size -= 1
    return font(size, weight)


def conflict_mark(p: QPainter, centre: QPointF, size: float = 14.0) -> None:
    """Two arrows that go apart: sources say different things."""
    r = size / 2.0
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(centre)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(theme().doubt_ink), 1.5))
    for y, way in ((-0.4 * r, -1.0), (0.4 * r, 1.0)):
        p.drawLine(QPointF(-0.85 * r, y), QPointF(0.85 * r, y))
        p.drawPolyline(
            [QPointF(way * 0.4 * r, y - 0.35 * r), QPointF(way * 0.9 * r, y), QPointF(way * 0.4 * r, y + 0.35 * r)]
        )
    p.restore()


def tick_mark(p: QPainter, centre: QPointF, size: float = 12.0) -> None:
    """Found, or ticked off."""
    r = size / 2.0
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(theme().color("ink"), 1.7))
    x, y = centre.x(), centre.y()
    p.drawPolyline([QPointF(x - 0.8 * r, y), QPointF(x - 0.2 * r, y + 0.6 * r), QPointF(x + 0.85 * r, y - 0.6 * r)])


def stop_mark(p: QPainter, centre: QPointF, size: float = 16.0) -> None:
    """A filled plate with an open contact: this refuses arming."""
    r = size / 2.0
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(centre)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme().verdict["fails"]))
    p.drawRoundedRect(QRectF(-r, -r, 2 * r, 2 * r), 3, 3)
    p.setPen(QPen(theme().color("paper"), 0.2 * r, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    p.drawLine(QPointF(-0.7 * r, 0.3 * r), QPointF(-0.35 * r, 0.3 * r))
    p.drawLine(QPointF(-0.35 * r, 0.3 * r), QPointF(0.3 * r, -0.45 * r))
    p.drawLine(QPointF(0.4 * r, 0.3 * r), QPointF(0.7 * r, 0.3 * r))
    p.restore()


def missing_mark(p: QPainter, centre: QPointF, size: float = 12.0) -> None:
    """A dashed empty square: looked for and not there."""
    r = size / 2.0
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(theme().alarm), 1.4, Qt.PenStyle.DashLine))
    p.drawRect(QRectF(centre.x() - r, centre.y() - r, 2 * r, 2 * r))


MARKS = {"doubt": doubt_mark, "conflict": conflict_mark, "stop": stop_mark, "missing": missing_mark, "tick": tick_mark}


def mark_icon(kind: str, size: int = 16) -> QIcon:
    """One of the marks as an icon for a table; an empty icon keeps the texts aligned."""
    pixmap = QPixmap(2 * size, 2 * size)
    pixmap.setDevicePixelRatio(2.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    if kind:
        p = QPainter(pixmap)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        MARKS[kind](p, QPointF(size / 2.0, size / 2.0), size - 2.0)
        p.end()
    return QIcon(pixmap)
