"""The bench strip: what is live now, on every station, and the button that makes the bench safe."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeySequence, QPainter, QPaintEvent, QShortcut
from PySide6.QtWidgets import QPushButton, QWidget

from zincsmith.bench.signs import INPUT, OUTPUT
from zincsmith.formats.words import local_time, number
from zincsmith.history.run_view import RunView
from zincsmith.model.address import port_of
from zincsmith.model.states import UNSAFE, State
from zincsmith.ui import ink
from zincsmith.ui.theme import font, theme

HEIGHT = 56
FIGURES = (
    ("input_voltage", "voltage", "V", 1, 16),
    ("input_power", "power", "W", 2, 120),
    ("output_voltage", "voltage", "V", 2, 256),
    ("output_current", "current", "A", 3, 360),
)


class MakeSafeButton(QPushButton):
    """Large, always enabled; F12 presses it from everywhere."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("main")
        self.setAccessibleName("Make safe, F12")
        self.setFixedSize(128, 40)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        t, p = theme(), QPainter(self)
        ink.write(p, QRectF(16, 3, 108, 20), "Make safe", 15, 600, t.color("button_ink"))
        ink.write(p, QRectF(16, 20, 108, 16), "F12", 12, 400, t.color("button_ink"))


class BenchStrip(QWidget):
    """Signal ``make_safe``. ``show_state`` says what is energised."""

    make_safe = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self.setFont(font(13))
        self._view = RunView()
        self._state = State.IDLE
        self._problem = self._blocked = ""
        self.button = MakeSafeButton(self)
        self.button.clicked.connect(self.make_safe)
        shortcut = QShortcut(QKeySequence("F12"), self)
        shortcut.setContext(Qt.ShortcutContext.ApplicationShortcut)
        shortcut.activated.connect(self.make_safe)

    def show_state(self, view: RunView, state: State, problem: str, blocked: str = "") -> None:
        self._view, self._state, self._problem, self._blocked = view, state, problem, blocked
        headline, detail = self.words()
        self.setAccessibleName(f"Bench: {headline}, {detail}")
        self.update()

    def words(self) -> tuple[str, str]:
        """What is energised, in words."""
        view = self._view
        if self._problem:
            return "Engine not running", self._problem
        if self._state in UNSAFE:
            return "NOT CONFIRMED OFF", "switch the source off by hand, then make safe"
        if self._state is State.MAKING_SAFE:
            return "Making safe", "source off, output down, load off"
        if self._state is State.TAKEN_OVER:
            return "Switched off by the guardian", "as it read back; the inside may be charged"
        if self._state is State.PAUSED:
            return "PAUSED", view.state_why
        if not view.active:
            if self._blocked:
                return "Nothing energised", f"Arming is refused: {self._blocked}"
            if view.closed is not None and view.closed.safe:
                nodes = ", ".join(one.partition(" (")[0] for one in view.closed.inside)
                return "Source off", f"{_seen_words(view)}; {nodes or 'the inside'} may be charged"
            return "Nothing energised", "no run under way"
        live = view.live
        return live.headline, live.detail

    def resizeEvent(self, event: object) -> None:
        self.button.move(self.width() - 144, 8)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.fillRect(self.rect(), t.color("strip"))
        ink.hairline(p, QPointF(0, 0.5), QPointF(self.width(), 0.5))
        hottest = self._view.hottest
        spot = f"HOT SPOT {port_of(hottest)}".rstrip()
        for words, x in (("INPUT", 16), (f"OUTPUT {self._view.port}".rstrip(), 256), (spot, 488)):
            ink.write(p, QRectF(x, 5, 150, 18), words, 12, 400, t.color("ink2"))
        for quantity, kind, unit, decimals, x in FIGURES:
            self._figure(p, x, quantity, kind, unit, decimals)
        self._figure(p, 488, hottest, "temperature", "°C", 1)
        if self._typed_at():
            left = 488 + ink.width(spot, 12) + 6
            ink.write(p, QRectF(left, 5, 90, 18), self._typed_at(), 12, 400, t.color("ink2"))
        headline, detail = self.words()
        alarm = self._state in UNSAFE or bool(self._problem)
        room = self.width() - 144 - 632 - 16
        ink.write(p, QRectF(632, 8, room, 20), headline, 14, 600, t.color("alarm") if alarm else None)
        ink.write(p, QRectF(632, 28, room, 18), detail, 12, 400, t.color("ink2"))

    def _figure(self, p: QPainter, x: float, quantity: str, kind: str, unit: str, decimals: int) -> None:
        value = self._view.near.get(quantity, self._view.now.get(quantity))
        text = f"{number(value, decimals)} {unit}" if value is not None else f"– {unit}"
        color = theme().of(kind) if value is not None else theme().color("ink2")
        ink.write(p, QRectF(x, 22, 134, 28), text, 20, 500, color)

    def _typed_at(self) -> str:
        """The time at which a hot spot was typed: it ages, a polled one does not."""
        hottest = self._view.hottest
        typed = [at for at, reading in self._view.entries if reading.address == hottest]
        return f"at {local_time(typed[-1])}" if typed and hottest in self._view.now else ""


def _seen_words(view: RunView) -> str:
    """What was seen beside the source's own word, short enough for the strip."""
    seen = view.closed.seen if view.closed is not None else ()
    claims = [claim for claim in (OUTPUT, INPUT) if any(one.startswith(claim) for one in seen)]
    return ", ".join(claims) or "load off"
