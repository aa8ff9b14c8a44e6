"""Workshop: small sums on drawn benches. What is worked out would hold; only a measurement earns a verdict."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.model.commands import Note
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.showing.would_hold import costs, foreseen
from zincsmith.ui.connection.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.widgets.panel import Panel, clear, cut_label, heading_row, key_button, label
from zincsmith.ui.widgets.plot import Curve, Plot
from zincsmith.ui.workshop.bench import KINDS, BenchDrawing, value_words
from zincsmith.ui.workshop.foreseen import BesideClaims
from zincsmith.ui.workshop.sets import SetsOfParts
from zincsmith.ui.workshop.shelf import Shelf
from zincsmith.workshop.base import Sum, Worked, in_words, worked
from zincsmith.workshop.catalogue import names, sum_of
from zincsmith.workshop.taking import taken

FIRST = "divider"
TOLD, LEAST_TOLD = 388, 158  # px of what came out
WOULD = "worked out, not measured"


Inputs = tuple[dict[str, str], dict[str, str]]  # what was said of a sum, and what it was taken from


class WorkshopStation(Station):
    """Every sum keeps what was last said of it, as long as the window is open."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said: dict[str, dict[str, str]] = {}
        self.where: dict[str, dict[str, str]] = {}
        self._steps: dict[str, tuple[list[Inputs], list[Inputs]]] = {}  # of each sum: before, and taken back
        self.found: Worked | None = None
        self.sum: Sum = sum_of(FIRST)
        self._against = ""
        self._lay_out()
        self.open_sum(FIRST)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 12, 8)
        outer.setSpacing(8)
        row, _ = heading_row("Workshop")
        self.count = cut_label(f"{len(names())} small sums", 13, 400, "second")
        row.addWidget(self.count, 1)
        for words, act in (("Take from the unit  Ctrl+T", self.take), ("Add to log  Ctrl+L", self.note)):
            row.addWidget(key_button(words, act, self))
        for key, back in (("Ctrl+Z", True), ("Ctrl+Shift+Z", False)):
            QShortcut(QKeySequence(key), self, lambda back=back: self._step(back),
                      context=Qt.ShortcutContext.WidgetWithChildrenShortcut)  # fmt: skip
        outer.addLayout(row)
        self.problem = label("", 13, 400, "problem", wrap=True)
        self.problem.hide()
        outer.addWidget(self.problem)
        columns = QHBoxLayout()
        columns.setSpacing(8)
        columns.addWidget(self._bench(), 1)
        columns.addWidget(self._told())
        outer.addLayout(columns, 1)
        self.shelf = Shelf([sum_of(name) for name in names()])
        self.shelf.opened.connect(self.open_sum)
        outer.addWidget(self.shelf)

    def _bench(self) -> QWidget:
        self.panel = Panel(self.sum.title, "Tab goes from box to box")
        self.panel.body.setContentsMargins(8, 10, 4, 12)
        self.drawing = BenchDrawing()
        self.drawing.said.connect(self._say)
        self.drawing.entered.connect(self._look_against)
        self.panel.body.addWidget(self.drawing)
        below = QHBoxLayout()
        below.setSpacing(16)
        self.plot = Plot("", "", "", "", "", tools=False)
        below.addWidget(self.plot, 1)
        right = QVBoxLayout()
        right.addWidget(label("A hundred sets of parts", 15, 700))
        self.sets = SetsOfParts()
        self.sets.setAccessibleName("A hundred sets of parts")
        right.addWidget(self.sets, 1)
        below.addLayout(right, 1)
        self.panel.body.addLayout(below, 1)
        return self.panel

    def _told(self) -> QWidget:
        panel = Panel("", "")
        panel.setMinimumWidth(LEAST_TOLD)
        panel.body.setContentsMargins(12, 10, 10, 12)
        panel.setMaximumWidth(TOLD)
        self.result = label("", 14, 700, "", wrap=True)
        panel.body.addWidget(self.result)
        row = QHBoxLayout()
        self.value = label("", 40, 500)
        self.unit = label("", 20, 400)
        row.addWidget(self.value)
        row.addWidget(self.unit)
        row.addStretch()
        panel.body.addLayout(row)
        self.span = label("", 13, 400, "second", wrap=True)
        panel.body.addWidget(self.span)
        self.would = label(WOULD, 13, 600, "", wrap=True)
        panel.body.addWidget(self.would)
        self.others = QGridLayout()
        self.others.setVerticalSpacing(4)
        self.others.setColumnStretch(0, 1)
        panel.body.addLayout(self.others)
        self.beside = BesideClaims()
        panel.body.addWidget(self.beside)
        panel.body.addStretch()
        panel.body.addWidget(label("Formula", 14, 700))
        self.formula, self.source = label("", 14, 400, "", wrap=True), label("", 12, 400, "second", wrap=True)
        panel.body.addWidget(self.formula)
        panel.body.addWidget(self.source)
        self.sure = label("", 13, 400, "second", wrap=True)
        panel.body.addWidget(self.sure)
        row = QHBoxLayout()
        row.addStretch()
        self.plan_it = key_button("Plan it  Ctrl+Return", self.plan, self)
        self.plan_it.setText("Plan it  Ctrl+Enter")
        row.addWidget(self.plan_it)
        panel.body.addLayout(row)
        return panel

    def refresh(self) -> None:
        """Another unit, or a run that was judged: other claims."""
        if self.found is not None:
            self._show_claims(self.found)

    # What people do

    def open_sum(self, name: str) -> None:
        """Another sum, with what was last said of it."""
        self.sum = sum_of(name)
        self._against = next((i.key for i in self.sum.inputs if i.tolerance), self.sum.inputs[0].key)
        self.panel.heading.setText(self.sum.title)
        self.drawing.show_sum(self.sum)
        self.shelf.choose(name)
        self._work()

    def take(self) -> None:
        """What plate and latest run of the open unit say."""
        unit, judging = self.session.unit, self.session.judging()
        run = judging.run if judging is not None else None
        plate, price = (unit.nameplate, unit.look.physical.price) if unit is not None else (None, None)
        got = taken(self.sum, plate, run.judged if run is not None else (), self.session.feeding(), price)
        if not got:
            self._tell("Nothing for this sum is in the plate of this unit, its latest run, or what it must feed.")
            return
        self._keep(self._inputs())
        said, where = self.said.setdefault(self.sum.name, {}), self.where.setdefault(self.sum.name, {})
        for key, (value, told) in got.items():
            said[key], where[key] = f"{value:.6g}", told
        self._work()

    def note(self) -> None:
        """The inputs and what came of them, in the log."""
        if self.found is None:
            self._tell("There is no result to keep.")
        elif self.session.read_only:
            self._tell(self.session.read_only)
        else:
            self.session.send(Note(told_in_a_line(self.found)))
            self.count.setText("In the log.")

    def plan(self) -> None:
        """A plan that measures it on the unit as it is, and with what the sum is about."""
        from zincsmith.planning.foreseen import plan_of

        unit, rig = self.session.unit, self.session.rig
        if self.found is None or unit is None or rig is None:
            self._tell("A result, a unit and a rig are needed before it can be planned.")
            return
        try:
            plan = plan_of(self.found, unit, rig)
        except ZincsmithError as error:
            self._tell(f"It cannot be planned here: {error.message if isinstance(error, InputError) else error}.")
            return
        self.session.revise_plan(plan, f"what the sum {self.sum.title!r} foresees")
        self.go.emit("Plan")

    def _say(self, key: str, text: str) -> None:
        before = self._inputs()
        said = self.said.setdefault(self.sum.name, {})
        said[key] = text.strip().lstrip("±")
        self.where.get(self.sum.name, {}).pop(key, None)
        if self._work(key):
            self._keep(before)
        else:  # it stands in its box, and is no step to come back to
            self._put(before)

    def _keep(self, inputs: Inputs) -> None:
        """As what the next step back leads to; what was taken back is not said again after it."""
        before, after = self._steps.setdefault(self.sum.name, ([], []))
        before.append(inputs)
        after.clear()

    def _inputs(self) -> Inputs:
        return dict(self.said.get(self.sum.name, {})), dict(self.where.get(self.sum.name, {}))

    def _put(self, inputs: Inputs) -> None:
        self.said[self.sum.name], self.where[self.sum.name] = inputs

    def _step(self, back: bool) -> None:
        """Take what was said last of this sum back, or say it again."""
        before, after = self._steps.setdefault(self.sum.name, ([], []))
        taken_from, kept_in = (before, after) if back else (after, before)
        if not taken_from:
            self._tell(f"Nothing to {'take back' if back else 'say again'} of this sum.")
            return
        kept_in.append(self._inputs())
        self._put(taken_from.pop())
        self._work()

    def _look_against(self, key: str) -> None:
        self._against = key

    # What is shown

    def _work(self, key: str = "") -> bool:
        """Whether what was said can be; a box that cannot keeps what was typed, and nothing is shown beside it."""
        self.count.setText(f"{len(names())} small sums")
        try:
            self.found = worked(self.sum, self.said.get(self.sum.name, {}))
        except InputError as error:
            self.found = None
            self.drawing.refuse(key or error.key or "", self.said.get(self.sum.name, {}))
            self._tell(f"{error.message[:1].upper()}{error.message[1:]}.")
            self._show_nothing()
            return False
        self._tell("")
        self.drawing.show_worked(self.found, self.where.get(self.sum.name, {}))
        self._show(self.found)
        return True

    def _tell(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def _show_nothing(self) -> None:
        self.value.setText("–")
        self.unit.setText("")
        self.span.setText("")
        self.would.hide()
        clear(self.others)
        self.beside.hide()
        self.sets.show_worked(None)
        self.plot.show_curves([])

    def _show(self, one: Worked) -> None:
        first, told = one.of.results[0], one.results[one.of.results[0].key]
        number, unit = in_words(float(f"{told.value:.4g}"), first.unit)
        self.result.setText(first.words)
        self.would.show()
        self.value.setText(number)
        self.unit.setText(unit)
        low, high = (value_words(float(f"{end:.4g}"), first.unit) for end in (told.low, told.high))
        self.span.setText(f"{low} to {high} in a hundred sets of parts" if told.low < told.high else "")
        clear(self.others)
        for n, result in enumerate(one.of.results[1:]):
            each = one.results[result.key]
            self.others.addWidget(cut_label(result.words, 13, 400, "second"), n, 0)
            self.others.addWidget(label(value_words(float(f"{each.value:.4g}"), result.unit), 13, 700), n, 1)
        self.formula.setText(one.of.formula)
        self.source.setText(f"Source: {one.of.source}.")
        self.sure.setText("To be sure: fit it and measure" if one.of.planned else "No procedure measures this")
        self.plan_it.setEnabled(bool(one.of.planned) and not self.session.read_only)
        self.sets.show_worked(one)
        self._show_against(one)
        self._show_claims(one)

    def _show_claims(self, one: Worked) -> None:
        """On the ruler of what the open unit claims, and what it costs its other claims."""
        unit, judging = self.session.unit, self.session.judging()
        plate = unit.nameplate if unit is not None else None
        judged = judging.run.judged if judging is not None and judging.run is not None else ()
        self.beside.show_them(foreseen(one, plate, judged), costs(one, plate, judged))

    def _show_against(self, one: Worked) -> None:
        (of,) = (i for i in one.of.inputs if i.key == self._against)
        first = one.of.results[0]
        at, found = one.against(of.key)
        (size, unit), (high, high_unit) = _scale(at, of.unit), _scale(found, first.unit)
        # The axis of the result is too short for the longest names: the heading says what it is.
        title = f"{first.words} against {of.words[:1].lower()}{of.words[1:]}"
        self.plot.show_axes(title, of.words, unit, "", high_unit)
        here = Curve("", np.array([one.inputs[of.key] / size]), np.array([one.results[first.key].value / high]),
                     KINDS.get(first.unit, ""))  # fmt: skip
        course = Curve("", np.array(at) / size, np.array(found) / high, KINDS.get(first.unit, ""), marks=False)
        self.plot.show_curves([course, here])

    def take_focus(self) -> None:
        next(iter(self.drawing.places.values())).value.setFocus()

    def restyle(self) -> None:
        self.plot.restyle()
        self.drawing.update()
        super().restyle()


def _scale(values: list[float], unit: str) -> tuple[float, str]:
    """What the numbers of an axis are divided by, and the unit they are then in."""
    largest = max((abs(v) for v in values), default=0.0)
    if not largest:
        return 1.0, in_words(0.0, unit)[1]
    number, words = in_words(largest, unit)
    return largest / float(number), words


def told_in_a_line(one: Worked) -> str:
    """As it stands in the log: inputs, results with their spans, and that it was worked out."""
    inputs = ", ".join(f"{i.words} {value_words(one.inputs[i.key], i.unit)}" for i in one.of.inputs)
    results = []
    for result in one.of.results:
        told = one.results[result.key]
        span = f" ({value_words(told.low, result.unit)} to {value_words(told.high, result.unit)})"
        results.append(f"{result.words} {value_words(told.value, result.unit)}{span if told.low < told.high else ''}")
    return f"Worked out, not measured: {one.of.title}. {inputs}: {'; '.join(results)}. {one.of.formula}"
