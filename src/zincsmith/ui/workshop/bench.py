"""The drawn bench of a sum, with its inputs in the drawing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.rating_edit import RatingEdit
from zincsmith.ui.workshop.strokes import paint
from zincsmith.workshop.base import TOLERANCE, Input, Sum, Worked, in_words
from zincsmith.workshop.drawing import HEIGHT, WIDTH, Drawing, drawn

BOX, SMALL, GAP, ROW, ABOVE = 86, 50, 4, 24, 15
LONGEST_WORDS = 210.0
KINDS = {"V": "voltage", "A": "current", "W": "power", "degC": "temperature", "%": "efficiency"}


def value_words(value: float, unit: str) -> str:
    return " ".join(in_words(value, unit)).strip()


@dataclass
class _Place:
    of: Input
    at: tuple[float, float]
    value: QLineEdit
    tolerance: QLineEdit | None


class BenchDrawing(QWidget):
    """Signals: ``said`` (key, text) as an input is finished; ``entered`` (key) as one gets the focus."""

    said = Signal(str, str)
    entered = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(int(WIDTH), int(HEIGHT))
        self.places: dict[str, _Place] = {}
        self._of: Sum | None = None
        self._drawing: Drawing | None = None
        self._worked: Worked | None = None
        self._where: Mapping[str, str] = {}

    def show_sum(self, of: Sum) -> None:
        """Its bench; the values follow with ``show_worked``."""
        self._clear()
        self._of, self._drawing, self._worked = of, drawn(of.bench), None
        self.setAccessibleName(f"{of.title}: its bench")
        spots = self._drawing.places("i")
        for one in of.inputs:
            value = self._line(one.key, one.words)
            tolerance = self._line(f"{one.key}{TOLERANCE}", f"{one.words}, tolerance") if one.tolerance else None
            self.places[one.key] = _Place(one, spots[one.key], value, tolerance)
            x, y = (round(v) for v in spots[one.key])
            value.setGeometry(x, y + ABOVE, BOX, ROW)
            if tolerance is not None:
                tolerance.setGeometry(x + BOX + GAP, y + ABOVE, SMALL, ROW)

    def _clear(self) -> None:
        for place in self.places.values():
            for box in (place.value, place.tolerance):
                if box is not None:
                    box.hide()
                    box.deleteLater()
        self.places = {}

    def _line(self, key: str, words: str) -> QLineEdit:
        made = RatingEdit(self)
        made.setFont(font(13, 600))
        made.setAccessibleName(words)
        made.setStyleSheet("padding: 1px 4px")
        made.editingFinished.connect(lambda: self._finished(key, made))
        made.textEdited.connect(lambda _text: self.entered.emit(key.removesuffix(TOLERANCE)))
        made.show()
        return made

    def _finished(self, key: str, box: QLineEdit) -> None:
        if box.isModified():
            box.setModified(False)
            self.said.emit(key, box.text())

    def show_worked(self, one: Worked, where: Mapping[str, str]) -> None:
        """``where`` says of an input what it was taken from."""
        self._worked, self._where = one, where
        for key, place in self.places.items():
            self._put(place.value, value_words(one.inputs[key], place.of.unit))
            if place.tolerance is not None:
                self._put(place.tolerance, f"±{one.tolerances[key]:g} %")
            place.value.setToolTip(f"{place.of.words}{', ' + where[key] if key in where else ''}")
        self.update()

    @staticmethod
    def _put(box: QLineEdit, text: str) -> None:
        box.setText(text)
        box.setCursorPosition(0)
        box.setProperty("wrong", False)
        box.style().polish(box)

    def refuse(self, key: str, said: Mapping[str, str]) -> None:
        """What was said cannot be: it stands as it was said, the box of ``key`` is marked, no result beside it."""
        self._worked = None
        for one in self.places.values():
            if one.of.key in said:
                one.value.setText(said[one.of.key])
            if one.tolerance is not None and f"{one.of.key}{TOLERANCE}" in said:
                one.tolerance.setText(said[f"{one.of.key}{TOLERANCE}"])
        place = self.places.get(key.removesuffix(TOLERANCE))
        box = (place.tolerance if key.endswith(TOLERANCE) else place.value) if place is not None else None
        if box is not None:
            box.setProperty("wrong", True)
            box.style().polish(box)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._drawing is None or self._of is None:
            return
        p, t = QPainter(self), theme()
        paint(p, self._drawing)
        for place in self.places.values():
            x, y = place.at
            room = float(BOX + (GAP + SMALL if place.tolerance is not None else 0))
            p.fillRect(QRectF(x - 2, y - 1, room + 4, ABOVE + ROW + 3), t.color("paper"))
            room = max(room, self._room(place))
            words = f"{place.of.words} ({self._where[place.of.key]})" if place.of.key in self._where else place.of.words
            ink.write(p, QRectF(x, y - 2, room, ABOVE), words, 12, 400, t.color("ink2"))
        for key, (x, y) in self._drawing.places("x").items():
            self._result(p, key, x, y)

    def _room(self, place: _Place) -> float:
        """For its words: to whatever stands beside it."""
        x, y = place.at
        spots = [other.at for other in self.places.values()]
        spots += self._drawing.places("x").values() if self._drawing is not None else []
        beside = [a - x - 8.0 for a, b in spots if a > x + BOX and abs(b - y) < ABOVE + ROW]
        return min([LONGEST_WORDS, WIDTH - x, *beside])

    def _result(self, p: QPainter, key: str, x: float, y: float) -> None:
        if self._of is None:
            return
        of = next(r for r in self._of.results if r.key == key)
        text = value_words(self._worked.results[key].value, of.unit) if self._worked is not None else "–"
        ink.write(p, QRectF(x, y - 8, min(LONGEST_WORDS, WIDTH - x), 15), of.words, 12, 400, theme().color("ink2"))
        ink.write(p, QRectF(x, y + 6, 150, 24), text, 17, 700, theme().text_of(KINDS.get(of.unit, "")))

    def restyle(self) -> None:
        self.update()
