"""A capture, channel above channel: pan and zoom, two cursors with readout, the moments that figures go by.

What is drawn is fetched as it is looked at: the least and the greatest of as many stretches as there are columns, so
that ten million samples pan as a thousand do.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.words import UNIT_WORDS
from zincsmith.model.capture import TIMES, Capture, CaptureChannel, Measure, time_unit
from zincsmith.model.commands import ReadCursors
from zincsmith.model.operating_point import NOWHERE, OperatingPoint
from zincsmith.model.quantities import QUANTITIES
from zincsmith.recorded.result import Mark
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.axis import axes
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.cursor_row import CursorRow
from zincsmith.ui.widgets.panel import button, label
from zincsmith.ui.widgets.plot import NEVER

Spans = NDArray[np.float64]
Fetch = Callable[[CaptureChannel, int, int, int], Spans]  # (channel, start, stop, columns) -> (columns, 2)

STEP, FINE = 0.1, 0.005  # of what is seen: a key moves the view, or a cursor, by so much
CLOSER = 1.5
AROUND, LEAST_AROUND = 0.5, 0.05  # of what lies between the marks, and of the capture: seen on either side
LEAST_SAMPLES = 20
AXIS_PX, NAME_PX = 48, 20
MARK_PX, ROWS_FROM_PX = 16, 120  # the names of marks stand in a row above the trace, in two where there is room


@dataclass(frozen=True)
class Shown:
    """A capture with its marks and what it is called."""

    title: str
    capture: Capture
    marks: Sequence[Mark]
    of: tuple[int, int, int, int] = (0, 0, 0, 0)  # run, point, take, place among the captures of the point
    at: OperatingPoint = NOWHERE
    beside: tuple[tuple[str, str, str], ...] = ()  # (name, title, unit) of the findings that it stands behind


MOST_READ = 3  # channels whose values stand beside the title


class TraceView(QWidget):
    """Signal ``enlarge`` asks for the whole station. Keys: left and right move what is seen, plus and minus zoom, Home
    shows it whole, M takes the next mark into the middle; with Shift left and right move the cursor that was moved
    last, C brings both cursors into view, K keeps what lies between them as a figure of whoever placed them.

    ``said`` carries the command that keeps it, ``other`` the title of another picture that was chosen instead."""

    enlarge = Signal()
    said = Signal(ReadCursors)
    other = Signal(str)

    def __init__(self, looked_at: bool = False) -> None:
        """``looked_at``: it is only looked at, nothing is kept of it or enlarged."""
        super().__init__()
        self.looked_at = looked_at
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.shown: Shown | None = None
        self._fetch: Fetch | None = None
        self._panes: list[pg.PlotItem] = []
        self._lines: list[pg.PlotDataItem] = []
        self._names: list[pg.TextItem] = []
        self._marks: list[pg.InfiniteLine] = []
        self._cursors: list[list[pg.InfiniteLine]] = [[], []]
        self.at = [0.0, 0.0]  # of the two cursors, s
        self._last, self._mark_shown = 1, -1
        self._scale, self._unit = TIMES[0]
        self._pool: list[pg.PlotWidget] = []  # one of each channel, kept for the next capture
        self.heading, self.readout = label("", 13, 600), label("", 13, rich=True)
        self.readout.setTextFormat(Qt.TextFormat.RichText)
        self.heading.setMinimumWidth(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.head = self._head()
        layout.addLayout(self.head)
        self._field = QVBoxLayout()
        self._field.setSpacing(0)
        layout.addLayout(self._field, 1)
        self.row = CursorRow()
        self.row.said.connect(self.said)
        self.row.left.connect(self.setFocus)
        layout.addWidget(self.row)
        self._due = QTimer(self)  # drawn once a turn of the event loop, however often the range changes in it
        self._due.setSingleShot(True)
        self._due.setInterval(0)
        self._due.timeout.connect(self.draw)

    def _head(self) -> QHBoxLayout:
        """Title and readout, other pictures, and what may be done."""
        head = QHBoxLayout()
        head.addWidget(self.heading, 1)
        head.addWidget(self.readout)
        self.others = Choice()
        self.others.setAccessibleName("Other pictures")
        self.others.setFont(font(13))
        self.others.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.others.setMinimumContentsLength(5)
        self.others.activated.connect(self._choose_other)
        head.addWidget(self.others)
        if self.looked_at:
            self.others.hide()
        for text, name, action in (
            ("Mark  M", "Next mark", self.next_mark),
            ("Cursors  C", "Bring the cursors into view", self.bring_cursors),
            ("Keep  K", "Keep what lies between the cursors", self.keep), ("F8", "Enlarge the capture", None),
        ):  # fmt: skip
            made = button(text, weight=400)
            made.setAccessibleName(name)
            made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            made.clicked.connect(action if action is not None else self.enlarge)
            if self.looked_at and action in (self.keep, None):
                made.hide()
            head.addWidget(made)
        return head

    def show_capture(self, shown: Shown, fetch: Fetch) -> None:
        """Another capture, seen whole; ``fetch`` gives the extremes of stretches of a channel, in its unit."""
        before, self.shown, self._fetch, self._mark_shown = self.shown, shown, fetch, -1
        same = before is not None and (before.of, before.capture) == (shown.of, shown.capture)
        if same and before is not None and (before.marks or not shown.marks):  # what is seen of it stays
            self._build()
            self._due.start()
            return
        if not self.row.isHidden():
            self.row.line.leave()
        span = shown.capture.count * shown.capture.step_s
        self._scale, self._unit = next(((s, u) for s, u in TIMES if span >= 2.0 * s), TIMES[-1])
        begin = shown.capture.begin_s
        self.at = [begin + 0.25 * span, begin + 0.75 * span]
        if len(shown.marks) > 1:
            self.at = [shown.marks[0].time_s, shown.marks[1].time_s]
        self._build()
        self._first_look()

    def offer(self, titles: Sequence[str]) -> None:
        """Other pictures that may be looked at instead of the record."""
        self.others.clear()
        self.others.addItems(["Record", *titles])
        self.others.setVisible(bool(titles))

    def _choose_other(self, at: int) -> None:
        title = self.others.itemText(at)
        self.others.setCurrentIndex(0)
        if at > 0:
            self.other.emit(title)

    def _first_look(self) -> None:
        """What lies between the marks, with room around; all of it where there are fewer than two."""
        marks = self.shown.marks if self.shown is not None else ()
        if self.shown is None or len(marks) < 2:
            self.whole()
            return
        one, apart = self.shown.capture, marks[-1].time_s - marks[0].time_s
        room = max(AROUND * apart, LEAST_AROUND * one.count * one.step_s)
        self.see(marks[0].time_s - room, marks[-1].time_s + room)

    def _build(self) -> None:
        """A pane for each channel, with cursors and marks."""
        if self.shown is None:
            return
        self._panes, self._lines, self._names, self._cursors, self._marks = [], [], [], [[], []], []
        channels = self.shown.capture.channels
        while len(self._pool) < len(channels):
            self._pool.append(self._new_pane())
        for n, widget in enumerate(self._pool):
            widget.setVisible(n < len(channels))
        for n, (channel, widget) in enumerate(zip(channels, self._pool, strict=False)):
            info = QUANTITIES[channel.address]
            pane = widget.getPlotItem()
            pane.clear()
            pane.getAxis("bottom").setStyle(showValues=n == len(channels) - 1)
            self._lines.append(pane.plot([], []))
            unit = UNIT_WORDS.get(channel.unit, channel.unit)
            name = pg.TextItem(f"{info.words}, {unit}", anchor=(0.0, 0.0))
            name.setFont(font(12, 600))
            pane.addItem(name, ignoreBounds=True)
            self._names.append(name)
            self._panes.append(pane)
            self._place_cursors(pane)
        self._place_marks()
        self.restyle()

    def _new_pane(self) -> pg.PlotWidget:
        widget = pg.PlotWidget(axisItems=axes())
        widget.setAccessibleName(f"Channel {len(self._pool) + 1} of the capture")
        widget.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # keys are for the capture as a whole
        pane = widget.getPlotItem()
        pane.setMenuEnabled(False)
        pane.hideButtons()
        pane.setMouseEnabled(x=True, y=False)
        pane.getAxis("left").setWidth(AXIS_PX)
        if self._pool:
            pane.setXLink(self._pool[0].getPlotItem())
        else:
            pane.sigXRangeChanged.connect(lambda *_: self._due.start())
        self._field.addWidget(widget, 1)
        return widget

    def restyle(self) -> None:
        """Take the colours of the theme in force."""
        t = theme()
        for widget in self._pool:
            widget.setBackground(t.paper)
        channels = self.shown.capture.channels if self.shown is not None else ()
        for pane, line, name, channel in zip(self._panes, self._lines, self._names, channels, strict=True):
            kind = QUANTITIES[channel.address].kind
            line.setPen(pg.mkPen(t.of(kind), width=1))
            name.setColor(t.text_of(kind))
            name.fill = pg.mkBrush(t.paper)
            last = pane is self._panes[-1]
            for side, text in (("left", ""), ("bottom", f"time, {self._unit}" if last else "")):
                axis = pane.getAxis(side)
                axis.setPen(pg.mkPen(t.line))
                axis.setTextPen(pg.mkPen(t.ink2))
                axis.setTickFont(font(12))
                axis.setLabel(text, siPrefixEnableRanges=NEVER, **{"color": t.ink2, "font-size": "12px"})
                axis.enableAutoSIPrefix(False)
                axis.setGrid(40)
                axis.setStyle(maxTickLevel=0)  # every line more of the grid costs a frame a millisecond
        for cursor in (*self._cursors[0], *self._cursors[1]):
            cursor.setPen(pg.mkPen(t.ink, width=1, style=Qt.PenStyle.DashLine))
        for mark in self._marks:
            mark.setPen(pg.mkPen(t.color("edge"), width=1))
            if getattr(mark, "label", None) is not None:
                mark.label.setColor(t.ink)
                mark.label.fill = pg.mkBrush(t.paper)
        self._read()

    def _place_cursors(self, pane: pg.PlotItem) -> None:
        for n in (0, 1):
            line = pg.InfiniteLine(self.at[n] / self._scale, angle=90, movable=True)
            line.sigPositionChanged.connect(lambda one, n=n: self._moved(n, float(one.value())))
            pane.addItem(line, ignoreBounds=True)
            self._cursors[n].append(line)

    def _place_marks(self) -> None:
        """In every pane a line, in the first its name."""
        marks = sorted(self.shown.marks if self.shown is not None else (), key=lambda m: m.time_s)
        for mark in marks:
            for n, pane in enumerate(self._panes):  # a name lies towards the middle of what is seen
                words = {"anchors": [(0, 0.5), (1, 0.5)]}
                line = pg.InfiniteLine(
                    mark.time_s / self._scale, angle=90, label=mark.name or None if n == 0 else None, labelOpts=words
                )
                line.setToolTip(mark.rule)
                if n == 0 and mark.name:
                    line.label.setFont(font(12, 600))
                pane.addItem(line, ignoreBounds=True)
                self._marks.append(line)

    # What is seen

    @property
    def seen_s(self) -> tuple[float, float]:
        low, high = self._panes[0].viewRange()[0]
        return float(low) * self._scale, float(high) * self._scale

    def see(self, low_s: float, high_s: float) -> None:
        """Show a stretch of time, no shorter than a few samples, no longer than the capture."""
        if self.shown is None:
            return
        one = self.shown.capture
        width = min(max(high_s - low_s, LEAST_SAMPLES * one.step_s), one.count * one.step_s)
        low_s = min(max(low_s, one.begin_s), one.begin_s + one.count * one.step_s - width)
        self._panes[0].setXRange(low_s / self._scale, (low_s + width) / self._scale, padding=0)
        self._due.start()

    def whole(self) -> None:
        if self.shown is not None:
            one = self.shown.capture
            self.see(one.begin_s, one.begin_s + one.count * one.step_s)

    def zoom(self, factor: float) -> None:
        """Closer by a factor, about the middle of what is seen."""
        low, high = self.seen_s
        middle, half = (low + high) / 2.0, (high - low) / 2.0 / factor
        self.see(middle - half, middle + half)

    def next_mark(self) -> None:
        """The next mark in the middle, closer."""
        if self.shown is not None and self.shown.marks:
            self._mark_shown = (self._mark_shown + 1) % len(self.shown.marks)
            at = self.shown.marks[self._mark_shown].time_s
            half = max(
                LEAST_SAMPLES * self.shown.capture.step_s, 0.03 * self.shown.capture.count * self.shown.capture.step_s
            )
            self.see(at - half, at + half)

    def draw(self) -> None:
        """Fetch and draw what is seen of every channel."""
        if self.shown is None or self._fetch is None or not self._panes:
            return
        one, (low, high) = self.shown.capture, self.seen_s
        start = max(0, int((low - one.begin_s) / one.step_s) - 1)
        stop = min(one.count, int((high - one.begin_s) / one.step_s) + 2)
        columns = max(200, int(self._panes[0].vb.width()))
        for pane, line, name, channel in zip(self._panes, self._lines, self._names, one.channels, strict=True):
            spans = self._fetch(channel, start, stop, columns)
            if not len(spans):
                continue
            each = -(-(stop - start) // columns)
            at = (one.begin_s + (start + each * np.arange(len(spans))) * one.step_s) / self._scale
            if each == 1:
                line.setData(at, spans[:, 0])
            else:
                line.setData(np.repeat(at, 2), spans.reshape(-1))
            least, greatest = float(spans[:, 0].min()), float(spans[:, 1].max())
            room = 0.06 * (greatest - least) or max(1e-9, 0.05 * abs(greatest))
            height = max(1.0, pane.vb.height())
            rows = self._name_marks(height) if pane is self._panes[0] else 0
            named = min(0.6, (NAME_PX + MARK_PX * rows) / height)  # names stand above the trace, not on it
            above = (greatest - least + 2.0 * room) * named / (1.0 - named)
            pane.setYRange(least - room, greatest + room + above, padding=0)
            name.setPos(low / self._scale, greatest + room + above)

    def _name_marks(self, height_px: float) -> int:
        """Names of marks below that of the channel; neighbours take turns in two rows. How many rows there are."""
        named = [m.label for m in self._marks if getattr(m, "label", None) is not None]
        rows = min(len(named), 2 if height_px >= ROWS_FROM_PX else 1)
        for k, one in enumerate(named):
            one.setPosition(1.0 - min(0.5, (NAME_PX + MARK_PX * (k % rows + 0.5)) / height_px))
        return rows

    # Cursors

    def _moved(self, n: int, at: float) -> None:
        self.at[n], self._last = at * self._scale, n
        for line in self._cursors[n]:
            if float(line.value()) != at:
                line.setValue(at)
        self._read()

    def keep(self) -> None:
        """Ask who keeps what lies between the cursors, and why they stand there."""
        if self.shown is not None and self.shown.capture.channels and not self.looked_at:
            self._offer()
            self.row.begin(self.shown.of, self.shown.beside)

    def _offer(self) -> None:
        """Everything that lies between the cursors, in words."""
        if self.shown is None or self._fetch is None:
            return
        one, (first, second) = self.shown.capture, self.at
        low, high = self.seen_s
        grain = max(one.step_s, (high - low) / max(1.0, self._panes[0].vb.width()))
        scale, unit = time_unit(second - first)
        channels = one.channels
        offers: list[tuple[Measure, str, str, str]] = [
            ("time", channels[0].address, "s", f"time {(second - first) / scale:.4g} {unit}")
        ]
        start, stop = sorted(min(max(0, round((t - one.begin_s) / one.step_s)), one.count - 1) for t in self.at)
        ahead, behind = self.values_at(first), self.values_at(second)
        for channel, a, b in zip(channels, ahead, behind, strict=False):
            spans = self._fetch(channel, start, stop + 1, 1)
            size = float(spans[:, 1].max() - spans[:, 0].min())
            inside = QUANTITIES[channel.address].inside
            offers.append(("change", channel.address, channel.unit, f"change of {inside} {b - a:.4g} {channel.unit}"))
            offers.append(("span", channel.address, channel.unit, f"span of {inside} {size:.4g} {channel.unit}"))
        self.row.show_offers(offers, (first, second, grain))

    def move_cursor(self, n: int, at_s: float) -> None:
        for line in self._cursors[n][:1]:
            line.setValue(at_s / self._scale)

    def bring_cursors(self) -> None:
        """Both cursors into what is seen."""
        low, high = self.seen_s
        for n, share in ((0, 0.3), (1, 0.7)):
            self.move_cursor(n, low + share * (high - low))

    def values_at(self, at_s: float) -> list[float]:
        """What each channel reads at a moment; nothing once the book that holds the samples is closed."""
        if self.shown is None or self._fetch is None:
            return []
        one = self.shown.capture
        k = min(max(0, round((at_s - one.begin_s) / one.step_s)), one.count - 1)
        spans = [self._fetch(c, k, k + 1, 1) for c in one.channels]
        return [float(s[0, 0]) for s in spans] if all(len(s) for s in spans) else []

    def _read(self) -> None:
        if self.shown is None:
            return
        apart = self.at[1] - self.at[0]
        scale, unit = time_unit(apart)
        parts = [f"Δt <b>{apart / scale:.4g} {unit}</b>"]
        ahead, behind = self.values_at(self.at[0]), self.values_at(self.at[1])
        read = list(zip(self.shown.capture.channels, ahead, behind, strict=False))
        for channel, a, b in read[:MOST_READ]:
            hue = theme().text_of(QUANTITIES[channel.address].kind).name()
            digits = max(0, math.ceil(-math.log10(channel.quantum))) if channel.quantum > 0.0 else 3
            unit = UNIT_WORDS.get(channel.unit, channel.unit)
            told = f"{a:.{digits}f} → <b>{b:.{digits}f} {unit}</b>".replace("-", "−")
            parts.append(f"<span style='color:{hue}'>{told}</span>")
        parts += ["…"] if len(read) > MOST_READ else []
        self.readout.setText("&nbsp;&nbsp;".join(parts))
        if not self.row.isHidden():
            self._offer()
        self._title()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._title()
        self._due.start()  # names keep their height in pixels

    def _title(self) -> None:
        """The title, shortened to the room that the readout leaves."""
        self.head.activate()
        title = self.shown.title if self.shown is not None else ""
        room = max(40, self.heading.width() - 8)
        self.heading.setText(self.heading.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, room))
        self.heading.setToolTip(title)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        low, high = self.seen_s if self._panes else (0.0, 1.0)
        ways = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}
        plain: dict[int, Callable[[], None]] = {
            Qt.Key.Key_Plus: lambda: self.zoom(CLOSER), Qt.Key.Key_Equal: lambda: self.zoom(CLOSER),
            Qt.Key.Key_Minus: lambda: self.zoom(1.0 / CLOSER), Qt.Key.Key_Home: self.whole,
            Qt.Key.Key_M: self.next_mark, Qt.Key.Key_C: self.bring_cursors, Qt.Key.Key_K: self.keep,
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in ways and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.move_cursor(self._last, self.at[self._last] + ways[key] * FINE * (high - low))
        elif key in ways:
            self.see(low + ways[key] * STEP * (high - low), high + ways[key] * STEP * (high - low))
        elif key in plain:
            plain[key]()
        else:
            super().keyPressEvent(event)
