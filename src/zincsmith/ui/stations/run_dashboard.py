"""The dashboard of a run under way: now, next, time left; figures; map; curve; the person's turn."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.engine.rehearsal import Itinerary, PlannedPoint
from zincsmith.judge.curves import efficiency_by_line
from zincsmith.judge.live import live_figures, point_efficiency
from zincsmith.judge.words import duration
from zincsmith.model.finding import Doubt
from zincsmith.model.reading import Point
from zincsmith.procedures.point_doubts import point_doubts
from zincsmith.ui.session import Session
from zincsmith.ui.widgets.figures import Figure, Figures
from zincsmith.ui.widgets.operating_map import Cell, OperatingMap
from zincsmith.ui.widgets.panel import Panel, label
from zincsmith.ui.widgets.plot import Curve, Plot
from zincsmith.ui.widgets.strip_chart import StripChart
from zincsmith.ui.widgets.tape import Tape
from zincsmith.ui.widgets.your_turn import YourTurn


class Dashboard(QWidget):
    """Refreshed with every batch of events; what did not change is not drawn again."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._points_drawn: tuple[int | None, int] = (None, -1)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(9)
        grid.addWidget(self._heads(), 0, 0, 1, 3)
        figures = Panel()
        figures.body.setContentsMargins(0, 0, 0, 0)
        self.figures = Figures()
        figures.body.addWidget(self.figures)
        grid.addWidget(figures, 1, 0, 1, 2)
        strip = Panel("Last 60 s", "bench time")
        self.strip = StripChart()
        strip.body.addWidget(self.strip, 1)
        grid.addWidget(strip, 2, 0, 1, 2)
        map_panel = Panel("Operating map", "shade: efficiency, %")
        self.map = OperatingMap()
        map_panel.body.addWidget(self.map, 1)
        grid.addWidget(map_panel, 3, 0)
        plot_panel = Panel()
        self.plot = Plot("Efficiency against load", "output", "A", "efficiency", "%", tools=False)
        plot_panel.body.addWidget(self.plot, 1)
        grid.addWidget(plot_panel, 3, 1)
        self.your_turn = YourTurn()
        grid.addWidget(self.your_turn, 1, 2, 2, 1)
        self.doubts = Panel("Doubts", "")
        self.doubt_text = label("", 13, wrap=True)
        self.doubts.body.addWidget(self.doubt_text)
        self.doubts.body.addStretch()
        grid.addWidget(self.doubts, 3, 2)
        for column, stretch in enumerate((10, 10, 12)):
            grid.setColumnStretch(column, stretch)
        for row, stretch in ((1, 3), (2, 3), (3, 3)):
            grid.setRowStretch(row, stretch)

    def _heads(self) -> Panel:
        panel = Panel()
        row = QHBoxLayout()
        row.setSpacing(24)
        self.heads = {}
        for name in ("NOW", "NEXT", "TIME LEFT"):
            column = QVBoxLayout()
            column.setSpacing(0)
            big, small = label("", 22, 700), label("", 13, 400, "second")
            for widget in (label(name, 12, 400, "second"), big, small):
                column.addWidget(widget)
            self.heads[name] = (big, small)
            row.addLayout(column, 1)
        panel.body.addLayout(row)
        self.tape = Tape()
        panel.body.addWidget(self.tape)
        panel.body.setSpacing(2)
        return panel

    def refresh(self) -> None:
        view, itinerary = self.session.view, self.session.itinerary()
        if isinstance(itinerary, str):
            return
        self._show_heads(itinerary)
        rig = self.session.rig
        self.figures.show_figures(
            [Figure(f.words, f.value, f.expanded, f.unit, f.kind, f.side) for f in live_figures(view.now, rig)]
        )
        self.strip.show_history(view.history)
        drawn = (view.run, len(view.points))
        if drawn != self._points_drawn:
            self._points_drawn = drawn
            self._show_points(view.points, itinerary)
            self.your_turn.show_entries(view.entries)
        self.map.choose(min(len(view.points) + 1, len(itinerary.points)))
        if view.asked is not None:
            self.your_turn.ask(view.asked, view.refused)
        else:
            self.your_turn.rest(self._next_turn(itinerary))

    def _show_heads(self, itinerary: Itinerary) -> None:
        view = self.session.view
        now, following = _now_next(len(view.points), itinerary, view.stage)
        waiting = "waits for your reading" if view.asked is not None else _doing(view.stage, view.state)
        elapsed = itinerary.elapsed(len(view.points), view.stage, view.stage_detail, view.bench_s - view.stage_began_s)
        left = max(0.0, itinerary.likely_s - elapsed)
        rig = self.session.rig
        pace = rig.standin.pace if rig and rig.standin else 0.0
        about = f"about {duration(left / pace)} at {pace:g} times the pace" if pace else "of bench time"
        for name, big, small in (
            ("NOW", now, waiting),
            ("NEXT", following, "sets itself"),
            ("TIME LEFT", duration(left), about),
        ):
            self.heads[name][0].setText(big)
            self.heads[name][1].setText(small)
        self.tape.show_progress(itinerary, elapsed)

    def _next_turn(self, itinerary: Itinerary) -> str:
        taken = len(self.session.view.points)
        typed = next((p for p in itinerary.points[taken:] if p.typed), None)
        if typed is None:
            return "No more readings to type in this run."
        return f"Your next turn: point {typed.number}, {_point_words(typed)}."

    def _show_points(self, points: list[Point], itinerary: Itinerary) -> None:
        taken = {p.number: p for p in points}
        etas = {n: e for n, p in taken.items() if (e := point_efficiency(p)) is not None}
        low, high = (min(etas.values()), max(etas.values())) if etas else (0.0, 1.0)
        cells = {}
        for planned in itinerary.points:
            c = planned.conditions
            key = (c["input_voltage_V"], c["frequency_Hz"], c["load_percent"])
            eta = etas.get(planned.number)
            done = planned.number in taken
            text = f"{100 * eta:.1f}" if eta is not None else "done" if done else str(planned.number)
            share = None if eta is None else (eta - low) / (high - low or 1.0)
            doubtful = done and bool(point_doubts(taken[planned.number], ("output_voltage",)))
            cells[key] = Cell(
                text, share if not done or eta is not None else 0.0, bool(planned.typed), planned.number, doubtful
            )
        self.map.show_grid(cells, {}, "efficiency")
        self.plot.show_curves([*_rehearsed(itinerary), *efficiency_curves(points)])
        self._show_doubts(points)

    def _show_doubts(self, points: list[Point]) -> None:
        found: list[Doubt] = list(dict.fromkeys(d for p in points for d in point_doubts(p, ("output_voltage",))))
        self.doubts.remark.setText(f"{len(found)}" if found else "none so far")
        text = "\n\n".join(f"{d.text} {d.remedy}" for d in found[-3:])
        self.doubt_text.setText(text or "Doubts appear here as soon as a point raises one.")
        name = "doubt" if found else "paper"
        if self.doubts.objectName() != name:
            self.doubts.setObjectName(name)
            self.doubts.style().unpolish(self.doubts)
            self.doubts.style().polish(self.doubts)

    def restyle(self) -> None:
        self.plot.restyle()
        self.strip.restyle()
        self._points_drawn = (None, -1)


def efficiency_curves(points: list[Point]) -> list[Curve]:
    """Efficiency against output current, one curve a line, told apart by dash."""
    return [
        Curve(name, np.array(x), np.array(y), "efficiency", dash % 4)
        for dash, (name, x, y) in enumerate(efficiency_by_line(points))
    ]


def _rehearsed(itinerary: Itinerary) -> list[Curve]:
    """The curve the rehearsal expects, so that the first points have something to be held against."""
    first = itinerary.points[0].conditions["input_voltage_V"]
    rows = sorted(
        (p.load_A, 100.0 * p.expected["output_voltage"].value * p.load_A / p.expected["input_power"].value)
        for p in itinerary.points
        if p.conditions["input_voltage_V"] == first and p.load_A > 0.0
    )
    if not rows:
        return []
    x, y = np.array(rows).T
    return [Curve("as rehearsed", x, y, "rehearsed", 0, marks=False, anchor=(0.0, 0.0), named_at=len(x) // 3)]


def _point_words(point: PlannedPoint) -> str:
    c = point.conditions
    return f"{c['input_voltage_V']:g} V, {c['load_percent']:g} % load"


def _now_next(taken: int, itinerary: Itinerary, stage: str) -> tuple[str, str]:
    points = itinerary.points
    if stage == "Warm-up":
        return "Warm-up", _point_words(points[0])
    now = _point_words(points[min(taken, len(points) - 1)])
    return now, _point_words(points[taken + 1]) if taken + 1 < len(points) else "make safe"


def _doing(stage: str, state: str) -> str:
    if state == "making safe":
        return "making safe"
    return "at full load, until it is warm" if stage == "Warm-up" else "sets, settles, averages"
