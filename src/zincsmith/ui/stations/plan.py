"""Plan: which points, in which order, how long? Everything here comes from the rehearsal."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QTableWidgetItem, QVBoxLayout, QWidget

from zincsmith.engine.rehearsal import Itinerary, PlannedPoint
from zincsmith.engine.watches import tightest
from zincsmith.judge.foresight import untested
from zincsmith.judge.words import counted, duration, number
from zincsmith.model.actions import Watch
from zincsmith.model.plan import GridOptions
from zincsmith.model.quantities import QUANTITIES, WATCHABLE
from zincsmith.ui.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.itinerary import ItineraryView
from zincsmith.ui.widgets.operating_map import Cell, OperatingMap
from zincsmith.ui.widgets.panel import Panel, button, clear, heading_row, label
from zincsmith.ui.widgets.plain_table import PlainTable

SHOWN = ("input_power", "input_current", "output_voltage", "output_current", "case_temperature")


class PlanStation(Station):
    """Itinerary on the left; operating map, expectation, watches and cautions on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._itinerary: Itinerary | None = None
        self._chosen = 1
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Plan")
        self.summary = label("", 13)
        row.addWidget(self.summary)
        row.addStretch()
        self.rehearsed = label("", 13, 400, "second")
        row.addWidget(self.rehearsed)
        self.to_run = button("Go to Run  Ctrl+Enter", "main")
        self.to_run.setShortcut("Ctrl+Return")
        self.to_run.clicked.connect(lambda: self.go.emit("Run"))
        row.addWidget(self.to_run)
        outer.addLayout(row)
        self.problem = label("", 15, 400, "problem", wrap=True)
        self.problem.hide()
        outer.addWidget(self.problem)
        columns = QHBoxLayout()
        columns.setSpacing(12)
        outer.addLayout(columns, 1)
        left = Panel("Itinerary", "in the order of the work, to scale")
        self.time = label("", 21, 700)
        left.head.addWidget(self.time)
        self.view = ItineraryView()
        left.body.addWidget(self.view, 1)
        left.setFixedWidth(420)
        columns.addWidget(left)
        right = QVBoxLayout()
        right.setSpacing(9)
        columns.addLayout(right, 1)
        right.addWidget(self._grid_panel())
        right.addWidget(self._facts_panel(), 1)
        right.addWidget(self._untested_panel(), 1)

    def _grid_panel(self) -> Panel:
        panel = Panel("Static grid", "efficiency, power factor, load and line regulation")
        body = QHBoxLayout()
        body.setSpacing(24)
        self.map = OperatingMap()
        self.map.setMinimumHeight(128)
        self.map.chosen.connect(self._choose)
        body.addWidget(self.map, 3)
        self.options = QGridLayout()
        self.options.setVerticalSpacing(5)
        self.options.setHorizontalSpacing(12)
        holder = QWidget()
        holder.setLayout(self.options)
        body.addWidget(holder, 2)
        panel.body.addLayout(body)
        self.expected = label("", 13, wrap=True)
        self.expected.setTextFormat(Qt.TextFormat.RichText)
        panel.body.addWidget(self.expected)
        return panel

    def _facts_panel(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(9)
        self.watches = Panel("Watches", "make safe when left")
        self.watch_grid = QGridLayout()
        self.watch_grid.setHorizontalSpacing(12)
        self.watches.body.addLayout(self.watch_grid)
        self.watches.body.addStretch()
        layout.addWidget(self.watches, 1)
        self.cautions = Panel("Cautions", "told again at the gate")
        self.caution_text = label("", 13, wrap=True)
        self.caution_text.setTextFormat(Qt.TextFormat.RichText)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        inside.setObjectName("inside")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.caution_text)
        column.addStretch()
        area.setWidget(inside)
        self.cautions.body.addWidget(area)
        layout.addWidget(self.cautions, 1)
        return row

    def _untested_panel(self) -> Panel:
        self.untested = Panel("Not tested by this plan", "")
        self.untested_table = PlainTable("Not tested", ("Claim", "Where", "Why not"), 20)
        self.untested_table.share((8, 6, 6))
        self.untested.body.addWidget(self.untested_table, 1)
        return self.untested

    def _show_untested(self) -> None:
        unit = self.session.unit
        rows = untested(unit, self.session.plan) if unit is not None else []
        whole = sum(not row.partly for row in rows)
        self.untested.remark.setText(
            f"{counted(whole, 'claim')} will read not tested" if whole else "every claim is reached"
        )
        self.untested_table.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate((f"{row.claim.title} {row.claim.text}", row.claim.condition_text, row.why)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.untested_table.setItem(at, column, item)

    def refresh(self) -> None:
        found = self.session.itinerary()
        if isinstance(found, str):
            self._itinerary = None
            self.problem.setText(found)
            self.problem.show()
            self.summary.setText("nothing to rehearse")
            self.to_run.setEnabled(False)
            self.view.show_itinerary(None)
            return
        self.problem.hide()
        self.to_run.setEnabled(True)
        self._itinerary = found
        points = len(found.points)
        self.summary.setText(
            f"{counted(points, 'point')}    {counted(found.gates, 'gate')}    {counted(found.typed, 'reading')} to type"
        )
        self.rehearsed.setText(
            f"least {duration(found.least_s)}, most {duration(found.most_s)}; {found.energy_Wh:.0f} Wh from the mains"
        )
        self.time.setText(duration(found.likely_s))
        self.view.show_itinerary(found)
        self._map(found)
        self._options()
        self._watches(found)
        self._show_untested()
        items = "".join(f"<p style='margin:0 0 6px 0'>{c}</p>" for c in found.cautions)
        self.caution_text.setText(items)
        self._choose(self._chosen)

    def _map(self, found: Itinerary) -> None:
        self.map.show_grid(
            {
                (p.conditions["input_voltage_V"], p.conditions["frequency_Hz"], p.conditions["load_percent"]): Cell(
                    str(p.number), underlined=bool(p.typed), number=p.number
                )
                for p in found.points
            },
            amps={p.conditions["load_percent"]: p.load_A for p in found.points},
        )

    def _options(self) -> None:
        o = self.session.plan.grid or GridOptions()
        direction = "down from 100 %" if o.loads_percent[0] >= o.loads_percent[-1] else "as listed"
        rows = (
            ("Direction", direction),
            ("Load mode", "constant current"),
            ("Warm-up before", duration(o.warm_up_s)),
            ("After a line change", duration(o.rewarm_s)),
            ("Settled when", f"< {o.settled_percent:g} % in {o.settled_window_s:g} s"),
            ("Wait at most", f"{duration(o.settle_at_most_s)} a point"),
            ("Average over", f"{o.average_s:g} s"),
        )
        clear(self.options)
        for at, (name, value) in enumerate(rows):
            self.options.addWidget(label(name, 13, 400, "second"), at, 0)
            right = label(value, 13, 600)
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.options.addWidget(right, at, 1)

    def _watches(self, found: Itinerary) -> None:
        clear(self.watch_grid)
        for column, heading in enumerate(("", "stops above", "rehearsed at most")):
            made = label(heading, 12, 400, "second")
            made.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.watch_grid.addWidget(made, 0, column)
        for at, watch in enumerate(tightest(found.watches), 1):
            info = WATCHABLE[watch.quantity]
            unit = {"degC": "°C"}.get(info.unit, info.unit)
            seen = [p.expected[watch.quantity].value for p in found.points if watch.quantity in p.expected]
            most = f"{max(seen):.4g} {unit}" if seen else "–"
            self.watch_grid.addWidget(label(info.words, 13, 600), 2 * at, 0)
            for column, text in ((1, watch_words(watch)), (2, most)):
                made = label(text, 13, 600 if column == 1 else 400)
                made.setAlignment(Qt.AlignmentFlag.AlignRight)
                self.watch_grid.addWidget(made, 2 * at, column)
            self.watch_grid.addWidget(label(watch.whose, 12, 400, "second", wrap=True), 2 * at + 1, 0, 1, 3)

    def _choose(self, point: int) -> None:
        if self._itinerary is None or not self._itinerary.points:
            return
        self._chosen = min(point, len(self._itinerary.points))
        self.map.choose(self._chosen)
        self.expected.setText(_expected_words(self._itinerary.points[self._chosen - 1]))

    def take_focus(self) -> None:
        self.to_run.setFocus()


def watch_words(watch: Watch) -> str:
    """The bounds of a watch: ``27.6 V``, or ``below 20 V`` where it is the lower one that stops."""
    unit = {"degC": "°C"}.get(WATCHABLE[watch.quantity].unit, WATCHABLE[watch.quantity].unit)
    if watch.high is None:
        return f"below {watch.low:.4g} {unit}"
    return f"{watch.high:.4g} {unit}"


def _expected_words(point: PlannedPoint) -> str:
    c = point.conditions
    parts = []
    for name in SHOWN:
        info, value = QUANTITIES[name], point.expected[name].value
        unit = {"degC": "°C"}.get(info.unit, info.unit)
        decimals = 1 if info.kind in ("power", "temperature") else 2
        hue = theme().text_of(info.kind).name()
        words = info.words.lower()
        parts.append(f"{words} <b><span style='color:{hue}'>{number(value, decimals)}&nbsp;{unit}</span></b>")
    typed = f"; you type {', '.join(QUANTITIES[q].words.lower() for q in point.typed)}" if point.typed else ""
    where = f"{c['input_voltage_V']:g} V {c['frequency_Hz']:g} Hz, {c['load_percent']:g} %"
    return f"<b>Point {point.number}</b>, {where}, expected from the plate: {', '.join(parts)}{typed}"
