"""A stopwatch beside a line that asks for a time: one key starts it, the same key stops it."""

from __future__ import annotations

from PySide6.QtCore import QElapsedTimer, QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from zincsmith.ui.widgets.panel import button

TICK_MS = 100


class Stopwatch(QWidget):
    """It writes its seconds into a line, while it runs and once it was stopped."""

    def __init__(self, line: QLineEdit) -> None:
        super().__init__()
        self._line = line
        self.press = button("Start   Space")
        self.press.setAccessibleName("Stopwatch: start or stop")
        self.press.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.press.clicked.connect(self.toggle)
        self._offered = False
        line.installEventFilter(self)
        self._since = QElapsedTimer()
        self._ticks = QTimer(self)
        self._ticks.setInterval(TICK_MS)
        self._ticks.timeout.connect(self._tick)
        inside = QHBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.press)
        self.offer(False)

    @property
    def running(self) -> bool:
        return self._ticks.isActive()

    def offer(self, timed: bool) -> None:
        """Shown where a time is asked for; elsewhere a blank is a blank."""
        self.stop()
        self.setVisible(timed)
        self._offered = timed

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """A line takes a blank for text before any shortcut hears of it: here it is taken first."""
        pressed = self._offered and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        if not pressed or event.key() != Qt.Key.Key_Space:  # type: ignore[attr-defined]
            return False
        if not event.isAutoRepeat():  # type: ignore[attr-defined]
            self.toggle()
        return True

    def toggle(self) -> None:
        """Start from zero, or stop and leave what it shows, chosen so that typing takes its place."""
        if self.running:
            self._tick()
            self.stop()
            self._line.selectAll()
            return
        self._since.start()
        self._ticks.start()
        self._tick()
        self.press.setText("Stop   Space")

    def stop(self) -> None:
        self._ticks.stop()
        self.press.setText("Start   Space")

    def _tick(self) -> None:
        self._line.setText(f"{self._since.elapsed() / 1000.0:.1f}")
