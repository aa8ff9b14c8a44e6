"""The strip chart: live input watts and output volts, with mean and spread over a band that the person drags."""

from __future__ import annotations

from itertools import takewhile

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from zincsmith.analysis.stability import mean_and_spread
from zincsmith.formats.words import decimals_for, duration, number
from zincsmith.model.address import at_port, ports_in
from zincsmith.model.quantities import QUANTITIES
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.axis import Axis, axes
from zincsmith.ui.widgets.panel import clear, label

SHOWN = ("input_power", "output_voltage")
SPANS_S = (60.0, 600.0, 3600.0)
BAND = 1 / 3  # of the span, at first
LEAST_BAND = 1 / 30
FIRST_ROOM = 1024

Row = tuple[float, dict[str, float]]


class Trail:
    """Times and values of one quantity, oldest first, appended to in place; what is older than the longest span is let
    go in large pieces."""

    def __init__(self) -> None:
        self._rows = np.empty((2, FIRST_ROOM))
        self._first = self._end = 0

    def append(self, times: NDArray[np.float64], values: NDArray[np.float64]) -> None:
        more = len(times)
        if self._end + more > self._rows.shape[1]:
            kept = self._rows[:, self._first : self._end]
            made = np.empty((2, max(FIRST_ROOM, 2 * (kept.shape[1] + more))))
            made[:, : kept.shape[1]] = kept
            self._rows, self._first, self._end = made, 0, kept.shape[1]
        self._rows[:, self._end : self._end + more] = times, values
        self._end += more
        self._first += int(np.searchsorted(self.times, self.times[-1] - SPANS_S[-1])) if more else 0

    @property
    def times(self) -> NDArray[np.float64]:
        return self._rows[0, self._first : self._end]

    def since(self, begin_s: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Times and values from ``begin_s`` on, as views."""
        at = self._first + int(np.searchsorted(self.times, begin_s))
        return self._rows[0, at : self._end], self._rows[1, at : self._end]


class TwoFigures(Axis):
    """The axis of a low track: more than two figures would stand on each other."""

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:
        levels = super().tickValues(minVal, maxVal, size)
        return [(spacing, [*values[:1], *values[1:][-1:]]) for spacing, values in levels[:1]]


class StripChart(QWidget):
    """Two tracks on one time axis. The figures beside them are of the band and of all that is drawn.

    Left and Right move the band, with Shift they make it narrower or wider; Up and Down choose how far back it shows.
    Signal ``spanned`` carries the span in s.
    """

    spanned = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Live quantities")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        tracks = QVBoxLayout()
        tracks.setSpacing(0)
        row.addLayout(tracks, 3)
        self.span_s = SPANS_S[0]
        self.band = (-BAND * self.span_s, 0.0)
        self._now = -np.inf
        self._trails = {q: Trail() for q in SHOWN}
        self._shown = {q: q for q in SHOWN}
        self._plots: dict[str, pg.PlotWidget] = {}
        self._curves: dict[str, pg.PlotDataItem] = {}
        self._bands: dict[str, pg.LinearRegionItem] = {}
        for quantity in SHOWN:
            plot = pg.PlotWidget(axisItems={**axes(), "left": TwoFigures("left")})
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.setMouseEnabled(x=False, y=False)
            plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            plot.setAccessibleName(f"{QUANTITIES[quantity].words}, live")
            band = pg.LinearRegionItem(self.band, swapMode="sort")
            band.sigRegionChanged.connect(lambda item: self.set_band(*item.getRegion()))
            plot.addItem(band)
            self._plots[quantity], self._bands[quantity] = plot, band
            curve = plot.plot([], [])
            curve.setDownsampling(auto=True, method="peak")
            curve.setClipToView(True)
            self._curves[quantity] = curve
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
        self.show_span(self.span_s)

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
            plot.getAxis("bottom").setHeight(20 if quantity == SHOWN[-1] else 4)
            plot.getAxis("bottom").setStyle(showValues=quantity == SHOWN[-1])
            pen = pg.mkPen(t.of(info.kind), width=1)
            if info.side == "input":
                pen.setDashPattern([5, 3])
            self._curves[quantity].setPen(pen)
            ground = t.color("zinc_light")
            ground.setAlpha(110)
            self._bands[quantity].setBrush(ground)
            for edge in self._bands[quantity].lines:
                edge.setPen(pg.mkPen(t.ink if self.hasFocus() else t.ink2, width=2 if self.hasFocus() else 1))
                edge.setHoverPen(pg.mkPen(t.ink, width=3))
        self._show_figures()

    def show_span(self, span_s: float) -> None:
        """How far back the tracks show; the band keeps its share of it."""
        share = span_s / self.span_s
        self.span_s = span_s
        for plot in self._plots.values():
            plot.setXRange(-span_s, 0.0, padding=0.02)
        self.set_band(self.band[0] * share, self.band[1] * share)
        self._draw()
        self.spanned.emit(span_s)

    def set_band(self, begin_s: float, end_s: float) -> None:
        """Put the band between two times before now, in s (negative), kept inside the tracks and wide enough."""
        least = LEAST_BAND * self.span_s
        begin = min(max(begin_s, -self.span_s), -least)
        self.band = (begin, min(max(end_s, begin + least), 0.0))
        for item in self._bands.values():
            if item.getRegion() != self.band:
                item.setRegion(self.band)
        self._show_figures()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, wide = Qt.Key(event.key()), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        step = self.span_s / 30
        begin, end = self.band
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            by = -step if key == Qt.Key.Key_Left else step
            if wide:
                self.set_band(begin + by, end)
            else:
                by = min(max(by, -self.span_s - begin), -end)
                self.set_band(begin + by, end + by)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            at = SPANS_S.index(self.span_s) + (1 if key == Qt.Key.Key_Up else -1)
            self.show_span(SPANS_S[min(max(at, 0), len(SPANS_S) - 1)])
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.restyle()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.restyle()

    def show_history(self, history: list[Row]) -> None:
        """``history``: (bench seconds, values), oldest first; what came since the last call is appended."""
        if not history or history[-1][0] == self._now:
            return
        if history[-1][0] < self._now:  # another run
            self._trails, self._shown = {q: Trail() for q in SHOWN}, {q: q for q in SHOWN}
            self._now = -np.inf
        fresh = list(takewhile(lambda row: row[0] > self._now, reversed(history)))[::-1]
        self._now = history[-1][0]
        for quantity, trail in self._trails.items():
            rows = [(t, v[at]) for t, v in fresh if (at := self._address(quantity, v)) in v]
            if rows:
                trail.append(*np.array(rows).T)
        self._draw()
        self._show_figures()

    def _address(self, quantity: str, values: dict[str, float]) -> str:
        """The quantity at the first output, of several; by that name its figures go then."""
        if quantity not in values and (ports := ports_in(values, quantity)):
            self._shown[quantity] = at_port(quantity, ports[0])
        return self._shown[quantity]

    def _draw(self) -> None:
        for quantity, trail in self._trails.items():
            times, values = trail.since(self._now - self.span_s)
            if len(times) > 1:
                self._curves[quantity].setData(times - self._now, values)

    def _show_figures(self) -> None:
        begin, end = self.band
        until = "now" if end > -0.5 else f"{duration(-end)} ago"
        self._cell(0, 1, f"band, {duration(end - begin)} to {until}", "ink2")
        self._cell(0, 2, f"last {duration(self.span_s)}", "ink2")
        for at, quantity in enumerate(SHOWN):
            times, values = self._trails[quantity].since(self._now - self.span_s)
            if len(times) < 2:
                continue
            info = QUANTITIES[self._shown[quantity]]
            near = mean_and_spread(times - self._now, values, begin, end)
            whole = mean_and_spread(times - self._now, values, -self.span_s, 0.0)
            decimals = min(4, decimals_for(2.0 * (near or whole or (0.0, 1.0))[1], values[-1]))
            row = 1 + 3 * at
            self._cell(row, 0, f"{info.words}, mean", info.kind)
            self._cell(row + 1, 0, "1σ  (k = 1, 68.3 %)", "ink2")
            self._cell(row + 2, 0, "2σ  (k = 2, 95.4 %)", "ink2")
            for column, found in ((1, near), (2, whole)):
                for below, factor in enumerate((0, 1, 2)):
                    value = None if found is None else factor * found[1] if factor else found[0]
                    text = f"{number(value, decimals)} {info.unit}" if value is not None else "–"
                    self._cell(row + below, column, text, "ink", 400 if factor else 600)

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
