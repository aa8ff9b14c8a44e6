"""Plan: which parts, in which order, how long? Everything here comes from the rehearsal."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from html import escape

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from zincsmith.formats.words import counted, duration, end_words, number
from zincsmith.model.address import name_of
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.planning.composer import both_ways, change_to, compose, moved, to_choose, with_part, without
from zincsmith.planning.for_duty import for_duty
from zincsmith.planning.rehearsal import Itinerary, PlannedPoint
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.plan_file import STATIC_GRID, check_plan
from zincsmith.procedures.planning import Planned
from zincsmith.procedures.static_grid.options import GridOptions, with_point
from zincsmith.ui.connection.session import Session
from zincsmith.ui.plan.facts import PlanFacts
from zincsmith.ui.plan.options_form import OptionsForm
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.floating import Message
from zincsmith.ui.widgets.itinerary import ItineraryView, scrolled
from zincsmith.ui.widgets.operating_map import Cell, Key, OperatingMap
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.rating_edit import RatingEdit
from zincsmith.ui.widgets.routines import Routines

SHOWN = ("input_power", "input_current", "output_voltage", "output_current", "case_temperature")


class PlanStation(Station):
    """Itinerary on the left; the chosen part with its points, options, watches and cautions on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._itinerary: Itinerary | None = None
        self._point, self._part = 1, 0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Plan")
        self.summary = label("", 13)
        row.addWidget(self.summary)
        row.addStretch()
        self.routines = Routines()
        self.routines.planned.connect(self._take_routine)
        self.routines.said.connect(self._say)
        row.addWidget(self.routines)
        self.rehearsed = label("", 13, 400, "second")
        row.addWidget(self.rehearsed)
        self.to_run = button("Go to Run  Ctrl+Enter", "main")
        self.to_run.setShortcut("Ctrl+Return")
        self.to_run.clicked.connect(lambda: self.go.emit("Run"))
        row.addWidget(self.to_run)
        outer.addLayout(row)
        self.problem = Message(self)
        columns = QHBoxLayout()
        columns.setSpacing(12)
        outer.addLayout(columns, 1)
        columns.addWidget(self._itinerary_panel())
        right = QVBoxLayout()
        right.setSpacing(9)
        columns.addLayout(right, 1)
        right.addWidget(self._part_panel(), 10)
        self.facts = PlanFacts()
        right.addWidget(self.facts, 12)

    def _itinerary_panel(self) -> Panel:
        panel = Panel("Itinerary", "in the order of the work, to scale")
        self.time = label("", 21, 700)
        panel.head.addWidget(self.time)
        self.ends = label("", 13, 400, "second")
        panel.body.addWidget(self.ends)
        self.view = ItineraryView()
        self.view.chosen.connect(self.choose_stage)
        self.view.dragged.connect(self._drag)
        panel.body.addWidget(scrolled(self.view), 1)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.full = button("Full plan")
        self.full.clicked.connect(self._compose)
        self.grid_only = button("Grid only")
        self.grid_only.clicked.connect(lambda: self._store(STATIC_GRID, "the static grid alone"))
        self.up, self.down, self.drop = button("Up"), button("Down"), button("Drop part")
        self.up.clicked.connect(lambda: self._move(-1))
        self.down.clicked.connect(lambda: self._move(1))
        self.drop.clicked.connect(self._drop)
        for keys, by in (("Alt+Up", -1), ("Alt+Down", 1)):
            QShortcut(QKeySequence(keys), self).activated.connect(lambda by=by: self._move(by))
        for keys, back in (("Ctrl+Z", True), ("Ctrl+Shift+Z", False)):
            QShortcut(QKeySequence(keys), self).activated.connect(lambda back=back: self._step(back))
        self.add = Deed()
        self.add.setAccessibleName("Add a part")
        self.add.activated.connect(self._add)
        for widget in (self.full, self.grid_only, self.up, self.down, self.drop):
            widget.setStyleSheet("padding-left: 7px; padding-right: 7px")
            row.addWidget(widget)
        row.addWidget(self.add, 1)
        panel.body.addLayout(row)
        self.refusal = label("", 13, 400, "problem", wrap=True)
        self.refusal.hide()
        panel.body.addWidget(self.refusal)
        panel.setFixedWidth(460)
        return panel

    def _part_panel(self) -> Panel:
        self.part_panel = Panel("Static grid", "")
        body = QHBoxLayout()
        body.setSpacing(20)
        left = QVBoxLayout()
        self.map = OperatingMap()
        self.map.setMinimumHeight(128)
        self.map.chosen.connect(self._choose_point)
        self.map.toggled.connect(self._toggle)
        left.addWidget(self.map, 1)
        hint = "click or arrows choose a point; Space or a double click drops it and adds it again, a drag a whole row"
        self.map_hint = label(hint, 12, 400, "second", wrap=True)
        left.addWidget(self.map_hint)
        self.new_point = RatingEdit()
        self.new_point.setFont(font(13))
        self.new_point.setPlaceholderText("Add a point: V Hz %, such as 115 60 33, then Enter")
        self.new_point.setAccessibleName("Add a point: volts, hertz, load in percent")
        self.new_point.returnPressed.connect(self._new_point)
        left.addWidget(self.new_point)
        self.stages = label("", 14, wrap=True, rich=True)
        self.stages.setTextFormat(Qt.TextFormat.RichText)
        left.addWidget(self.stages)
        left.addStretch()
        body.addLayout(left, 5)
        self.options = OptionsForm()
        self.options.changed.connect(self._change_part)
        body.addWidget(self.options, 3)
        self.part_panel.body.addLayout(body, 1)
        self.expected = label("", 13, wrap=True, rich=True)
        self.expected.setTextFormat(Qt.TextFormat.RichText)
        self.part_panel.body.addWidget(self.expected)
        return self.part_panel

    # Showing

    def refresh(self) -> None:
        found = self.session.ahead.itinerary()
        locked = bool(self.session.read_only) or self.session.view.active
        self.routines.unit, self.routines.rig = self.session.unit, self.session.rig
        self.routines.plan = self.session.plan
        for widget in (self.full, self.grid_only, self.up, self.down, self.drop, self.add, self.routines):
            widget.setEnabled(not locked and self.session.unit is not None and self.session.rig is not None)
        if isinstance(found, str):
            self._itinerary = None
            self.problem.setText(found)
            self.summary.setText("nothing to rehearse")
            self.rehearsed.setText("")
            self.to_run.setEnabled(False)
            self.view.show_itinerary(None)
            self._part = min(self._part, len(self.session.plan.parts) - 1)
            self.options.show_part(self.session.plan.parts[self._part], locked)
            return
        self.problem.setText("")
        self.to_run.setEnabled(True)
        if found is self._itinerary and not self.refusal.isVisible():
            self._show_part(locked)
            return
        self._itinerary = found
        self._part = min(self._part, len(self.session.plan.parts) - 1)
        typed = counted(found.typed, "reading") + " to type" if found.typed else "nothing to type"
        by_hand = sum(s.by_hand for s in found.stages)
        hands = f", {counted(by_hand, 'setting')} by hand" if by_hand else ""
        stages, gates = counted(len(found.stages), "stage"), counted(found.gates, "gate")
        then = f"; then {', '.join(self.session.plan.then_units)}" if self.session.plan.then_units else ""
        self.summary.setText(f"{stages}, {gates}, {counted(len(found.points), 'point')}, {typed}{hands}{then}")
        self.rehearsed.setText("Rehearsed: stays inside every limit")
        self.time.setText(duration(found.likely_s))
        least, most = duration(found.least_s), duration(found.most_s)
        self.ends.setText(f"{least} to {most}; started now, it {end_words(found.likely_s)}; {found.energy_Wh:.0f} Wh")
        self.view.show_itinerary(found)
        self.facts.show_cautions(found.cautions)
        self.facts.show_untested(self.session.unit, self.session.plan)
        self._offer()
        self._show_part(locked)

    def _offer(self) -> None:
        """The parts of a full plan that this one has not."""
        self.add.clear()
        self.add.addItem("Add…", None)
        unit, rig = self.session.unit, self.session.rig
        if unit is None or rig is None:
            return
        try:
            full, left = compose(unit, rig, self._beyond())
        except InputError:
            return
        have = {_same(p) for p in self.session.plan.parts}
        for part in full.parts:
            if _same(part) not in have:
                self.add.addItem(part_title(part), part)
        change = change_to()
        with suppress(InputError):  # the plan has a change already, or no work to be done twice
            both_ways(self.session.plan, change)
            self.add.addItem("The same again in another configuration", change)
        self._offer_units()
        beyond = {one.part.procedure: one for one in to_choose(unit, rig)}
        for one in (x for name, x in beyond.items() if name not in {p.procedure for p in self.session.plan.parts}):
            self.add.addItem(f"{part_title(one.part)}, {one.price}: {one.risk}", one.part)
        for out in (x for x in left if x.procedure not in beyond):
            self.add.addItem(f"{out.procedure}: {out.why}", None)

    def _offer_units(self) -> None:
        queue = self.session.plan.then_units
        for row in self.session.units():
            if row.key != self.session.unit_key and row.key not in queue:
                self.add.addItem(f"Then the same for {row.key}", row.key)
        if queue:
            self.add.addItem("No further unit afterwards", "")

    def _beyond(self) -> list[str]:
        """What the plan has that only a person puts in: a plan composed anew keeps it."""
        return [p.procedure for p in self.session.plan.parts if isinstance(p, Planned) and p.chosen_only]

    def _show_part(self, locked: bool) -> None:
        found = self._itinerary
        if found is None:
            return
        part = self.session.plan.parts[self._part]
        one = procedure(part.procedure)
        mine = [s for s in found.stages if s.part == self._part]
        self.part_panel.heading.setText(part_title(part))
        self.part_panel.remark.setText(one.serves)
        self.view.choose({n for n, s in enumerate(found.stages) if s.part == self._part})
        grid = isinstance(part, GridOptions)
        self.map.setVisible(grid)
        self.map_hint.setVisible(grid)
        self.new_point.setVisible(grid)
        self.new_point.setEnabled(not locked)
        self.expected.setVisible(grid)
        self.stages.setVisible(not grid)
        self.options.show_part(part, locked)
        self.facts.show_watches(found, self._part)
        if isinstance(part, GridOptions):
            self._map(found, part)
            self._choose_point(self._point)
            return
        rows = []
        for stage in mine:
            gates = "a gate; " if stage.gates else ""
            points = f"{counted(len(stage.points), 'point')}; " if stage.points else ""
            rows.append(
                f"<p style='margin:0 0 6px 0'><b>{escape(stage.title)}</b>, {escape(stage.detail)}: {gates}{points}"
                f"{_live_words(stage.energised)}; {duration(stage.seconds)}</p>"
            )
            rows += [
                f"<p style='margin:0 0 6px 14px'><b>{escape(c.title)}.</b> {escape(c.text)}</p>" for c in stage.confirms
            ]
        self.stages.setText("".join(rows))

    def _map(self, found: Itinerary, part: GridOptions) -> None:
        points = [p for p in found.points if p.part == self._part]
        numbers = {_key(p): (p.number, p) for p in points if p.at.graded}
        cells: dict[Key, Cell] = {}
        for line in part.lines:
            for load in part.loads_percent:
                key = (line.voltage_V, line.frequency_Hz, load)
                planned = numbers.get(key)
                if planned is None:
                    cells[key] = Cell("", number=-len(cells) - 1, dropped=True)
                else:
                    cells[key] = Cell(str(planned[0]), underlined=bool(planned[1].typed), number=planned[0])
        self.map.show_grid(cells, current={p.at.load_percent: p.load_A for p in points})

    # Choosing and changing

    def choose_stage(self, stage: int) -> None:
        """Open the part that a stage of the itinerary belongs to."""
        if self._itinerary is not None:
            self._part = self._itinerary.stages[stage].part
            self._say("")
            self._show_part(bool(self.session.read_only) or self.session.view.active)

    def _choose_point(self, point: int) -> None:
        if self._itinerary is None:
            return
        points = [p for p in self._itinerary.points if p.part == self._part]
        if point < 0 or not points:
            self.map.choose(point)
            self.expected.setText("This point is left out. Space adds it again.")
            return
        one = min(points, key=lambda p: abs(p.number - point))  # the numbers are those of the run
        self._point = one.number
        self.map.choose(self._point)
        self.expected.setText(_expected_words(self._point, one))

    def _toggle(self, keys: list[Key]) -> None:
        part = self.session.plan.parts[self._part]
        if not isinstance(part, GridOptions) or self.session.view.active or self.session.read_only:
            return
        add = keys[0] in part.dropped
        dropped = tuple(k for k in part.dropped if k not in keys) if add else (*part.dropped, *keys)
        if len(dropped) >= len(part.lines) * len(part.loads_percent):
            self._say("at least one point stays in the plan")
            return
        self._change_part(replace(part, dropped=dropped))

    def _new_point(self) -> None:
        part = self.session.plan.parts[self._part]
        if not isinstance(part, GridOptions):
            return
        try:
            volts, hertz, load = (float(w) for w in self.new_point.text().replace("%", " ").split())
        except ValueError:
            self._say(f"{self.new_point.text()!r} is no point: volts, hertz and load in percent, such as 115 60 33")
            return
        part = with_point(part, Line(volts, hertz), load)
        try:
            check_plan(Plan("", (part,)))
        except InputError as error:
            self._say(error.message)
            return
        self.new_point.clear()
        self._change_part(part)

    def _change_part(self, part: Options) -> None:
        parts = list(self.session.plan.parts)
        parts[self._part] = part
        self._store(replace(self.session.plan, parts=tuple(parts)), f"{part_title(part)} edited")

    def _compose(self) -> None:
        if self.session.unit is None or self.session.rig is None:
            return
        try:
            plan, _ = compose(self.session.unit, self.session.rig, self._beyond())
        except InputError as error:
            self._say(error.message)
            return
        self._part = 0
        plan = for_duty(plan, self.session.unit.nameplate, self.session.feeding())
        self._store(plan, "composed from claims, unit, rig and what it must feed")

    def _take_routine(self, plan: Plan, why: str) -> None:
        self._part = 0
        self._store(plan, why)

    def _drag(self, part: int, to: int) -> None:
        if self.up.isEnabled():
            self._part = part
            self._move(to - part)

    def _move(self, by: int) -> None:
        try:
            plan = moved(self.session.plan, self._part, by)
        except InputError as error:
            self._say(error.message)
            return
        self._part += by
        self._store(plan, "a part moved")

    def _drop(self) -> None:
        try:
            plan = without(self.session.plan, self._part)
        except InputError as error:
            self._say(error.message)
            return
        self._part = max(0, self._part - 1)
        self._store(plan, "a part dropped")

    def _add(self, at: int) -> None:
        part = self.add.itemData(at)
        if isinstance(part, str):
            queue = (*self.session.plan.then_units, part) if part else ()
            self._store(replace(self.session.plan, then_units=queue), "the units that follow")
        elif part is not None:
            plan = (both_ways if part.becomes else with_part)(self.session.plan, part)
            self._part = plan.parts.index(part)
            self._store(plan, "a part added")

    def _store(self, plan: Plan, why: str) -> None:
        self._say("")
        self.session.revise_plan(plan, why)

    def _step(self, back: bool) -> None:
        """Take the last change of the plan back, or make it again."""
        if not self.full.isEnabled():
            return
        if not self.session.unwritten and not self.session.steps("plan")[0 if back else 1]:
            self._say(f"nothing to {'take back' if back else 'make again'}")
            return
        self._say("")
        (self.session.undo if back else self.session.redo)("plan")

    def _say(self, why: str) -> None:
        self.refusal.setText(f"{why[:1].upper()}{why[1:]}.".replace("..", ".") if why else "")
        self.refusal.setVisible(bool(why))

    def take_focus(self) -> None:
        self.to_run.setFocus()


def part_title(part: Options) -> str:
    """A part in words: its procedure, and which of several."""
    title = procedure(part.procedure).title
    when = {"before": "before", "live": "live", "after": "after"}.get(getattr(part, "when", ""), "")
    if getattr(part, "restore", False):
        return "Discharge and restore"
    return f"{title}, {when}" if when else title


def _same(part: Options) -> tuple[str, str, bool]:
    return part.procedure, getattr(part, "when", ""), getattr(part, "restore", False)


def _live_words(energised: str) -> str:
    return {"nothing": "nothing is live", "input": "the input is live", "input and load": "input and load are live"}[
        energised
    ]


def _key(point: PlannedPoint) -> Key:
    return point.at.line_V, point.at.frequency_Hz, point.at.load_percent


def _expected_words(at: int, point: PlannedPoint) -> str:
    parts = []
    for name in (a for shown in SHOWN for a in point.expected if name_of(a) == shown):
        info, value = QUANTITIES[name], point.expected[name].value
        unit = {"degC": "°C"}.get(info.unit, info.unit)
        decimals = 1 if info.kind in ("power", "temperature") else 2
        hue = theme().text_of(info.kind).name()
        words = info.inside
        parts.append(f"{words} <b><span style='color:{hue}'>{number(value, decimals)}&nbsp;{unit}</span></b>")
    typed = f"; you type {', '.join(QUANTITIES[q].inside for q in point.typed)}" if point.typed else ""
    where = f"{point.at.line_V:g} V {point.at.frequency_Hz:g} Hz, {point.at.load_percent:g} %"
    return f"<b>Point {at}</b>, {where}, expected from the plate: {', '.join(parts)}{typed}"
