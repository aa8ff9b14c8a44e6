"""The dashboard of a run under way: now, next, time left; figures; map; curve; the person's turn."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPoint, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QStackedWidget, QVBoxLayout, QWidget

from zincsmith.formats.words import counted, duration
from zincsmith.history.run_view import RunView
from zincsmith.model.address import at_port, ports_in
from zincsmith.model.fed import as_fed
from zincsmith.model.finding import Doubt
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import Itinerary, PlannedPoint
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.plotting import by_line
from zincsmith.procedures.static_grid.plots import efficiency, percent
from zincsmith.procedures.static_grid.steps import NAME as GRID
from zincsmith.showing.curves import all_curves
from zincsmith.showing.live import further_figures, live_figures, picked_figures
from zincsmith.ui.captures_shown import fetch_from, shown_of
from zincsmith.ui.connection.session import Session
from zincsmith.ui.picked import keep_picked, picked_before
from zincsmith.ui.widgets.entry_sheet import EntryRow, EntrySheet
from zincsmith.ui.widgets.figures import Figures
from zincsmith.ui.widgets.operating_map import Cell, OperatingMap
from zincsmith.ui.widgets.panel import Panel, button, label
from zincsmith.ui.widgets.plot import Curve, Plot, drawn
from zincsmith.ui.widgets.strip_chart import StripChart
from zincsmith.ui.widgets.tape import Tape
from zincsmith.ui.widgets.trace_view import TraceView
from zincsmith.ui.widgets.your_turn import YourTurn

MOST_FIGURES = 8
EFFICIENCY = ("Efficiency against load", "output", "A", "efficiency", "%")


class Dashboard(QWidget):
    """Refreshed with every batch of events; what did not change is not drawn again.

    Signals: ``repeat`` and ``keep`` carry the number of the point that raised the last doubt.
    """

    repeat = Signal(int)
    keep = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._points_drawn: tuple[int | None, int, int, int, int, int] = (None, 0, -1, 0, 0, 0)
        self._doubted: dict[int, tuple[Point, list[Doubt]]] = {}
        grid = self._grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(9)
        grid.addWidget(self._heads(), 0, 0, 1, 3)
        figures = Panel()
        figures.body.setContentsMargins(0, 0, 0, 0)
        self.figures = Figures()
        figures.body.addWidget(self.figures)
        self.picked: list[str] = picked_before()
        self.figures.picks.connect(self._pick)
        grid.addWidget(figures, 1, 0, 1, 2)
        strip = self._live = Panel("Live", "")
        self.strip = StripChart()
        self.strip.spanned.connect(
            lambda s: strip.remark.setText(
                f"last {duration(s)} of bench time; drag the band; arrows move it, Up shows more"
            )
        )
        self.strip.spanned.emit(self.strip.span_s)
        strip.body.addWidget(self.strip, 1)
        grid.addWidget(strip, 2, 0, 1, 2)
        map_panel = self._map_panel = Panel("Operating map", "shade: efficiency, %")
        self.map = OperatingMap()
        map_panel.body.addWidget(self.map, 1)
        grid.addWidget(map_panel, 3, 0)
        plot_panel = self._plot_panel = Panel()
        self.plot, self.trace, self.sheet = Plot(*EFFICIENCY, tools=False), TraceView(), EntrySheet()
        self.trace.said.connect(session.send)
        self.pictures = QStackedWidget()
        for picture in (self.plot, self.trace, self.sheet):
            self.pictures.addWidget(picture)
        plot_panel.body.addWidget(self.pictures, 1)
        grid.addWidget(plot_panel, 3, 1)
        self.your_turn = YourTurn()
        grid.addWidget(self.your_turn, 1, 2, 2, 1)
        self._doubtful = 0  # the point that raised the last doubt
        self._lay_out_doubts()
        grid.addWidget(self.doubts, 3, 2)
        self._panels = (figures, strip, map_panel, plot_panel, self.doubts)
        self.trace.enlarge.connect(self.enlarge)
        self._enlarged = False
        for column, stretch in enumerate((10, 10, 12)):
            grid.setColumnStretch(column, stretch)
        self._place()

    def _lay_out_doubts(self) -> None:
        self.doubts = Panel("Doubts", "")
        self.doubt_text = label("", 13, wrap=True)
        self.doubts.body.addWidget(self.doubt_text)
        self.doubts.body.addStretch()
        answers = QHBoxLayout()
        self.again, self.kept = button("Repeat it"), button("Keep it, say why…")
        self.again.clicked.connect(lambda: self.repeat.emit(self._doubtful))
        self.kept.clicked.connect(lambda: self.keep.emit(self._doubtful))
        for widget in (self.again, self.kept):
            answers.addWidget(widget)
            widget.hide()
        answers.addStretch()
        self.doubts.body.addLayout(answers)

    def enlarge(self) -> None:
        """What is looked at takes the room of the others, the capture that landed or else what is live; the same again
        gives it back."""
        self._enlarged = not self._enlarged
        kept = self._plot_panel if self.pictures.currentWidget() is self.trace else self._live
        for panel in self._panels:
            panel.setVisible(not self._enlarged or panel is kept)
        if self._enlarged:
            self._grid.addWidget(kept, 1, 0, 3, 2)
        else:
            self._place()

    def _place(self) -> None:
        """Everything where it belongs; where a capture has landed, the room of the map is its own, and more."""
        if self._enlarged:
            return
        captured = self.pictures.currentWidget() is not self.plot
        filled = self.pictures.currentWidget() is self.sheet  # a sheet that is filled takes the room of what is live
        self._map_panel.setVisible(not captured)
        self._live.setVisible(not filled)
        self._grid.addWidget(self._live, 2, 0, 1, 2)
        top, rows = (2, 2) if filled else (3, 1)
        self._grid.addWidget(self._plot_panel, top, 0 if captured else 1, rows, 2 if captured else 1)
        for row, stretch in ((1, 3), (2, 3), (3, 6 if captured else 3)):
            self._grid.setRowStretch(row, stretch)

    def _heads(self) -> Panel:
        panel = Panel()
        row = QHBoxLayout()
        row.setSpacing(24)
        self.heads = {}
        for name in ("NOW", "NEXT", "TIME LEFT"):
            column = QVBoxLayout()
            column.setSpacing(1)
            big, small = label("", 22, 700), label("", 13, 400, "second")
            for widget in (label(name, 12, 400, "second"), big, small):
                column.addWidget(widget)
            self.heads[name] = (big, small)
            row.addLayout(column, 1)
        panel.body.addLayout(row)
        self.tape = Tape()
        panel.body.addWidget(self.tape)
        panel.body.setSpacing(2)
        panel.setMinimumHeight(112)
        return panel

    def _pick(self, at: QPoint) -> None:
        """A menu of all figures; up to eight of them fill the panel, in their order."""
        rig, now = self.session.rig, self.session.view.now
        words = [f.words for f in (*live_figures(now, rig), *further_figures(now, rig))]
        shown = self.picked or words[:MOST_FIGURES]
        menu = QMenu(self)
        menu.setAccessibleName("Figures of the Run screen")
        for one in words:
            action = menu.addAction(one)
            action.setCheckable(True)
            action.setChecked(one in shown)
            action.setEnabled(one in shown or len(shown) < MOST_FIGURES)
            action.toggled.connect(lambda on, w=one: self._choose_figures(words, w, on))
        usual = menu.addAction("The usual eight")
        usual.triggered.connect(lambda: self._keep([]))
        menu.popup(at)

    def _choose_figures(self, words: list[str], one: str, on: bool) -> None:
        shown = set(self.picked or words[:MOST_FIGURES])
        shown = shown | {one} if on else shown - {one}
        if shown:
            self._keep([w for w in words if w in shown])

    def _keep(self, picked: list[str]) -> None:
        self.picked = picked
        keep_picked(picked)
        self.refresh()

    def refresh(self) -> None:
        view, itinerary = self.session.view, self.session.ahead.itinerary()
        if isinstance(itinerary, str):
            return
        self._show_heads(itinerary)
        rig = self.session.rig
        self.figures.show_figures(picked_figures(view.now, rig, self.picked))
        self.strip.show_history(view.history)
        takes = sum(p.take for p in view.points)
        seen = (view.run, view.part, len(view.points), takes, len(view.rejected), len(view.corrected))
        if seen != self._points_drawn:
            self._points_drawn = seen
            self._show_points(view.points, itinerary)
            self.your_turn.show_entries(view.entries, {k: e.first for k, e in view.corrected.items()})
        grid, taken = itinerary.of(GRID), _grid_number(view, itinerary)
        self._show_capture(itinerary)
        self.map.choose(grid[taken].number if taken < len(grid) else 0)
        if view.asked is not None:
            if self.session.unit is not None:
                self.your_turn.terminals = terminals(self.session.unit, self.session.rig)
            self.your_turn.ask(view.asked, view.asked_n, view.refused)
        else:
            self.your_turn.rest(*self._resting(itinerary))

    def _show_heads(self, itinerary: Itinerary) -> None:
        view = self.session.view
        now, following = now_next(view, itinerary)
        if self.session.state is State.PAUSED:
            doing = f"PAUSED: {view.state_why}"
        else:
            doing = "waits for your reading" if view.asked is not None else _doing(view)
        elapsed = itinerary.elapsed(view.stages_begun, view.stage_points, view.bench_s - view.stage_began_s)
        left = max(0.0, itinerary.likely_s - elapsed)
        rig = self.session.rig
        pace = rig.standin.pace if rig and rig.standin else 0.0
        about = f"about {duration(left / pace)} at {pace:g} times the pace" if pace else "of bench time"
        gate = _next_gate(view, itinerary)
        if view.beyond is not None:
            now, following, gate = _beyond(view.beyond)
        for name, big, small in (
            ("NOW", now, doing),
            ("NEXT", following, gate),
            ("TIME LEFT", *self._left(itinerary, duration(left), about)),
        ):
            self.heads[name][0].setText(big)
            self.heads[name][1].setText(small)
        self.tape.show_progress(itinerary, elapsed)

    def _left(self, itinerary: Itinerary, left: str, about: str) -> tuple[str, str]:
        """How long it goes on; where everything is by hand the person sets the pace, and entries are counted."""
        rig, view = self.session.rig, self.session.view
        if rig is None or any(one.how != "by hand" for one in rig.instruments):
            return left, about
        typed = itinerary.typed - len({reading.id for _, reading in view.entries})
        return counted(max(0, typed), "reading"), "left to type"

    def _resting(self, itinerary: Itinerary) -> tuple[str, str, str]:
        """(kicker, title, text) while nobody is asked: paused, or when the next turn comes."""
        view = self.session.view
        if self.session.state is State.PAUSED:
            why = f"{view.state_why[:1].upper()}{view.state_why[1:]}. Watches go on."
            return "PAUSED", "Resume with F9", why
        if self.session.state is State.MAKING_SAFE:
            rig = self.session.rig
            bleeds = rig is not None and not rig.by_hand("load")
            words = "Source off, the output is bled, load off" if bleeds else "Source off, load off"
            return "MAKING SAFE", "Hands off", f"{words}; each step is recorded with how it is known."
        typed = next((p for p in itinerary.points if p.typed and p.number > len(view.points)), None)
        if typed is None:
            return "HANDS FREE", "Nothing to type now", "No more readings to type in this run."
        return "HANDS FREE", "Nothing to type now", f"Your next turn: point {typed.number}, {_point_words(typed)}."

    def _show_points(self, points: list[Point], itinerary: Itinerary) -> None:
        planned = [p for p in itinerary.of(GRID) if p.at.graded]
        grid = [p for p in points if _is_grid(p, itinerary) and p.at.graded]
        taken = {_key(p.at): p for p in grid}
        etas = {key: e for key, p in taken.items() if (e := efficiency(p)) is not None}
        low, high = (min(etas.values()), max(etas.values())) if etas else (0.0, 1.0)
        cells = {}
        out = {_key(p.at) for p in self.session.view.rejected.values() if _is_grid(p, itinerary)}
        for one in planned:
            key, at = _key(one.at), one.number
            eta, done = etas.get(key), key in taken
            text = f"{100 * eta:.1f}" if eta is not None else "done" if done else str(at)
            share = None if eta is None else (eta - low) / (high - low or 1.0)
            doubtful = done and bool(self._doubts_of(taken[key], itinerary))
            shade = share if not done or eta is not None else 0.0
            cells[key] = Cell(text, shade, bool(one.typed), at, doubtful, rejected=key in out)
        self.map.show_grid(cells, {}, "efficiency")
        self._show_plot(points, itinerary, [*_rehearsed(planned), *efficiency_curves(grid)])
        self._show_doubts(points, itinerary)

    def _show_plot(self, points: list[Point], itinerary: Itinerary, efficiency: list[Curve]) -> None:
        """The plot that belongs to the procedure under way, as soon as it has two points; else the efficiency."""
        part = self.session.view.part
        under_way = itinerary.procedures[part] if part < len(itinerary.procedures) else GRID
        evidence = Evidence(tuple(points), False, procedures=itinerary.procedures)
        own = next((c for c in all_curves(evidence) if c.procedure == under_way), None) if under_way != GRID else None
        title, axes = EFFICIENCY[0], EFFICIENCY[1:]
        if own is not None:
            title, axes = own.title, (own.x, own.x_unit, own.y, own.y_unit)
        if title != self.plot.title:
            self.plot.show_axes(title, *axes)
        self.plot.show_curves(efficiency if own is None else drawn(own))

    def _show_capture(self, itinerary: Itinerary) -> None:
        """The latest capture of the procedure under way, as it lands; the marks come when it is judged."""
        view = self.session.view
        point = next((p for p in reversed(view.points) if p.captures and p.captures[0].channels), None)
        here = point is not None and point.part == view.part and view.run is not None
        rows = self._to_type(itinerary)
        filled = not here and view.active and self.sheet.wanted(rows)
        wanted = self.trace if here else self.sheet if filled else self.plot
        if filled:
            self.sheet.show_rows(rows, self._asked_cell(rows))
        if self.pictures.currentWidget() is not wanted:
            self.pictures.setCurrentWidget(wanted)
            self._place()
        if point is None or view.run is None or not here:
            return
        found = self.session.judging()
        run = found.run if found is not None and found.run is not None and found.run.row.id == view.run else None
        shown = shown_of(point, 0, view.run, run)
        before = self.trace.shown
        if before is None or before.capture != shown.capture or (run is not None and before != shown):
            self.trace.show_capture(shown, fetch_from(self.session))

    def _to_type(self, itinerary: Itinerary) -> list[EntryRow]:
        """The points of the part under way that something is typed at, with what was typed by now."""
        view = self.session.view
        taken = {p.number: p for p in view.points}
        coming = len(view.points) + 1
        kept = {reading.id for point in view.points for reading in point.readings}
        fresh = {r.address: r for _, r in view.entries if r.id not in kept}
        mine = [p for p in itinerary.points if p.part == view.part and p.typed]
        one_line = len({p.at.line for p in mine}) == 1
        rows = []
        for planned in mine:
            point = taken.get(planned.number)
            read = {r.address: r for r in point.readings} if point is not None else {}
            read = fresh if planned.number == coming else read
            told = {a: f"{r.value:g}" for a, r in read.items() if a in planned.typed and r.value is not None}
            doubtful = point is not None and bool(self._doubts_of(point, itinerary))
            at = replace(planned.at, feeds=()) if one_line and planned.at.draws else planned.at
            words = at.words.replace(" load", "") or "background"
            rows.append(EntryRow(planned.number, words, planned.typed, told, doubtful))
        return rows

    def _asked_cell(self, rows: list[EntryRow]) -> tuple[int, str] | None:
        view = self.session.view
        coming = len(view.points) + 1
        if view.asked is None or not any(row.number == coming for row in rows):
            return None
        return coming, view.asked.quantity

    def _doubts_of(self, point: Point, itinerary: Itinerary) -> list[Doubt]:
        """Worked out once for each point: it never changes, and a long run has many."""
        kept, found = self._doubted.get(point.number, (None, []))
        if kept is not point:
            found = procedure(itinerary.procedures[point.part]).doubts(point)
            self._doubted[point.number] = point, found
        return found

    def _show_doubts(self, points: list[Point], itinerary: Itinerary) -> None:
        of = {d: p for p in points for d in self._doubts_of(p, itinerary)}
        found = list(of)
        self.doubts.remark.setText(f"{len(found)}" if found else "none so far")
        text = "\n\n".join(f"{d.text} {d.remedy}" for d in found[-2:])
        self.again.setVisible(bool(found))
        self.kept.setVisible(bool(found))
        if found:
            self._doubtful = of[found[-1]].number
            planned = next((p for p in itinerary.points if p.number == self._doubtful), None)
            price = f", adds {duration(planned.seconds)}" if planned is not None else ""
            self.again.setText(f"Repeat point {self._doubtful}{price}")
        self.doubt_text.setText(text or "Doubts appear here as soon as a point raises one.")
        name = "doubt" if found else "paper"
        if self.doubts.objectName() != name:
            self.doubts.setObjectName(name)
            self.doubts.style().unpolish(self.doubts)
            self.doubts.style().polish(self.doubts)

    def restyle(self) -> None:
        self.plot.restyle()
        self.trace.restyle()
        self.strip.restyle()
        self._points_drawn = (None, 0, -1, 0, 0, 0)


def terminals(unit: Unit, rig: Rig | None = None) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The names of the terminals of input and first output, the upper one of the drawing first."""
    inputs = (unit if rig is None else as_fed(unit, rig)).nameplate.inputs
    dc_in = bool(inputs) and inputs[0].type == "dc"
    marks = {x.polarity: f"{x.name} {x.polarity}" for x in unit.terminals if x.polarity in ("+", "-", "0")}
    return ("+", "-") if dc_in else ("L", "N"), (marks.get("+", "+"), marks.get("-") or marks.get("0", "-"))


def efficiency_curves(points: list[Point]) -> list[Curve]:
    """Efficiency against output current, one curve a line, told apart by dash."""
    return [
        Curve(name, np.array(x), np.array(y), "efficiency", dash % 4)
        for dash, (name, x, y) in enumerate(by_line(points, percent))
    ]


def _expected_W(planned: PlannedPoint) -> float:
    """The output watts of all outputs that the rehearsal expects."""
    both = ("output_voltage", "output_current")
    return sum(
        abs(math.prod(planned.expected[at_port(name, port)].value for name in both))
        for port in ports_in(planned.expected, both[0])
    )


def _rehearsed(planned: list[PlannedPoint]) -> list[Curve]:
    """The curve the rehearsal expects, so that the first points have something to be held against."""
    if not planned:
        return []
    first = planned[0].at.line_V
    rows = sorted(
        (p.load_A, 100.0 * _expected_W(p) / p.expected["input_power"].value)
        for p in planned
        if p.at.line_V == first and p.load_A > 0.0
    )
    if not rows:
        return []
    x, y = np.array(rows).T
    return [Curve("as rehearsed", x, y, "rehearsed", 0, marks=False, anchor=(0.0, 0.0), named_at=len(x) // 3)]


def _key(at: OperatingPoint) -> tuple[float, float, float]:
    return at.line_V, at.frequency_Hz, at.load_percent


def _is_grid(point: Point, itinerary: Itinerary) -> bool:
    return point.part < len(itinerary.procedures) and itinerary.procedures[point.part] == GRID


def _grid_number(view: RunView, itinerary: Itinerary) -> int:
    """How many points of the grid were taken."""
    return sum(_is_grid(p, itinerary) for p in view.points)


def _point_words(point: PlannedPoint) -> str:
    at = point.at
    return f"{at.line_V:g} V, {at.load_percent:g} % load" if at.loaded else "background"


def now_next(view: RunView, itinerary: Itinerary) -> tuple[str, str]:
    """What is under way and what follows: points within the grid, stages elsewhere."""
    stages = itinerary.stages
    following = stages[view.stages_begun] if view.stages_begun < len(stages) else None
    after = f"{following.title}, {following.detail}" if following is not None else "make safe"
    if view.stage != "Grid":
        points = itinerary.of(GRID)
        if view.stage == "Warm-up" and points:
            return "Warm-up", _point_words(points[0])
        return view.stage or "starting", after
    points, taken = itinerary.of(GRID), _grid_number(view, itinerary)
    now = _point_words(points[min(taken, len(points) - 1)])
    return now, _point_words(points[taken + 1]) if taken + 1 < len(points) else after


def _beyond(set_to: Mapping[str, float | str | bool | None]) -> tuple[str, str, str]:
    """Beyond the rating: what is drawn, the next step, and where it ends and by whose limit."""
    after = set_to.get("next_A")
    following = f"{after:.4g} A if it holds" if isinstance(after, float) else "back to half its rating"
    ceiling = f"ceiling {set_to['ceiling_A']:.4g} A: {set_to['ceiling_by']}"
    return f"{set_to['current_A']:.4g} A, beyond its rating", following, ceiling


def _next_gate(view: RunView, itinerary: Itinerary) -> str:
    gate = next((s for s in itinerary.stages[view.stages_begun :] if s.gates), None)
    return "sets itself; no gate is left" if gate is None else f"sets itself; next gate: {gate.title}"


def _doing(view: RunView) -> str:
    if view.state == "making safe":
        return "making safe"
    if view.stage == "Warm-up":
        current = view.near.get("output_current")
        flows = f"{current:.2f} A drawn" if current is not None else "load on"
        return f"{flows if view.load_on else 'the load is off yet'}, until it is warm"
    return "sets, settles, averages" if view.stage == "Grid" else view.stage_detail
