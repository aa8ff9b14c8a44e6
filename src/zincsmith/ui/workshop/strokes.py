"""How the parts of a drawn bench are painted; small on the shelf, in full where a sum is worked out."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.workshop.drawing import Drawing, Stroke

COIL = 64.0  # its length
LINES = {"w", "p", "a"}


def paint(p: QPainter, drawing: Drawing, words: bool = True) -> None:
    """In the points of the drawing's sheet; ``words`` are left out where they could not be read."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for stroke in drawing.strokes:
        if stroke.what in ("i", "x") or (stroke.what == "t" and not words):
            continue
        color = theme().of(stroke.name) if stroke.what == "p" else theme().color("ink")
        p.setPen(QPen(color, 1.6 if words else 4.5, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.setBrush(Qt.BrushStyle.NoBrush)
        if stroke.what in LINES:
            _line(p, stroke)
        elif stroke.what == "q":
            _box(p, stroke, words)
        elif stroke.what == "t":
            ink.write(p, QRectF(stroke.at[0], stroke.at[1] - 9, 300, 18), stroke.text, 12, 400, theme().color("ink2"))
        else:
            _part(p, stroke.what, QPointF(*stroke.at))


def _line(p: QPainter, stroke: Stroke) -> None:
    points = [QPointF(x, y) for x, y in zip(stroke.at[::2], stroke.at[1::2], strict=True)]
    p.drawPolyline(QPolygonF(points))
    if stroke.what == "a":
        end, way = points[-1], points[-1] - points[-2]
        angle = math.atan2(way.y(), way.x())
        for turn in (2.6, -2.6):
            p.drawLine(end, end + QPointF(8 * math.cos(angle + turn), 8 * math.sin(angle + turn)))


def _box(p: QPainter, stroke: Stroke, words: bool) -> None:
    rect = QRectF(*stroke.at)
    p.setPen(QPen(theme().color("edge"), 1.0 if words else 4.0))
    p.drawRoundedRect(rect, 4, 4)
    if words and stroke.text:
        ink.write(p, rect, stroke.text, 13, 400, theme().color("ink2"), ink.CENTRE)


# Graphic symbols of IEC 60617, about their middle: what of the paper they cover, and their lines.
COVERS = {"r": (-8.0, -18.0, 16.0, 36.0), "rh": (-30.0, -8.0, 60.0, 16.0), "c": (-14.0, -7.0, 28.0, 14.0)}
SYMBOLS: dict[str, tuple[tuple[float, ...], ...]] = {
    "r": ((-8, -18, 8, -18, 8, 18, -8, 18, -8, -18),),
    "rh": ((-30, -8, 30, -8, 30, 8, -30, 8, -30, -8),),
    "c": ((-14, -5, 14, -5), (-14, 5, 14, 5), (0, -8, 0, -5), (0, 5, 0, 8)),
    "ch": ((-5, -14, -5, 14), (5, -14, 5, 14)),
    "d": ((-20, 0, -8, 0, -8, -9, 8, 0, -8, 9, -8, 0), (8, -9, 8, 9), (8, 0, 20, 0)),
    "f": ((-20, -7, 20, -7, 20, 7, -20, 7, -20, -7), (-20, 0, 20, 0)),
    "b": ((-16, -9, 16, -9), (-8, 9, 8, 9)),
    "g": ((-12, 4, 12, 4), (-8, 9, 8, 9), (-4, 14, 4, 14)),
}
ROUND = {"s": 16.0, "o": 4.0, "n": 2.6}


def _part(p: QPainter, what: str, at: QPointF) -> None:
    p.save()
    p.translate(at)
    if what in COVERS:
        p.fillRect(QRectF(*COVERS[what]), theme().color("paper"))
    for line in SYMBOLS.get(what, ()):
        p.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(line[::2], line[1::2], strict=True)]))
    if what in ROUND:
        p.setBrush(p.pen().color() if what == "n" else theme().color("paper"))
        p.drawEllipse(QPointF(0, 0), ROUND[what], ROUND[what])
    if what == "s":
        ink.sine_sign(p, QPointF(0, 0), 18.0, p.pen().color())
    elif what == "l":
        _coil(p)
    p.restore()


def _coil(p: QPainter) -> None:
    path = QPainterPath(QPointF(-COIL / 2, 0))
    for n in range(4):
        path.arcTo(QRectF(-COIL / 2 + n * COIL / 4, -COIL / 8, COIL / 4, COIL / 4), 180, -180)
    p.drawPath(path)
