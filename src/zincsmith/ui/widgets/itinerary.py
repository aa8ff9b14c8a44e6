"""The itinerary: stages to scale on a tape, shaded by what is energised, with their names beside it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from zincsmith.formats.words import counted, duration
from zincsmith.planning.rehearsal import Itinerary, PlannedStage
from zincsmith.ui import ink
from zincsmith.ui.theme import theme

LEGEND = (("nothing", "nothing live"), ("input", "input live"), ("input and load", "input and load"))


def paint_gate(p: QPainter, centre: QPointF, upright: bool = False) -> None:
    """The mark of a gate: a bar with two posts."""
    p.setPen(QPen(theme().color("ink"), 2.4))
    if upright:
        p.drawLine(QPointF(centre.x(), centre.y() - 7), QPointF(centre.x(), centre.y() + 7))
        for dy in (-7, 7):
            p.drawLine(QPointF(centre.x() - 4, centre.y() + dy), QPointF(centre.x() + 4, centre.y() + dy))
    else:
        p.drawLine(QPointF(centre.x() - 15, centre.y()), QPointF(centre.x() + 15, centre.y()))
        for dx in (-15, 15):
            p.drawLine(QPointF(centre.x() + dx, centre.y() - 4), QPointF(centre.x() + dx, centre.y() + 4))


FEET = 70  # height of the legend below the tape, px
HELD = 8  # px a press travels before it is a drag
LEAST_H, LEAST_ROW = 360, 16  # height of the whole, and of a row, px: what is longer is scrolled
ROOMY = 62  # height of a row, px, from which a stage has three lines


def scrolled(view: ItineraryView) -> QScrollArea:
    """The itinerary as a panel holds it: as tall as there is room, scrolled where its stages need more."""
    area = QScrollArea()
    area.setWidget(view)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setAccessibleName("Itinerary")
    area.setStyleSheet("QScrollArea { background: transparent; }")
    view.setAutoFillBackground(False)
    area.viewport().setAutoFillBackground(False)
    return area


class ItineraryView(QWidget):
    """Painted from a rehearsed itinerary. Signal ``chosen`` carries a stage; clicks, Up and Down choose. A stage that
    is dragged takes its part along: ``dragged`` carries the part and the part whose place it is to take.
    """

    chosen = Signal(int)
    dragged = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self._itinerary: Itinerary | None = None
        self._marked: set[int] = set()
        self._at = 0
        self._pressed: tuple[int, float] | None = None  # stage and y
        self._over: int | None = None  # the stage a drag is above
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMinimumHeight(LEAST_H)

    def sizeHint(self) -> QSize:
        return QSize(380, 520)

    def show_itinerary(self, itinerary: Itinerary | None) -> None:
        self._itinerary = itinerary
        stages = len(itinerary.stages) if itinerary is not None else 0
        self.setMinimumHeight(max(LEAST_H, FEET + LEAST_ROW * stages))
        if itinerary is not None:
            words = "; ".join(f"{s.title} {s.detail} {duration(s.seconds)}" for s in itinerary.stages)
            self.setAccessibleName(f"Itinerary, {duration(itinerary.likely_s)}: {words}")
        self.update()

    def choose(self, stages: set[int]) -> None:
        """Set off the stages of the chosen part."""
        self._marked = stages
        if stages and self._at not in stages:
            self._at = min(stages)
        self._bring_in()
        self.update()

    def _bring_in(self) -> None:
        """The stage that was chosen is in sight, where the whole is scrolled."""
        viewport = self.parentWidget()
        area = viewport.parentWidget() if viewport is not None else None
        if isinstance(area, QScrollArea) and self._itinerary is not None:
            row_h = (self.height() - FEET) / max(1, len(self._itinerary.stages))
            area.ensureVisible(0, round(12 + row_h * (self._at + 0.5)), 0, round(2 * row_h))

    def _row_at(self, y: float) -> int | None:
        if self._itinerary is None or not self._itinerary.stages:
            return None
        row = int((y - 12) // ((self.height() - FEET) / len(self._itinerary.stages)))
        return row if 0 <= row < len(self._itinerary.stages) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if row is not None:
            self._at = row
            self._pressed = (row, event.position().y())
            self.chosen.emit(row)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        y = event.position().y()
        if self._pressed is not None and abs(y - self._pressed[1]) >= HELD:
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self._over = self._row_at(y)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, over, self._pressed, self._over = self._pressed, self._over, None, None
        self.unsetCursor()
        self.update()
        if pressed is None or over is None or self._itinerary is None:
            return
        part, to = (self._itinerary.stages[row].part for row in (pressed[0], over))
        if part != to:
            self.dragged.emit(part, to)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if by is None or self._itinerary is None or event.modifiers():
            super().keyPressEvent(event)
            return
        self._at = min(max(self._at + by, 0), len(self._itinerary.stages) - 1)
        self._bring_in()
        self.chosen.emit(self._at)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._itinerary is None or not self._itinerary.stages:
            ink.write(p, QRectF(self.rect()), "nothing planned", 14, 400, theme().color("ink2"), ink.CENTRE)
            return
        tape = QRectF(70, 12, 24, self.height() - FEET)
        self._hours(p, tape, self._itinerary)
        top = tape.top()
        row_h = tape.height() / len(self._itinerary.stages)
        for at, stage in enumerate(self._itinerary.stages):
            share = stage.seconds / self._itinerary.likely_s
            piece = QRectF(tape.left(), top, tape.width(), tape.height() * share)
            row = QRectF(tape.right() + 40, tape.top() + at * row_h, self.width() - tape.right() - 44, row_h)
            if at in self._marked:
                p.fillRect(row.adjusted(0, 2, 0, -1), theme().color("chosen"))
                p.fillRect(QRectF(row.left(), row.top() + 2, 3, row.height() - 3), theme().color("ink"))
            self._stage(p, piece, row, stage, "zinc_light" if at % 2 else "strip")
            top = piece.bottom()
        self._drop_bar(p, tape, row_h)
        for stage in self._itinerary.stages:
            for gate in stage.gates:
                y = tape.top() + tape.height() * gate / self._itinerary.likely_s
                paint_gate(p, QPointF(tape.center().x(), y))
        self._typed(p, tape, self._itinerary)
        self._legend(p)

    def _drop_bar(self, p: QPainter, tape: QRectF, row_h: float) -> None:
        """Where the dragged part would go: before or after the whole part it is above."""
        if self._pressed is None or self._over is None or self._itinerary is None:
            return
        stages = self._itinerary.stages
        part, to = stages[self._pressed[0]].part, stages[self._over].part
        rows = [n for n, s in enumerate(stages) if s.part == to]
        y = tape.top() + row_h * (min(rows) if to < part else max(rows) + 1)
        if to != part:
            p.fillRect(QRectF(tape.right() + 40, y - 1.5, self.width() - tape.right() - 44, 3), theme().color("ink"))

    def _hours(self, p: QPainter, tape: QRectF, itinerary: Itinerary) -> None:
        minutes = itinerary.likely_s / 60.0
        step = next(s for s in (1, 2, 5, 10, 20, 30, 60, 120, 10_000) if minutes / s <= 8)
        for k in range(int(minutes // step) + 1):
            y = tape.top() + tape.height() * k * step / minutes
            ink.hairline(p, QPointF(tape.left() - 12, y), QPointF(tape.left(), y), theme().color("edge"))
            text = "start" if k == 0 else f"{k * step} min"
            ink.write(p, QRectF(0, y - 9, tape.left() - 16, 18), text, 12, 400, theme().color("ink2"), ink.RIGHT)

    def _stage(self, p: QPainter, piece: QRectF, row: QRectF, stage: PlannedStage, ground: str) -> None:
        t = theme()
        band = QPainterPath(QPointF(piece.right() + 4, piece.top()))
        half = (piece.right() + row.left()) / 2
        band.cubicTo(half, piece.top(), half, row.top() + 2, row.left(), row.top() + 2)
        band.lineTo(row.left(), row.bottom() - 2)
        band.cubicTo(half, row.bottom() - 2, half, piece.bottom(), piece.right() + 4, piece.bottom())
        band.closeSubpath()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.color(ground))
        p.drawPath(band)
        p.setBrush(QColor(t.energised[stage.energised]))
        p.setPen(QPen(t.color("edge"), 1.0))
        p.drawRect(piece)
        ink.hairline(p, row.bottomLeft(), row.bottomRight())
        if row.height() < ROOMY:
            self._one_line(p, row, stage)
            return
        middle = row.center().y() - 20
        ink.write(p, QRectF(row.left() + 8, middle, row.width() - 74, 20), stage.title, 15, 600)
        ink.write(p, QRectF(row.left(), middle, row.width(), 20), duration(stage.seconds), 15, 600, align=ink.RIGHT)
        detail = QRectF(row.left() + 8, middle + 20, row.width() - 8, 18)
        ink.write(p, detail, stage.detail, 13, 400, t.color("ink2"))
        points, typed = len(stage.points), sum(len(x.typed) for x in stage.points)
        if points:
            words = counted(points, "point") + (f", {counted(typed, 'reading')} to type" if typed else "")
            ink.write(p, detail.translated(0, 18), words, 13, 400, t.color("ink2"))
        elif stage.gates:
            ink.write(p, detail.translated(0, 18), "a gate: your hands are needed", 13, 400, t.color("ink2"))
        elif stage.seconds > 300:
            ink.write(p, detail.translated(0, 18), "hands free, stay in sight", 13, 400, t.color("ink2"))

    def _one_line(self, p: QPainter, row: QRectF, stage: PlannedStage) -> None:
        """A stage among many: title and detail beside each other."""
        t = theme()
        ink.write(p, row.adjusted(8, 0, -62, 0), stage.title, 13, 600)
        left = 8 + ink.width(stage.title, 13, 600) + 10
        typed = sum(len(x.typed) for x in stage.points)
        words = f"{counted(len(stage.points), 'point')}, {typed} to type" if typed else stage.detail
        ink.write(p, row.adjusted(left, 0, -62, 0), words, 12, 400, t.color("ink2"))
        ink.write(p, row, duration(stage.seconds), 13, 600, align=ink.RIGHT)

    def _typed(self, p: QPainter, tape: QRectF, itinerary: Itinerary) -> None:
        p.setPen(QPen(theme().color("ink"), 2.0))
        for point in itinerary.points:
            if point.typed:
                share = (point.begins_s + point.seconds) / itinerary.likely_s
                y = tape.top() + tape.height() * share
                p.drawLine(QPointF(tape.left() - 9, y), QPointF(tape.left() - 2, y))

    def _legend(self, p: QPainter) -> None:
        t = theme()
        x, y = 0.0, self.height() - 46.0
        for key, words in LEGEND:
            p.setBrush(QColor(t.energised[key]))
            p.setPen(QPen(t.color("edge"), 1.0))
            p.drawRect(QRectF(x + 0.5, y + 3.5, 16, 11))
            ink.write(p, QRectF(x + 22, y, 120, 18), words, 12, 400, t.color("ink2"))
            x += ink.width(words, 12) + 40
        paint_gate(p, QPointF(16, y + 31))
        ink.write(p, QRectF(38, y + 22, 50, 18), "gate", 12, 400, t.color("ink2"))
        p.setPen(QPen(t.color("ink"), 2.0))
        p.drawLine(QPointF(92, y + 31), QPointF(104, y + 31))
        ink.write(p, QRectF(110, y + 22, 200, 18), "reading you type", 12, 400, t.color("ink2"))
