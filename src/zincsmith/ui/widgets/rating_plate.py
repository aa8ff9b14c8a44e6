"""The rating plate: the nameplate drawn as the plate on a unit."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QLinearGradient, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.model.unit import Unit
from zincsmith.ui import ink
from zincsmith.ui.theme import theme


class RatingPlate(QWidget):
    """Painted from a unit; empty until there is one."""

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        self.setMinimumHeight(190)

    def sizeHint(self) -> QSize:
        return QSize(330, 200)

    def show_unit(self, unit: Unit | None) -> None:
        self._unit = unit
        if unit is not None:
            o, i = unit.nameplate.output, unit.nameplate.input
            self.setAccessibleName(
                f"Rating plate: {unit.maker} {unit.model}, input {i.voltage_min_V:g} to {i.voltage_max_V:g} V, "
                f"output {o.voltage_V:g} V {o.current_A:g} A {o.rated_power_W:g} W"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        plate = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        fill = QLinearGradient(plate.topLeft(), plate.bottomRight())
        fill.setColorAt(0.0, t.color("strip"))
        fill.setColorAt(0.5, t.color("zinc_light"))
        fill.setColorAt(1.0, t.color("strip"))
        p.setBrush(fill)
        p.setPen(QPen(t.color("edge"), 1.2))
        p.drawRoundedRect(plate, 6, 6)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.color("line"), 1.0))
        p.drawRoundedRect(plate.adjusted(6, 6, -6, -6), 4, 4)
        self._rivets(p, plate)
        if self._unit is None:
            ink.write(p, plate, "Type the ratings; the plate is drawn from them", 14, 400, t.color("ink2"), ink.CENTRE)
        else:
            self._face(p, plate.adjusted(30, 16, -30, -14), self._unit)

    def _rivets(self, p: QPainter, plate: QRectF) -> None:
        t = theme()
        for x in (plate.left() + 16, plate.right() - 16):
            for y in (plate.top() + 16, plate.bottom() - 16):
                p.setBrush(t.color("zinc"))
                p.setPen(QPen(t.color("edge"), 1.0))
                p.drawEllipse(QPointF(x, y), 4.5, 4.5)
                p.drawLine(QPointF(x - 2, y + 2), QPointF(x + 2, y - 2))

    def _face(self, p: QPainter, box: QRectF, unit: Unit) -> None:
        t, plate = theme(), unit.nameplate
        row = box.height() / 4.6
        y = box.top()
        name = QRectF(box.left(), y, box.width(), row)
        ink.write(p, name, unit.maker.upper(), 16, 700)
        ink.write(p, name, unit.model, 16, 700, align=ink.RIGHT)
        y += row + 4
        ink.hairline(p, QPointF(box.left(), y), QPointF(box.right(), y), t.color("edge"))
        self._input(p, QRectF(box.left(), y + 2, box.width(), row), unit)
        y += row + 4
        self._output(p, QRectF(box.left(), y, box.width(), row), unit)
        y += row + 4
        ink.hairline(p, QPointF(box.left(), y), QPointF(box.right(), y), t.color("edge"))
        at = box.left()
        for mark in plate.marks:
            room = ink.width(mark, 13, 600) + 16
            if at + room > box.right():
                break
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.color("ink"), 1.3))
            p.drawRoundedRect(QRectF(at, y + 7, room, 24), 3, 3)
            ink.write(p, QRectF(at, y + 7, room, 24), mark, 13, 600, align=ink.CENTRE)
            at += room + 10
        if unit.serial:
            serial = QRectF(box.left(), box.bottom() - 18, box.width(), 18)
            ink.write(p, serial, f"S/N {unit.serial}", 12, 400)
            ink.write(p, serial, unit.tag, 12, 400, align=ink.RIGHT)

    def _input(self, p: QPainter, box: QRectF, unit: Unit) -> None:
        rating = unit.nameplate.input
        ink.write(p, box, "INPUT", 12, 400, theme().color("ink2"))
        at = box.left() + 64
        volts = f"{rating.voltage_min_V:g}–{rating.voltage_max_V:g} V"
        ink.write(p, QRectF(at, box.top(), 130, box.height()), volts, 15)
        at += ink.width(volts, 15) + 14
        ink.sine_sign(p, QPointF(at, box.center().y() + 1), 13, theme().color("ink"))
        hertz = "/".join(f"{f:g}" for f in rating.frequency_Hz) + " Hz"
        ink.write(p, QRectF(at + 14, box.top(), 100, box.height()), hertz, 15)
        if rating.current_A is not None:
            ink.write(p, box, f"{rating.current_A:g} A", 15, align=ink.RIGHT)

    def _output(self, p: QPainter, box: QRectF, unit: Unit) -> None:
        rating = unit.nameplate.output
        ink.write(p, box, "OUTPUT", 12, 400, theme().color("ink2"))
        at = box.left() + 64
        volts = f"{rating.voltage_V:g} V"
        ink.write(p, QRectF(at, box.top(), 100, box.height()), volts, 19, 600)
        at += ink.width(volts, 19, 600) + 16
        ink.dc_sign(p, QPointF(at, box.center().y() + 1), 15, theme().color("ink"), 1.8)
        ink.write(p, QRectF(at + 16, box.top(), 100, box.height()), f"{rating.current_A:g} A", 19, 600)
        ink.write(p, box, f"{rating.rated_power_W:g} W", 19, 600, align=ink.RIGHT)
