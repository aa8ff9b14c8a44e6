"""A claim typed by hand: figure, bounds, condition and where it stands."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.entry import parse_entry, parse_share
from zincsmith.model.claim import SOURCES, Condition, Side, StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES, Figure
from zincsmith.model.record import Span
from zincsmith.model.unit import Nameplate
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import button, label
from zincsmith.ui.widgets.rating_edit import RatingEdit

UNITS = {"ohm": "1", "s": "1", "Hz": "Hz"}


def typed_unit(info: Figure) -> str:
    """The unit in which a bound of this figure is typed."""
    return "%" if info.in_percent else UNITS.get(info.unit, info.unit)


SHOWN = {"1": "%", "degC": "°C", "ohm": "Ω"}
NUMBERS = (
    ("low", "At least", ""),
    ("high", "At most", ""),
    ("line_low", "Line from", "V"),
    ("line_high", "to", "V"),
    ("hertz", "Frequency", "Hz"),
    ("load_low", "Load from", "%"),
    ("load_high", "to", "%"),
    ("ambient_low", "Ambient from", "degC"),
    ("ambient_high", "to", "degC"),
    ("minutes", "For minutes (0 continuous)", "1"),
)
SIDES: tuple[Side, ...] = ("output", "input")
TEXTS = (("where", "Where it stands"), ("derating", "Derating"), ("note", "Condition in words"))


class ClaimForm(QWidget):
    """Signals: ``made`` (a StatedClaim), ``left`` (nothing was made)."""

    made = Signal(object)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._old: StatedClaim | None = None
        self._nominal = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        self.title = label("A claim", 14, 600)
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.figure, self.output, self.source = (self._choice(n) for n in ("Figure", "Output", "Source"))
        for one in FIGURES.values():
            self.figure.addItem(one.title, one.name)
        self.source.addItems(list(SOURCES))
        self.edits: dict[str, RatingEdit] = {}
        for n, (words, box) in enumerate((("Figure", self.figure), ("Output", self.output), ("Source", self.source))):
            grid.addWidget(label(words, 13), 0, 2 * n)
            grid.addWidget(box, 0, 2 * n + 1)
        cells = [(key, words, unit) for key, words, unit in NUMBERS] + [(key, words, "") for key, words in TEXTS]
        for n, (key, words, unit) in enumerate(cells):
            edit = RatingEdit()
            edit.setFont(font(13))
            edit.setAccessibleName(f"Claim: {words} {unit}".strip())
            self.edits[key] = edit
            shown = {"degC": "°C", "1": ""}.get(unit, unit)
            grid.addWidget(label(f"{words} {shown}".strip(), 13), 1 + n // 3, 2 * (n % 3))
            grid.addWidget(edit, 1 + n // 3, 2 * (n % 3) + 1)
        self.side = self._choice("Speaks of")
        self.side.addItems(list(SIDES))
        grid.addWidget(label("Speaks of", 13), 1 + len(cells) // 3, 2 * (len(cells) % 3))
        grid.addWidget(self.side, 1 + len(cells) // 3, 2 * (len(cells) % 3) + 1)
        for k in (1, 3, 5):
            grid.setColumnStretch(k, 1)
        column.addLayout(grid)
        self.problem = label("", 13, 400, "problem", wrap=True)
        column.addWidget(self.problem)
        row = QHBoxLayout()
        self.save, cancel = button("Keep this claim  Enter", "main"), button("Leave  Esc", weight=400)
        self.save.clicked.connect(self._make)
        cancel.clicked.connect(self.left)
        row.addWidget(self.save)
        row.addWidget(cancel)
        row.addStretch()
        column.addLayout(row)
        column.addStretch()
        self.figure.currentIndexChanged.connect(self._units)
        self._units()

    @staticmethod
    def _choice(name: str) -> Choice:
        box = Choice()
        box.setFont(font(13))
        box.setAccessibleName(f"Claim: {name}")
        return box

    def _units(self) -> None:
        info = FIGURES[self.figure.currentData()]
        shown = "%" if info.in_percent else SHOWN.get(info.unit, info.unit)
        for key in ("low", "high"):
            self.edits[key].setPlaceholderText(
                "0.5 %, 50 mV" if "of the volts" in info.traits else f"in {shown}" if shown else "a number"
            )
        self.side.setCurrentText(info.side)

    def show_claim(self, plate: Nameplate, old: StatedClaim | None, begun: StatedClaim | None = None) -> None:
        """Begin a new claim, open one for editing, or go on with one that was begun elsewhere without its bounds."""
        self._old = old
        self._nominal = abs(plate.output.voltage_V) if plate.outputs else 0.0
        self.title.setText("A claim of another paper" if old is None else "Edit a claim")
        self.output.clear()
        self.output.addItem("the whole unit", "")
        for one in plate.outputs:
            if one.name:
                self.output.addItem(one.name, one.name)
        for edit in self.edits.values():
            edit.clear()
            edit.mark("")
        self.problem.setText("")
        self._units()
        if old is not None or begun is not None:
            self._fill(old or begun)  # type: ignore[arg-type]
        if begun is None:
            self.figure.setFocus()
        else:
            self.edits["low" if FIGURES[begun.figure].bound == "least" else "high"].setFocus()

    def _fill(self, old: StatedClaim) -> None:
        info, c = FIGURES[old.figure], old.condition
        factor = 100.0 if info.in_percent else 1.0
        self.figure.setCurrentIndex(self.figure.findData(old.figure))
        self.side.setCurrentText(old.side or info.side)
        self.output.setCurrentIndex(max(0, self.output.findData(old.output)))
        self.source.setCurrentText(old.source)
        values: dict[str, float | None] = {
            "low": old.low * factor if old.low is not None else None,
            "high": old.high * factor if old.high is not None else None,
            "hertz": c.frequency_Hz,
            "minutes": c.duration_s / 60.0 if c.duration_s is not None else None,
        }
        for key, span in (("line", c.line_V), ("load", c.load_percent), ("ambient", c.ambient_degC)):
            values[f"{key}_low"], values[f"{key}_high"] = span if span is not None else (None, None)
        for key, value in values.items():
            self.edits[key].setText("" if value is None else f"{value:.10g}")
        for key, text in (("where", old.where), ("derating", c.derating), ("note", c.note)):
            self.edits[key].setText(text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._make()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def _make(self) -> None:
        info = FIGURES[self.figure.currentData()]
        try:
            values = {
                key: self._share(key, words) if not unit and "of the volts" in info.traits
                else self._number(key, words, unit or typed_unit(info))
                for key, words, unit in NUMBERS
            }  # fmt: skip
            spans = {key: self._span(key, values) for key in ("line", "load", "ambient")}
        except InputError as error:
            self.problem.setText(error.message)
            return
        factor = 0.01 if info.in_percent else 1.0
        low, high = (values[k] * factor if values[k] is not None else None for k in ("low", "high"))  # type: ignore[operator]
        if low is None and high is None:
            self._refuse("low", "State at least or at most, or both.")
            return
        if low is not None and high is not None and low >= high:
            self._refuse("low", "The lower bound is not below the upper.")
            return
        minutes = values["minutes"]
        condition = Condition(
            spans["line"],
            values["hertz"],
            spans["load"],
            spans["ambient"],
            60.0 * minutes if minutes is not None else None,
            self.edits["derating"].text().strip(),
            self.edits["note"].text().strip(),
        )
        source = SOURCES[self.source.currentIndex()]
        made = StatedClaim(info.name, low, high, source, self.edits["where"].text().strip(), self.output.currentData())
        side = SIDES[self.side.currentIndex()]
        made = replace(made, condition=condition, side=side if side != info.side else None)
        self.made.emit(made if self._old is None else replace(made, kept=self._old.kept, note=self._old.note))

    def _share(self, key: str, words: str) -> float | None:
        """A bound of a regulation in percent of the nominal volts, as it is printed: 0.5 %, 50 mV, 0.1 % + 5 mV."""
        edit = self.edits[key]
        edit.mark("")
        if not edit.text().strip():
            return None
        try:
            return parse_share(edit.text(), self._nominal)
        except InputError as error:
            edit.mark(error.message)
            raise InputError(f"{words}: {error.message}.") from None

    def _number(self, key: str, words: str, unit: str) -> float | None:
        edit = self.edits[key]
        text = edit.text().strip()
        edit.mark("")
        if not text:
            return None
        try:
            return parse_entry(text, unit)
        except InputError as error:
            edit.mark(error.message)
            raise InputError(f"{words}: {error.message}.") from None

    def _span(self, key: str, values: dict[str, float | None]) -> Span | None:
        low, high = values[f"{key}_low"], values[f"{key}_high"]
        ends = [one for one in (low, high) if one is not None]
        if not ends:
            return None
        low, high = ends[0], ends[-1]
        if low > high:
            self.edits[f"{key}_low"].mark("above the upper end")
            raise InputError(f"{key.capitalize()}: the lower end is above the upper end.")
        return low, high

    def _refuse(self, key: str, message: str) -> None:
        self.edits[key].mark(message)
        self.problem.setText(message)
