"""The rating plate: the nameplate drawn as the plate on a unit, whatever the kind of unit."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QLinearGradient, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.words.plate_words import hertz_words, input_words, output_words

NAME_W = 60.0


def _input_lines(plate: Nameplate) -> int:
    return sum(len(one.each_range) for one in plate.inputs)


class RatingPlate(QWidget):
    """Painted from a unit; empty until there is one."""

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        self._lit: frozenset[str] = frozenset()
        self.setMinimumHeight(190)

    def sizeHint(self) -> QSize:
        return QSize(330, 200)

    def show_unit(self, unit: Unit | None) -> None:
        self._unit = unit
        if unit is not None:
            plate = unit.nameplate
            ins = ", ".join(input_words(i) for i in plate.inputs) or "not stated"
            outs = ", ".join(f"{o.name} {output_words(o)}".strip() for o in plate.outputs) or "not stated"
            self.setAccessibleName(f"Rating plate: {unit.maker} {unit.model}, input {ins}, output {outs}")
        self.update()

    def light(self, parts: frozenset[str]) -> None:
        """Set apart what hangs on the line or claim a person is at: ``input N``, ``output N``, total, marks."""
        if parts != self._lit:
            self._lit = parts
            self.update()

    def _light(self, p: QPainter, box: QRectF, part: str) -> None:
        if part in self._lit:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme().color("paper"))
            p.drawRoundedRect(box.adjusted(-6, 1, 6, -1), 3, 3)

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
            ink.write(p, plate, "Type the label; the plate is drawn from it", 14, 400, t.color("ink2"), ink.CENTRE)
        else:
            self._face(p, plate.adjusted(28, 12, -28, -10), self._unit)

    @staticmethod
    def _rivets(p: QPainter, plate: QRectF) -> None:
        t = theme()
        for x in (plate.left() + 14, plate.right() - 14):
            for y in (plate.top() + 14, plate.bottom() - 14):
                p.setBrush(t.color("zinc"))
                p.setPen(QPen(t.color("edge"), 1.0))
                p.drawEllipse(QPointF(x, y), 4.5, 4.5)
                p.drawLine(QPointF(x - 2, y + 2), QPointF(x + 2, y - 2))

    def _face(self, p: QPainter, box: QRectF, unit: Unit) -> None:
        t, plate = theme(), unit.nameplate
        name = QRectF(box.left(), box.top(), box.width(), 24)
        maker = unit.maker.upper() or unit.tag
        ink.write(p, QRectF(name.left(), name.top(), name.width() * 0.52, 24), maker, 16, 700)
        ink.write(p, QRectF(name.center().x(), name.top(), name.width() / 2, 24), unit.model, 16, 700, align=ink.RIGHT)
        top, bottom = name.bottom() + 4, box.bottom() - 20
        marks_top = bottom - 32 if plate.marks else bottom
        ink.hairline(p, QPointF(box.left(), top), QPointF(box.right(), top), t.color("edge"))
        lines = _input_lines(plate) + len(plate.outputs) + (1 if plate.total_power_W is not None else 0)
        self._ratings(p, QRectF(box.left(), top + 3, box.width(), marks_top - top - 6), unit, max(1, lines))
        ink.hairline(p, QPointF(box.left(), marks_top), QPointF(box.right(), marks_top), t.color("edge"))
        if plate.marks:
            self._light(p, QRectF(box.left(), marks_top + 2, box.width(), 28), "marks")
            self._marks(p, QRectF(box.left(), marks_top + 4, box.width(), 24), plate.marks)
        foot = QRectF(box.left(), box.bottom() - 18, box.width(), 18)
        if unit.serial:
            ink.write(p, foot, f"S/N {unit.serial}", 12, 400)
        ink.write(p, QRectF(foot.center().x(), foot.top(), foot.width() / 2, 18), unit.tag, 12, align=ink.RIGHT)

    def _ratings(self, p: QPainter, box: QRectF, unit: Unit, lines: int) -> None:
        """All ratings in the room there is; what does not fit is counted."""
        plate = unit.nameplate
        row = min(30.0, max(15.0, box.height() / lines))
        room = int(box.height() / row + 1e-6)  # a quotient of floats may lie a hair below what it is
        size = 15 if row >= 20 else 12
        y = box.top()
        for n, one in enumerate(plate.inputs):
            title = one.name.upper() or ("INPUT" if n == 0 else "")
            for part in one.each_range:
                self._light(p, QRectF(box.left(), y, box.width(), row), f"input {n}")
                self._input(p, QRectF(box.left(), y, box.width(), row), part, title, size)
                title, y = "", y + row
        whole = 1 if plate.total_power_W is not None else 0
        space = room - _input_lines(plate) - whole
        cut = len(plate.outputs) > space
        shown = plate.outputs[: max(1, space - 1)] if cut else plate.outputs
        large = len(plate.outputs) == 1 and row >= 26
        for n, out in enumerate(shown):
            title = out.name or ("OUTPUT" if n == 0 else "")
            self._light(p, QRectF(box.left(), y, box.width(), row), f"output {n}")
            self._output(p, QRectF(box.left(), y, box.width(), row), out, title, 19 if large else size)
            y += row
        if cut:
            text = f"and {len(plate.outputs) - len(shown)} more outputs"
            ink.write(
                p, QRectF(box.left() + NAME_W, y, box.width() - NAME_W, row), text, 12, 400, theme().color("ink2")
            )
            y += row
        if whole and plate.total_power_W is not None:
            self._light(p, QRectF(box.left(), y, box.width(), row), "total")
            ink.write(p, QRectF(box.left(), y, NAME_W, row), "TOTAL", 12, 400, theme().color("ink2"))
            words = f"{plate.total_power_W:g} W" + (" input" if plate.power_is == "input" else "")
            ink.write(p, QRectF(box.left(), y, box.width(), row), words, size, 600, align=ink.RIGHT)

    def _input(self, p: QPainter, box: QRectF, one: InputRating, title: str, size: int) -> None:
        current = f"{one.current_A:g} A" if one.current_A is not None else ""
        self._line(p, box, title, (input_words(one), one.type), hertz_words(one), current, size, 400)

    def _output(self, p: QPainter, box: QRectF, one: OutputRating, title: str, size: int) -> None:
        voltage, _, current = output_words(one).partition("  ")
        self._line(p, box, title, (voltage, one.type), current, f"{one.rated_power_W:.4g} W", size, 600)

    @staticmethod
    def _line(
        p: QPainter,
        box: QRectF,
        title: str,
        voltage: tuple[str, str],
        middle: str,
        right: str,
        size: int,
        weight: int,
    ) -> None:
        """Title, volts with the sign of their kind, what follows, and the last figure at the right edge.

        The face shrinks until all of it fits; only then are the volts cut short.
        """
        t = theme()
        ink.write(p, QRectF(box.left(), box.top(), NAME_W - 4, box.height()), title, 12, 400, t.color("ink2"))
        at, room = box.left() + NAME_W, box.width() - NAME_W

        def rest(pixels: int) -> float:
            return ink.width(middle, pixels, weight) + ink.width(right, pixels, weight) + 2.4 * pixels + 8

        while size > 12 and ink.width(voltage[0], size, weight) + rest(size) > room:
            size -= 1
        wide = max(24.0, min(ink.width(voltage[0], size, weight), room - rest(size)))
        ink.write(p, QRectF(at, box.top(), wide, box.height()), voltage[0], size, weight)
        at += wide + size * 0.75
        if voltage[1] == "ac":
            ink.sine_sign(p, QPointF(at, box.center().y() + 1), size * 0.85, t.color("ink"))
        else:
            ink.dc_sign(p, QPointF(at, box.center().y() + 1), size * 0.8, t.color("ink"), 1.6)
        at += size * 0.85
        ink.write(p, QRectF(at, box.top(), box.right() - at, box.height()), middle, size, weight)
        ink.write(p, box, right, size, weight, align=ink.RIGHT)

    @staticmethod
    def _marks(p: QPainter, box: QRectF, marks: tuple[str, ...]) -> None:
        t, at = theme(), box.left()
        for n, mark in enumerate(marks):
            room = ink.width(mark, 13, 600) + 16
            if at + room > box.right() - (28 if n < len(marks) - 1 else 0):
                ink.write(p, QRectF(at, box.top(), 30, 24), f"+{len(marks) - n}", 13, 400, t.color("ink2"))
                break
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.color("ink"), 1.3))
            p.drawRoundedRect(QRectF(at, box.top(), room, 24), 3, 3)
            ink.write(p, QRectF(at, box.top(), room, 24), mark, 13, 600, align=ink.CENTRE)
            at += room + 8
