"""The options of one part of a plan, with the choices that people make; a wrong entry is refused where it stands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, get_args

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from zincsmith.formats.plan_file import check_plan
from zincsmith.judge.words import duration
from zincsmith.model.errors import InputError
from zincsmith.model.plan import (
    BringUpOptions,
    DisplayOptions,
    GridOptions,
    HandsInAct,
    HandsInOptions,
    HarmonicOptions,
    Line,
    Options,
    Plan,
    RegimeOptions,
    RigCheckOptions,
    StandbyOptions,
)
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import clear, label, tip


@dataclass(frozen=True)
class Choosing:
    """One option with its choices: words and value; with several fields, parted by blanks, a value for each."""

    words: str
    field: str
    choices: tuple[tuple[str, Any], ...]

    def of(self, part: Options) -> Any:
        """The value in force."""
        fields = self.field.split()
        values = tuple(getattr(part, f) for f in fields)
        return values if len(fields) > 1 else values[0]


@dataclass(frozen=True)
class Typing:
    """One option that is typed; ``read`` may raise InputError."""

    words: str
    field: str
    show: Callable[[Any], str]
    read: Callable[[str], Any]


def _times(*seconds: float) -> tuple[tuple[str, float], ...]:
    return tuple((duration(s) if s else "none", s) for s in seconds)


def _lines_words(lines: Sequence[Line]) -> str:
    return ", ".join(f"{x.voltage_V:g} {x.frequency_Hz:g}" for x in lines)


def read_lines(text: str) -> tuple[Line, ...]:
    """``100 60, 230 50`` as lines; units may be written. InputError for anything else."""
    found = []
    for piece in text.replace("V", " ").replace("Hz", " ").split(","):
        numbers = piece.split()
        if not numbers:
            continue
        try:
            volts, hertz = map(float, numbers)
        except ValueError:
            raise InputError(f"{piece.strip()!r} is no line: volts and hertz, such as 230 50") from None
        found.append(Line(volts, hertz))
    return tuple(found)


def read_loads(text: str) -> tuple[float, ...]:
    """``100 75 50`` as loads in percent. InputError for anything else."""
    try:
        return tuple(float(word) for word in text.replace("%", " ").replace(",", " ").split())
    except ValueError:
        raise InputError("loads are numbers in percent, such as 100 75 50 25 10 0") from None


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise InputError("one number is wanted, such as 0.005") from None


def _one_line(text: str) -> Line:
    found = read_lines(text)
    if len(found) != 1:
        raise InputError("one line is wanted: volts and hertz, such as 115 60")
    return found[0]


LINES = Typing("Lines, V Hz", "lines", _lines_words, read_lines)
LINE = Typing("Line, V Hz", "line", lambda x: _lines_words((x,)), _one_line)
LOADS = Typing("Loads, %", "loads_percent", lambda x: " ".join(f"{v:g}" for v in x), read_loads)
DRIFT = (
    ("nothing", (False, False)),
    ("cold as well", (True, False)),
    ("the first load again", (False, True)),
    ("cold, and first again", (True, True)),
)
# Turns of two loads, seconds after the step, turns of two lines.
TURNS = (
    ("as they come", (0, 0.0, 0)),
    ("loads in turns, 5 times", (5, 0.0, 0)),
    ("and 2 s after the step", (5, 2.0, 0)),
    ("lines in turns, 5 times", (0, 0.0, 5)),
    ("loads and lines, 5 times", (5, 0.0, 5)),
    ("all of these", (5, 2.0, 5)),
)
FIELDS: dict[type, tuple[Choosing | Typing, ...]] = {
    GridOptions: (
        LINES,
        LOADS,
        Choosing("Warm-up before", "warm_up_s", _times(0.0, 120.0, 600.0, 1800.0, 3600.0)),
        Choosing("For what drifts", "cold again", DRIFT),
        Choosing("Small differences", "turns at_once_s line_turns", TURNS),
        Choosing("After a line change", "rewarm_s", _times(0.0, 60.0, 300.0, 900.0)),
        Choosing("Settled when", "settled_percent", tuple((f"< {p:g} % in 20 s", p) for p in (0.05, 0.1, 0.2, 0.5))),
        Choosing("Wait at most", "settle_at_most_s", _times(30.0, 60.0, 120.0, 300.0)),
        Choosing("Average over", "average_s", _times(4.0, 10.0, 20.0, 60.0)),
        Choosing("Efficiency curve", "refine_points", tuple((f"{n} more points" if n else "as planned", n)
                                                            for n in (0, 3, 6, 12))),
    ),
    RegimeOptions: (
        LINE,
        Choosing("Steps of the load", "step_percent", tuple((f"{p:g} %", p) for p in (5.0, 10.0, 20.0))),
        Choosing("Closed in on to", "resolution_percent", tuple((f"{p:g} % load", p) for p in (0.5, 1.0, 2.0))),
        Choosing("Wait at each", "settle_s", _times(4.0, 6.0, 20.0)),
        Choosing("Average over", "average_s", _times(4.0, 10.0)),
    ),
    HandsInOptions: (
        Choosing("Hands go in to", "act", tuple((words, words) for words in get_args(HandsInAct))),
        LINE,
        Choosing("Warm again for", "warm_up_s", _times(0.0, 300.0, 600.0, 1800.0)),
    ),
    DisplayOptions: (
        LINE,
        LOADS,
        Choosing("Wait at each", "settle_s", _times(4.0, 10.0, 60.0)),
        Choosing("Average over", "average_s", _times(4.0, 10.0)),
    ),
    HarmonicOptions: (
        LINES,
        LOADS,
        Choosing("Wait at each", "settle_s", _times(4.0, 10.0, 60.0)),
        Choosing("Recorded for", "record_s", tuple((f"{s:g} s", s) for s in (1.0, 2.0, 4.0))),
    ),
    StandbyOptions: (
        LINES,
        Choosing("Method", "method", (("sampled until stable", "sampling"), ("two periods of 10 min", "average"))),
        Choosing("Wait before", "warm_up_s", _times(60.0, 300.0, 900.0, 1800.0)),
        Choosing("Means of", "block_s", _times(20.0, 60.0)),
        Choosing("At least", "at_least_s", _times(900.0, 1800.0)),
        Choosing("At most", "at_most_s", _times(1800.0, 3600.0, 7200.0)),
        Choosing("Leads of the load", "leads", (("taken off", "removed"), ("stay, leakage stated", "connected"))),
        Typing("Leakage of the load, W", "leakage_W", lambda x: f"{x:g}", lambda text: _number(text)),
    ),
    BringUpOptions: (
        Choosing(
            "Start method", "school", (("raised from zero", "from zero"), ("switched to rated input", "rated input"))
        ),
        Typing("First line, V Hz", "first_line", lambda x: _lines_words((x,)), _one_line),
        Choosing("Steps of the input", "step_percent", tuple((f"{p:g} % of the lowest", p) for p in (5.0, 10.0, 20.0))),
        Choosing("Wait at each", "step_s", _times(2.0, 4.0, 10.0)),
        Choosing("Start and stop found to", "resolution_V", tuple((f"{v:g} V", v) for v in (0.5, 1.0, 2.0, 5.0))),
        Choosing("Light load", "light_load_percent", tuple((f"{p:g} %", p) for p in (5.0, 10.0, 25.0))),
    ),
    RigCheckOptions: (
        LINE,
        Choosing("Average over", "readings_s", _times(4.0, 10.0, 30.0)),
        Choosing("Known load", "load_percent", tuple((f"{p:g} %", p) for p in (10.0, 25.0, 50.0, 100.0))),
    ),
}  # fmt: skip


class OptionsForm(QWidget):
    """Signal ``changed`` carries the part with one option changed."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(3)
        self._grid.setHorizontalSpacing(10)
        self._grid.setColumnStretch(1, 1)
        column.addLayout(self._grid)
        self.problem = label("", 13, 400, "problem", wrap=True)
        column.addWidget(self.problem)
        column.addStretch()
        self._part: Options | None = None
        self._edits: dict[str, QWidget] = {}

    def show_part(self, part: Options, locked: bool) -> None:
        same = type(part) is type(self._part)
        changed, self._part = part != self._part, part
        if same:  # in place: whoever is in a line stays there
            for one in FIELDS.get(type(part), ()) if changed else ():
                self._update(one, part)
            for edit in self._edits.values():
                edit.setEnabled(not locked)
            return
        self.problem.setText("")
        self._edits.clear()
        clear(self._grid)
        for row, one in enumerate(FIELDS.get(type(part), ())):
            name = label(one.words, 13, 400, "second")
            edit = self._chooser(one, part) if isinstance(one, Choosing) else self._line(one, part)
            edit.setAccessibleName(one.words)
            edit.setEnabled(not locked)
            edit.setFont(font(13, 600))
            name.setBuddy(edit)
            self._edits[one.field] = edit
            self._grid.addWidget(name, row, 0)
            self._grid.addWidget(edit, row, 1)

    def _chooser(self, one: Choosing, part: Options) -> QWidget:
        choice = Choice()
        self._fill(choice, one, part)
        choice.activated.connect(lambda at, f=one.field: self._set(f, choice.itemData(at)))
        return choice

    @staticmethod
    def _fill(choice: Choice, one: Choosing, part: Options) -> None:
        """The choices, with the value in force in front where it is none of them."""
        now = one.of(part)
        known = [value for _, value in one.choices]
        shown = "as the plan says" if isinstance(now, tuple) else f"{now:g}" if isinstance(now, float) else str(now)
        choices = one.choices if now in known else ((shown, now), *one.choices)
        choice.clear()
        for words, value in choices:
            choice.addItem(words, value)
        choice.setCurrentIndex([value for _, value in choices].index(now))

    def _update(self, one: Choosing | Typing, part: Options) -> None:
        edit = self._edits[one.field]
        if isinstance(one, Choosing):
            assert isinstance(edit, Choice)
            self._fill(edit, one, part)
        else:
            assert isinstance(edit, QLineEdit)
            words = one.show(getattr(part, one.field))
            if edit.text() != words and not edit.hasFocus():
                edit.setText(words)
                edit.setCursorPosition(0)

    def _line(self, one: Typing, part: Options) -> QWidget:
        edit = QLineEdit(one.show(getattr(part, one.field)))
        edit.setCursorPosition(0)
        edit.setToolTip(tip(edit.text()))
        edit.editingFinished.connect(lambda: self._read(one, edit.text()))
        return edit

    def _read(self, one: Typing, text: str) -> None:
        if self._part is None or text == one.show(getattr(self._part, one.field)):
            return
        try:
            self._set(one.field, one.read(text))
        except InputError as error:
            self.problem.setText(f"{one.words}: {error.message}.")

    def _set(self, field: str, value: Any) -> None:
        assert self._part is not None
        fields = field.split()
        part = replace(self._part, **dict(zip(fields, value if len(fields) > 1 else (value,), strict=True)))
        try:
            check_plan(Plan("", (part,)))
        except InputError as error:
            self.problem.setText(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.problem.setText("")
        self.changed.emit(part)
