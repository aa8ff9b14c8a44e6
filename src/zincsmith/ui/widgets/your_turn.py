"""Your turn: one line that is always focused while a person is asked for a reading."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeySequence, QPainter, QPaintEvent, QPolygonF, QShortcut
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from zincsmith.analysis.expectation import far_off
from zincsmith.formats.entry import typed_value
from zincsmith.formats.words import UNIT_WORDS, local_time
from zincsmith.model.address import name_of
from zincsmith.model.errors import InputError
from zincsmith.model.events import EntryAsked, EntryRefused
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Reading
from zincsmith.ui import ink
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import Panel, clear, label
from zincsmith.ui.widgets.probe_spots import ProbeSpots
from zincsmith.ui.widgets.stopwatch import Stopwatch


class ExpectedRuler(QWidget):
    """The rehearsed span as a bar, the typed value as a needle."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(34)
        self._span: tuple[float, float] | None = None
        self._value: float | None = None
        self._kind = "plain"

    def show_span(self, low: float | None, high: float | None, kind: str) -> None:
        self._span = (low, high) if low is not None and high is not None and high > low else None
        self._kind = kind
        self.update()

    def show_value(self, value: float | None) -> None:
        self._value = value
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._span is None:
            return
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._span
        room = (high - low) * 0.5
        bar = QRectF(10, 10, self.width() - 20, 7)
        first, last = low - room, high + room

        def x(value: float) -> float:
            return bar.left() + min(1.0, max(0.0, (value - first) / (last - first))) * bar.width()

        p.fillRect(bar, t.color("zinc_light"))
        p.fillRect(QRectF(x(low), bar.top(), x(high) - x(low), bar.height()), t.color("zinc"))
        for value in (low, high):
            box = QRectF(x(value) - 40, bar.bottom() + 1, 80, 16)
            ink.write(p, box, f"{value:.4g}", 12, 400, t.color("ink2"), ink.CENTRE)
        if self._value is not None:
            at = x(self._value)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.of(self._kind))
            p.drawPolygon(QPolygonF([QPointF(at - 5, 1), QPointF(at + 5, 1), QPointF(at, 10)]))
            p.fillRect(QRectF(at - 1, 8, 2, 10), t.of(self._kind))


class YourTurn(Panel):
    """Signal ``entered`` carries the text as typed, and the event that asked for it."""

    entered = Signal(str, int)
    corrects = Signal()

    def __init__(self) -> None:
        super().__init__("", name="paper")
        self.kicker = label("YOUR TURN", 12, 600)
        self.what = label("", 18, 700, wrap=True)
        self.spot = label("", 13, 400, "second", wrap=True)
        self.line = QLineEdit()
        self.line.setFont(font(30, 500))
        self.line.setMinimumHeight(52)
        self.line.setAccessibleName("Reading")
        self.line.returnPressed.connect(self._enter)
        self.line.textChanged.connect(self._typed)
        up = QShortcut(QKeySequence(Qt.Key.Key_Up), self.line)
        up.setContext(Qt.ShortcutContext.WidgetShortcut)
        up.activated.connect(self.corrects)
        self.unit = label("", 20)
        self.expected = label("", 13, 400, "second")
        self.problem = label("", 13, 400, "problem", wrap=True)
        self.ruler = ExpectedRuler()
        self.where = ProbeSpots()
        self.terminals: tuple[tuple[str, ...], tuple[str, ...]] = (("L", "N"), ("+", "-"))
        self.entries = QGridLayout()
        self.entries.setHorizontalSpacing(12)
        self.watch = Stopwatch(self.line)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.unit)
        row.addWidget(self.watch)
        for widget in (self.kicker, self.what, self.spot, self.where):
            self.body.addWidget(widget)
        self.body.addLayout(row)
        self.body.addWidget(self.expected)
        self.body.addWidget(self.ruler)
        self.body.addWidget(self.problem)
        self.head_entries = label("Last entries    Up or Ctrl+E corrects, the first value is kept", 13, 600)
        self.body.addWidget(self.head_entries)
        self.body.addLayout(self.entries)
        self.body.addStretch()
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)  # keeps the focus here between two turns
        self._shown: tuple[object, ...] = ()
        self._confirmed = ""  # far off, and asked once already
        self._unit = ""
        self._asked: EntryAsked | None = None
        self._n = 0  # the event that asks
        self._refused: EntryRefused | None = None
        self.rest("HANDS FREE", "Nothing to type now", "")

    def rest(self, kicker: str, title: str, text: str) -> None:
        """Nobody is asked; say why, and when the next turn comes."""
        self._asked = None
        had_focus = self.line.hasFocus()
        self._frame("yourturn" if kicker == "PAUSED" else "paper")
        self.kicker.setText(kicker)
        self.what.setText(title)
        self.spot.setText(text)
        for widget in (self.where, self.line, self.unit, self.expected, self.ruler, self.problem):
            widget.hide()
        self.watch.offer(False)
        if had_focus:
            self.setFocus()

    def ask(self, asked: EntryAsked, n: int, refused: EntryRefused | None) -> None:
        """Ask for a reading, ``n`` is the event that does; a refused text stays in the line with the reason below."""
        info = QUANTITIES[asked.quantity]
        self._unit = info.unit
        if asked is self._asked and refused is self._refused:
            return  # what was said about the line stays
        self.problem.setText(f"“{refused.text}” is refused: {refused.reason}." if refused else "")
        fresh = asked is not self._asked
        self._asked, self._n, self._refused = asked, n, refused
        self._frame("yourturn")
        self.kicker.setText("YOUR TURN")
        self.what.setText(asked.what)
        where = f"{asked.spot}. " if asked.spot else ""
        setting = f"{asked.setting}. " if asked.setting else ""
        change = f", or the change from {asked.against:g} V: rel -12m, null -12m" if asked.against is not None else ""
        timed = name_of(asked.quantity) == "timed"
        how = "Space starts and stops the time, or type it." if timed else "Read it once it is still."
        self.spot.setText(f"{setting}{where}{how} Type a dash if it cannot be read{change}.")
        if not timed:
            self.where.show_spot(asked.quantity, asked.spot, *self.terminals)
        self.unit.setText(UNIT_WORDS.get(info.unit, info.unit))
        self.unit.setStyleSheet(f"color: {theme().of(info.kind).name()}")
        low, high = asked.expected_low, asked.expected_high
        span = f"expected {low:.1f} to {high:.1f}" if low is not None and high is not None else ""
        self.expected.setText(f"Enter takes it    {span}")
        self.ruler.show_span(low, high, info.kind)
        for widget in (self.where, self.line, self.unit, self.expected, self.ruler, self.problem):
            widget.show()
        self.where.setVisible(not timed)
        self.ruler.setVisible(not timed)
        if fresh:
            self.watch.offer(timed)
            self.line.clear()
        self.line.selectAll()
        self.line.setFocus()

    def show_entries(self, entries: list[tuple[str, Reading]], first: Mapping[str, float | None]) -> None:
        """The last entries, newest first; ``first`` holds the values that were corrected, by reading."""
        shown = (tuple(entries[-4:]), tuple(first.items()))
        if shown == self._shown:
            return
        self._shown = shown
        clear(self.entries)
        self.head_entries.setVisible(bool(entries))
        for row, (at, reading) in enumerate(reversed(entries[-4:])):
            unit = UNIT_WORDS.get(reading.unit, reading.unit)
            value = "could not be read" if reading.value is None else f"{reading.value:g} {unit}"
            words = QUANTITIES[reading.address].words
            if reading.id in first:
                was = first[reading.id]
                value += f"  (first {was:g})" if was is not None else "  (first not read)"
            for column, text in enumerate((local_time(at), words, value)):
                made = label(text, 13, 600 if column == 2 else 400, "" if column else "second")
                if column == 2:
                    made.setAlignment(Qt.AlignmentFlag.AlignRight)
                self.entries.addWidget(made, row, column)

    def _enter(self) -> None:
        """Hand on what was typed; a value that is far off is asked again, not forbidden."""
        text = self.line.text()
        if self._asked is None or not text.strip() or self.watch.running:
            return
        if text != self._confirmed and (words := self._far_off(text)):
            self._confirmed = text
            self.problem.setText(words)
            self.line.selectAll()
            return
        self._confirmed = ""
        self.entered.emit(text, self._n)

    def _far_off(self, text: str) -> str:
        """What is said about a value that the state of the unit does not explain; empty else."""
        asked = self._asked
        if asked is None or asked.expected_low is None or asked.expected_high is None:
            return ""
        try:
            value = typed_value(text, self._unit, asked.against)
        except InputError:
            return ""  # the engine refuses it with the reason
        words = far_off(asked.quantity, value, asked.expected_low, asked.expected_high) if value is not None else ""
        return f"{words} Enter again takes it all the same." if words else ""

    def _typed(self, text: str) -> None:
        try:
            against = self._asked.against if self._asked is not None else None
            self.ruler.show_value(typed_value(text, self._unit, against) if text.strip() and self._unit else None)
        except InputError:
            self.ruler.show_value(None)

    def _frame(self, name: str) -> None:
        if self.objectName() != name:
            self.setObjectName(name)
            self.style().unpolish(self)
            self.style().polish(self)
