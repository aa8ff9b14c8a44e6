"""Plots: pan, zoom, a cursor with readout, copy as image, export as SVG, PNG and CSV, enlarge with F8."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from html import escape
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QGuiApplication, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.plain_text import cell
from zincsmith.procedures.base import Curves
from zincsmith.showing.curves import apart
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.axis import axes
from zincsmith.ui.widgets.panel import button, label

NEVER = ((0.0, 0.0),)  # numbers stand in the unit that the axis names, even when the axis is laid out anew
DASHES = (None, [6, 3], [1.5, 2.5], [8, 3, 2, 3])


@dataclass(frozen=True)
class Curve:
    """``name`` stands at the end of the curve; curves of one kind differ by ``dash``."""

    name: str
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    kind: str
    dash: int = 0
    marks: bool = True
    anchor: tuple[float, float] = (0.0, 0.5)
    named_at: int = -1
    bars: bool = False  # single values in percent of a limit: a bar from zero to each, beside those of the others


BESIDE, BAR = 0.36, 0.34  # of an order: between bars of neighbouring curves, and their width


class Plot(QWidget):
    """One pair of axes. Signal ``enlarge`` asks for the whole station."""

    enlarge = Signal()

    def __init__(self, title: str, x_words: str, x_unit: str, y_words: str, y_unit: str, tools: bool = True) -> None:
        super().__init__()
        self.title, self.x_words, self.x_unit, self.y_words, self.y_unit = title, x_words, x_unit, y_words, y_unit
        self._curves: list[Curve] = []
        self.widget = pg.PlotWidget(axisItems=axes())
        self.widget.setMenuEnabled(False)
        self.widget.hideButtons()
        self.widget.setAccessibleName(title)
        self.readout = label("", 13, rich=True)
        self.readout.setTextFormat(Qt.TextFormat.RichText)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        head = self.head = QHBoxLayout()
        self.heading = label(title, 15, 700)
        head.addWidget(self.heading)
        head.addStretch()
        head.addWidget(self.readout)
        if tools:
            for text, action in (("Copy", self.copy), ("Save…", self._save)):
                made = button(text, weight=400)
                made.setAccessibleName(f"{text.rstrip('…')} plot: {title}")
                made.clicked.connect(action)
                head.addWidget(made)
            larger = button("F8", weight=400)
            larger.setAccessibleName(f"Enlarge plot: {title}")
            larger.clicked.connect(self.enlarge)
            head.addWidget(larger)
        layout.addLayout(head)
        layout.addWidget(self.widget, 1)
        self.reading_line = pg.InfiniteLine(angle=90, movable=False)
        self.widget.scene().sigMouseMoved.connect(self._moved)
        self.restyle()

    def show_axes(self, title: str, x_words: str, x_unit: str, y_words: str, y_unit: str) -> None:
        """Another pair of axes in the same place; the curves follow with ``show_curves``."""
        self.title, self.x_words, self.x_unit, self.y_words, self.y_unit = title, x_words, x_unit, y_words, y_unit
        self.heading.setText(title)
        self.widget.setAccessibleName(title)
        self._curves = []
        self.readout.setText("")
        self.restyle()

    def restyle(self) -> None:
        """Take the colours of the theme in force."""
        t = theme()
        self.widget.setBackground(t.paper)
        for side, words, unit in (("left", self.y_words, self.y_unit), ("bottom", self.x_words, self.x_unit)):
            axis = self.widget.getAxis(side)
            axis.setPen(pg.mkPen(t.line))
            axis.setTextPen(pg.mkPen(t.ink2))
            axis.setTickFont(_tick_font())
            look = {"color": t.ink2, "font-size": "12px"}
            axis.setLabel(", ".join(one for one in (words, unit) if one), siPrefixEnableRanges=NEVER, **look)
            axis.enableAutoSIPrefix(False)
            axis.setGrid(40)
        self.reading_line.setPen(pg.mkPen(t.ink, width=1))
        self.show_curves(self._curves)

    def show_curves(self, curves: list[Curve]) -> None:
        t = theme()
        self._curves = curves
        self.widget.clear()
        self.widget.addItem(self.reading_line, ignoreBounds=True)
        self.reading_line.hide()
        names = _names(curves, float(self.widget.height()))
        for at, curve in enumerate(curves):
            color = t.of(curve.kind) if curve.kind != "rehearsed" else t.color("edge")
            pen = pg.mkPen(color, width=1)
            if DASHES[curve.dash] is not None:
                pen.setDashPattern(DASHES[curve.dash])
            if curve.bars:
                self._draw_bars(at)
                continue
            marks = {"symbol": "o", "symbolSize": 6, "symbolPen": pg.mkPen(color), "symbolBrush": t.paper}
            self.widget.plot(curve.x, curve.y, pen=pen, **(marks if curve.marks else {}))
            if at in names:
                text = pg.TextItem(curve.name, color=t.text_of(curve.kind), anchor=curve.anchor)
                text.setFont(font(12, 600))
                text.setPos(float(curve.x[curve.named_at]), names[at])
                self.widget.addItem(text, ignoreBounds=True)
        drawn = [c for c in curves if len(c.x)]
        if drawn:
            low, high = min(c.x.min() for c in drawn), max(c.x.max() for c in drawn)
            room = (high - low or abs(high) or 1.0) * 0.02
            # The names stand right of the last points: leave them the room of the longest.
            metrics = QFontMetricsF(font(12, 600))
            longest = max((metrics.horizontalAdvance(curves[at].name) for at in names), default=0.0)
            share = min(MOST_FOR_NAMES, max(66.0, longest + 14.0) / max(200.0, float(self.widget.width()) - AXIS_PX))
            self.widget.setXRange(low - room, high + (high - low or 1.0) * share / (1.0 - share), padding=0)
            self.widget.enableAutoRange(axis="y")

    def _draw_bars(self, at: int) -> None:
        """Bars from zero, solid for the first curve and hollow for the next, and the names at the top right."""
        curve, t = self._curves[at], theme()
        hue = t.of(curve.kind)
        aside = (at - (len(self._curves) - 1) / 2.0) * BESIDE
        brush = hue if at % 2 == 0 else t.color("paper")
        bars = pg.BarGraphItem(x=curve.x + aside, height=curve.y, width=BAR, pen=pg.mkPen(hue, width=1), brush=brush)
        self.widget.addItem(bars)
        name = f"{'■' if at % 2 == 0 else '□'} {curve.name}"
        text = pg.TextItem(name, color=t.text_of(curve.kind), anchor=(1.0, 0.0))
        text.setFont(font(12, 600))
        top = max(100.0, *(float(c.y.max()) for c in self._curves if len(c.y)))
        gap = top * NAME_PX / max(60.0, float(self.widget.height()) - 60.0)
        text.setPos(float(curve.x.max()), 0.98 * top - at * gap)
        self.widget.addItem(text, ignoreBounds=True)
        if at == 0:
            words = {"position": 0.995, "color": t.ink, "anchors": [(1, 0), (1, 0)]}
            limit = pg.InfiniteLine(100.0, angle=0, pen=pg.mkPen(t.ink, width=1), label="limit", labelOpts=words)
            self.widget.addItem(limit)

    def _moved(self, position: QPointF) -> None:
        if not self._curves or not self.widget.sceneBoundingRect().contains(position):
            self.reading_line.hide()
            self.readout.setText("")
            return
        x = self.widget.getPlotItem().vb.mapSceneToView(position).x()
        self.read_at(x)

    def read_at(self, x: float) -> None:
        """Put the cursor at the nearest point of the first curve and read every curve there."""
        first = next((c for c in self._curves if len(c.x)), None)
        if first is None:
            return
        at = float(first.x[int(np.argmin(np.abs(first.x - x)))])
        self.reading_line.setPos(at)
        self.reading_line.show()
        parts = [f"{at:.4g} {self.x_unit}"]
        for curve in self._curves:
            if len(curve.x):
                y = float(curve.y[int(np.argmin(np.abs(curve.x - at)))])
                hue = theme().text_of(curve.kind).name()
                parts.append(f"{escape(curve.name)} <b><span style='color:{hue}'>{y:.4g} {self.y_unit}</span></b>")
        self.readout.setText("&nbsp;&nbsp;&nbsp;".join(parts))

    # Out of the plot

    def copy(self) -> None:
        QGuiApplication.clipboard().setPixmap(self.widget.grab())

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the plot", f"{self.title}.svg", "SVG, PNG or CSV (*.svg *.png *.csv)"
        )
        if name:
            self.save(Path(name))

    def save(self, file: Path) -> None:
        """Write the plot in the form its suffix names: .svg, .png or .csv."""
        if file.suffix == ".csv":
            with file.open("w", encoding="utf-8", newline="") as out:
                writer = csv.writer(out, lineterminator="\n")
                writer.writerow(("curve", f"{self.x_words} ({self.x_unit})", f"{self.y_words} ({self.y_unit})"))
                for n, c in enumerate(self._curves, 1):
                    name = cell(c.name or f"curve {n}")
                    writer.writerows((name, f"{x:.9g}", f"{y:.9g}") for x, y in zip(c.x, c.y, strict=True))
        elif file.suffix == ".png":
            self.widget.grab().save(str(file))
        else:
            self._save_svg(file)

    def _save_svg(self, file: Path) -> None:
        # The plot library's own exporter stumbles over text items; Qt's generator draws the scene as it is.
        drawing = QSvgGenerator()
        drawing.setFileName(str(file))
        drawing.setSize(self.widget.size())
        drawing.setViewBox(self.widget.rect())
        drawing.setTitle(self.title)
        painter = QPainter(drawing)
        self.widget.render(painter)
        painter.end()


def drawn(curves: Curves) -> list[Curve]:
    """Curves of one pair of axes as the plot takes them, told apart by dash."""
    return [
        Curve(
            name,
            np.array(x),
            np.array(y),
            curves.kind,
            dash % 4,
            marks=curves.marked and not curves.trace,
            bars=curves.bars,
        )
        for dash, (name, x, y) in enumerate(curves.lines)
    ]


def _tick_font() -> QFont:
    return font(12)


MOST_FOR_NAMES = 0.5  # of the width
AXIS_PX = 52.0  # left of the curves
NAME_PX = 16.0  # from one name to the next


def _names(curves: list[Curve], height_px: float) -> dict[int, float]:
    """Where the names of curves stand, by place in the list: beside the ends, apart from each other and inside the
    plot. In the unit of the y axis."""
    named = [(n, c) for n, c in enumerate(curves) if len(c.x) and c.name and not c.bars]
    drawn = [(n, c) for n, c in named if c.marks]
    inside = {n: float(c.y[c.named_at]) for n, c in named if not c.marks}
    values = [float(v) for _, c in drawn for v in (c.y.min(), c.y.max())]
    if not values:
        return inside
    low, high = min(values), max(values)
    gap = (high - low) * NAME_PX / max(60.0, height_px - 60.0)
    ends = sorted((float(c.y[c.named_at]), n) for n, c in drawn)
    placed = apart([y for y, _ in ends], gap, low, high)
    return inside | {n: y for (_, n), y in zip(ends, placed, strict=True)}
