"""The window's line to stand-in bench and engine: both are started without waiting, and heard as messages."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from zincsmith.engine.client import EngineClient
from zincsmith.model.answers import Answer
from zincsmith.model.commands import Here
from zincsmith.model.errors import InputError
from zincsmith.model.rig import Rig

BEAT_MS = 1000
SOON_MS = 20


class EngineLink(QObject):
    """Signals: ``up`` (the engine is started), ``missing`` (why it is not), ``heard`` (a message), ``lost``."""

    up = Signal()
    missing = Signal(str)
    heard = Signal(Answer)
    lost = Signal()

    def __init__(self, book: Path, log: Path | None = None) -> None:
        super().__init__()
        self.client = EngineClient(book, log)
        self._rig: Rig | None = None
        self._beat = QTimer(self)  # of the event loop, not of a thread: a frozen window falls silent
        self._beat.setInterval(BEAT_MS)
        self._beat.timeout.connect(lambda: self.client.send(Here()))
        self._soon = QTimer(self)  # once the window is painted: their processes would take the processors that paint it
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._launch)
        self._ear: QSocketNotifier | None = None  # on the engine
        self._awaited: QSocketNotifier | None = None  # on the stand-in bench, until it has said its addresses

    def start(self, rig: Rig | None) -> None:
        """The stand-in bench first, if the rig has one; the engine once that has said its addresses. What is said from
        here on reaches it."""
        self._rig = rig
        self.client.expect()
        self._soon.start()

    def _launch(self) -> None:
        try:
            self.client.launch(self._rig)
        except InputError as error:
            self.missing.emit(str(error))
            return
        said = self.client.standin_output
        if said < 0:
            self._start()
        else:
            self._awaited = QSocketNotifier(said, QSocketNotifier.Type.Read, self)
            self._awaited.activated.connect(self._start)

    def _start(self) -> None:
        _end(self._awaited)
        self._awaited = None
        try:
            self.client.start(self._rig)
        except InputError as error:
            self.missing.emit(str(error))
            return
        self.up.emit()
        self.client.send(Here())
        self._beat.start()
        self._ear = QSocketNotifier(self.client.fileno, QSocketNotifier.Type.Read, self)
        self._ear.activated.connect(self._hear)

    def _hear(self) -> None:
        messages = self.client.receive()
        for message in messages or ():
            self.heard.emit(message)
        if messages is None or self.client.fileno < 0:
            _end(self._ear)
            self._ear = None
            self._beat.stop()
            self.lost.emit()

    def restart(self, rig: Rig | None) -> None:
        """A new engine, on the bench that belongs to the rig."""
        self.stop()
        self.start(rig)

    def stop(self) -> None:
        """Hang up. What was said before the engine was there still reaches it."""
        if self._soon.isActive():
            self._soon.stop()
            if self.client.said:
                self._launch()
        if self._awaited is not None:
            self._start()
        _end(self._ear)
        self._ear = None
        self._beat.stop()
        self.client.stop()


def _end(notifier: QSocketNotifier | None) -> None:
    if notifier is not None:
        notifier.setEnabled(False)
        notifier.deleteLater()
