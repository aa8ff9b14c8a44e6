"""The strip chart: live input watts and output volts over the last minute, with mean and spread."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from zincsmith.analysis.stability import mean_and_spread
from zincsmith.judge.words import decimals_for, number
from zincsmith.model.quantities import QUANTITIES
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import clear, label

SHOWN = ("input_power", "output_voltage")
SPAN_S = 60.0
WINDOW_S = 20.0


class StripChart(QWidget):
    """Two tracks on one time axis; the figures beside them are of the last 20 s and of all that is drawn."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        tracks = QVBoxLayout()
        tracks.setSpacing(0)
        row.addLayout(tracks, 3)
        self._plots: dict[str, pg.PlotWidget] = {}
        self._curves: dict[str, pg.PlotDataItem] = {}
        for quantity in SHOWN:
            plot = pg.PlotWidget()
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.setMouseEnabled(x=False, y=False)
            plot.setAccessibleName(f"{QUANTITIES[quantity].words}, last minute")
            self._plots[quantity] = plot
            self._curves[quantity] = plot.plot([], [])
            tracks.addWidget(plot)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(12)
        self._table.setVerticalSpacing(2)
        self._cells: dict[tuple[int, int], QLabel] = {}
        side = QVBoxLayout()
        side.addLayout(self._table)
        side.addStretch()
        row.addLayout(side, 2)
        self.restyle()

    def restyle(self) -> None:
        clear(self._table)
        self._cells.clear()
        t = theme()
        for quantity, plot in self._plots.items():
            info = QUANTITIES[quantity]
            plot.setBackground(t.paper)
            for name in ("left", "bottom"):
                axis = plot.getAxis(name)
                axis.setPen(pg.mkPen(t.line))
                axis.setTextPen(pg.mkPen(t.ink2))
                axis.setTickFont(font(12))
                axis.enableAutoSIPrefix(False)
                axis.setGrid(30)
            plot.getAxis("left").setWidth(56)
            plot.getAxis("left").setTickDensity(0.5)
            plot.getAxis("bottom").setHeight(20 if quantity == SHOWN[-1] else 4)
            plot.getAxis("bottom").setStyle(showValues=quantity == SHOWN[-1])
            pen = pg.mkPen(t.of(info.kind), width=1)
            if info.side == "input":
                pen.setDashPattern([5, 3])
            self._curves[quantity].setPen(pen)

    def show_history(self, history: list[tuple[float, dict[str, float]]]) -> None:
        """``history``: (bench seconds, values), oldest first."""
        if not history:
            return
        now = history[-1][0]
        recent = [row for row in history[-400:] if row[0] >= now - SPAN_S]
        for at, quantity in enumerate(SHOWN):
            rows = [(t - now, v[quantity]) for t, v in recent if quantity in v]
            if len(rows) < 2:
                continue
            times, values = np.array(rows).T
            self._curves[quantity].setData(times, values)
            self._plots[quantity].setXRange(-SPAN_S, 0.0, padding=0.02)
            self._figures(at, quantity, times, values)

    def _figures(self, at: int, quantity: str, times: np.ndarray, values: np.ndarray) -> None:
        info = QUANTITIES[quantity]
        near = mean_and_spread(times, values, WINDOW_S)
        whole = mean_and_spread(times, values, SPAN_S)
        decimals = min(4, decimals_for(2.0 * near[1], near[0]))
        self._cell(0, 1, f"last {WINDOW_S:g} s", "ink2")
        self._cell(0, 2, f"last {SPAN_S:g} s", "ink2")
        row = 1 + 3 * at
        self._cell(row, 0, f"{info.words}, mean", info.kind)
        self._cell(row + 1, 0, "1σ  (k = 1, 68.3 %)", "ink2")
        self._cell(row + 2, 0, "2σ  (k = 2, 95.4 %)", "ink2")
        for column, (mean, spread) in ((1, near), (2, whole)):
            self._cell(row, column, f"{number(mean, decimals)} {info.unit}", "ink", 600)
            self._cell(row + 1, column, f"{number(spread, decimals)} {info.unit}", "ink")
            self._cell(row + 2, column, f"{number(2 * spread, decimals)} {info.unit}", "ink")

    def _cell(self, row: int, column: int, text: str, color: str, weight: int = 400) -> None:
        made = self._cells.get((row, column))
        if made is None:
            made = label("", 12, weight)
            if column:
                made.setAlignment(Qt.AlignmentFlag.AlignRight)
            self._table.addWidget(made, row, column)
            self._cells[(row, column)] = made
            hue = theme().ink2 if color == "ink2" else theme().text_of(color).name()
            made.setStyleSheet(f"color: {hue}")
        if made.text() != text:
            made.setText(text)
