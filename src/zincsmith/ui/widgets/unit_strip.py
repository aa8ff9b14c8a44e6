"""The unit strip: the unit on the bench as a small rating plate, its configuration, the run, the book."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.model.unit import Unit
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.floating import STRIP
from zincsmith.words.plate_words import headline, hertz_words, input_words

HEIGHT = 56


class UnitStrip(QWidget):
    """Painted; ``show_unit`` and ``show_run`` set what it says."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self.setObjectName(STRIP)
        self._unit: Unit | None = None
        self._run = "No run yet"
        self._book = ""

    def show_unit(self, unit: Unit | None) -> None:
        self._unit = unit
        words = f"{unit.maker} {unit.model}, {unit.tag}, {unit.configuration}" if unit is not None else ""
        name = f"Unit on the bench: {words}" if words else "No unit yet"
        self.setAccessibleName(name)
        self.update()

    def show_run(self, run: str, book: str) -> None:
        self._run, self._book = run, book
        self.setAccessibleDescription(f"{run}, {book}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.color("strip"))
        ink.hairline(p, QPointF(0, HEIGHT - 0.5), QPointF(self.width(), HEIGHT - 0.5))
        if self._unit is not None:
            self._paint_unit(p, self._unit)
        else:
            ink.write(p, QRectF(16, 8, 336, 40), "No unit yet", 15, 600)
        right = QRectF(self.width() - 416, 9, 400, 20)
        ink.write(p, right, self._run, 13, 400, align=ink.RIGHT)
        ink.write(p, right.translated(0, 19), self._book, 13, 400, t.color("ink2"), ink.RIGHT)

    def _paint_unit(self, p: QPainter, unit: Unit) -> None:
        t, plate = theme(), QRectF(16, 8, 336, 40)
        p.setPen(QPen(t.color("edge"), 1.0))
        p.setBrush(t.color("paper"))
        p.drawRoundedRect(plate.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        p.setPen(QPen(t.color("zinc"), 1.2))
        for x in (plate.left() + 7, plate.right() - 7):
            for y in (plate.top() + 7, plate.bottom() - 7):
                p.drawEllipse(QPointF(x, y), 2, 2)
        name = " ".join(x for x in (unit.maker, unit.model) if x)
        ink.write(p, QRectF(36, 10, 300, 20), name, 14, 600)
        at = 36.0
        out = headline(unit.nameplate)
        room = min(190.0, ink.width(out, 12))
        ink.write(p, QRectF(at, 28, room, 18), out, 12, 400, t.color("ink2"))
        at += room + 16
        if unit.nameplate.inputs:
            one = unit.nameplate.inputs[0]
            voltage = input_words(one)
            ink.write(p, QRectF(at, 28, 344 - at, 18), voltage, 12, 400, t.color("ink2"))
            at += ink.width(voltage, 12) + 10
            sign = ink.sine_sign if one.type == "ac" else ink.dc_sign
            if at < 336:
                sign(p, QPointF(at, 37.5), 9, t.color("ink2"), 1.2)
            if ink.width(hertz_words(one), 12) <= 340 - at - 10:
                ink.write(p, QRectF(at + 10, 28, 330 - at, 18), hertz_words(one), 12, 400, t.color("ink2"))
        ink.write(p, QRectF(368, 9, 60, 20), unit.tag, 14, 600)
        left = 368 + ink.width(unit.tag, 14, 600) + 10
        room = self.width() - 430 - left
        ink.write(p, QRectF(left, 9, room, 20), unit.configuration, 13, 400, t.color("ink2"))
        restore = ", ".join(r.what for r in unit.to_restore)
        below = f"To restore: {restore}" if restore else unit.place
        ink.write(p, QRectF(368, 28, self.width() - 430 - 368, 18), below, 13, 400, t.color("ink2"))
