"""The window's one connection to book and engine: documents, live view, commands."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from zincsmith.book.reader import BookReader
from zincsmith.engine.client import EngineClient
from zincsmith.engine.rehearsal import Itinerary, rehearse
from zincsmith.engine.states import State, allowed
from zincsmith.formats.plan_file import NAMED
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import BookError, InputError, ZincsmithError
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.ui.run_view import RunView

REFRESH_MS = 40


class Session(QObject):
    """Signals: ``documents`` (unit, rig or plan changed), ``live`` (new events), ``state`` (engine state),
    ``refused`` (command, message), ``engine_lost`` (message), ``ready`` (interrupted run numbers)."""

    documents = Signal()
    live = Signal()
    state_changed = Signal()
    refused = Signal(str, str)
    engine_lost = Signal(str)
    ready = Signal(list)

    def __init__(self, book: Path, log: Path | None = None) -> None:
        super().__init__()
        self.book_path = book
        self.client = EngineClient(book, log)
        self.reader: BookReader | None = None
        self.view = RunView()
        self.state = State.IDLE
        self.unit: Unit | None = None
        self.rig: Rig | None = None
        self.plan: Plan = NAMED["static-grid"]
        self.can_undo = self.can_redo = False
        self.read_only = ""
        self.interrupted: list[int] = []
        self.problem = ""  # why the engine is not there
        self._seq = 0
        self._rehearsed_of: tuple[object, ...] = ()
        self._rehearsed: Itinerary | str = ""
        self._notifier: QSocketNotifier | None = None
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(REFRESH_MS)
        self._due.timeout.connect(self._catch_up)

    # Engine

    def open(self) -> None:
        """Start the engine on the book; ``ready`` follows, or ``engine_lost``."""
        if self.book_path.exists():
            self._open_reader()
        self._start_engine()

    def _start_engine(self) -> None:
        try:
            self.client.start(self.rig)
        except InputError as error:
            self.problem = str(error)
            self.engine_lost.emit(str(error))
            return
        self.problem = ""
        self._notifier = QSocketNotifier(self.client.fileno, QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._hear)

    def restart_engine(self) -> None:
        """After the engine was lost: a new one closes the interrupted run and can make the bench safe."""
        self._start_engine()

    def _hear(self) -> None:
        messages = self.client.receive()
        if messages is None:
            self._lost()
            return
        for message in messages:
            self._take(message)
        if self.client.fileno < 0:
            self._lost()

    def _take(self, message: dict[str, Any]) -> None:
        if "state" in message:
            before, self.state = self.state, State(message["state"])
            if before is not self.state:
                self._catch_up()
                self.state_changed.emit()
        if message.get("ready"):
            self.interrupted = message["interrupted"]
            if self.reader is None:
                self._open_reader()
            self._catch_up()
            self.ready.emit(self.interrupted)
        if message.get("documents"):
            self._load_documents()
        if "refused" in message:
            if message["do"] == "open":
                self.read_only = message["refused"]
            self.refused.emit(message["do"], message["refused"])
        if "seq" in message and not self._due.isActive():
            self._due.start()

    def _lost(self) -> None:
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier.deleteLater()
            self._notifier = None
        self._catch_up()
        if self.read_only:
            return
        live = self.view.active
        self.state = State.NOT_CONFIRMED if live else State.IDLE
        self.problem = "The engine ended unexpectedly." + (
            " The bench is not confirmed safe: switch the source off by hand." if live else ""
        )
        self.engine_lost.emit(self.problem)
        self.state_changed.emit()

    def close(self) -> None:
        """Nothing is lost: the engine makes safe what it runs and closes the book."""
        if self._notifier is not None:
            self._notifier.setEnabled(False)
        self._due.stop()
        if self.reader is not None:
            self.reader.close()
            self.reader = None
        self.client.stop()

    # Book

    def _open_reader(self) -> None:
        self.reader = BookReader(self.book_path)
        self._load_documents()
        runs = self.reader.runs()
        if runs:
            self._fold_run(runs[-1].id)
        self._seq = self.reader.last_seq()

    def _fold_run(self, run: int) -> None:
        assert self.reader is not None
        for written in self.reader.events(run=run):
            self.view.fold(written)

    def _load_documents(self) -> None:
        if self.reader is None:
            return
        self.unit = self._or_none(self.reader.unit)
        self.rig = self._or_none(self.reader.rig)
        self.plan = self._or_none(self.reader.plan) or NAMED["static-grid"]
        self.can_undo = self.can_redo = False
        if self.unit is not None:
            revision = self.reader.revision("unit", self.reader.current_key("unit") or "")
            if revision is not None:
                _, self.can_undo, self.can_redo = revision
        self.documents.emit()

    @staticmethod
    def _or_none(read: Any) -> Any:
        try:
            return read()
        except BookError:
            return None

    def _catch_up(self) -> None:
        self._due.stop()
        if self.reader is None:
            return
        found = False
        for written in self.reader.events(after=self._seq):
            self._seq = written.seq
            self.view.fold(written)
            found = True
        if found:
            self.live.emit()

    # What stations ask for

    def allowed(self, command: str) -> bool:
        return not self.read_only and not self.problem and allowed(self.state, command)

    @property
    def unit_key(self) -> str:
        return (self.reader.current_key("unit") if self.reader else None) or (self.unit.tag if self.unit else "")

    def itinerary(self) -> Itinerary | str:
        """The rehearsal of the plan, or the reason why there is none."""
        if self.unit is None:
            return "There is no unit yet. Type its ratings at Nameplate."
        if self.rig is None:
            return "There is no rig yet. Load one at Rig."
        ambient = self.view.opened.ambient_degC if self.view.opened else None
        of = (self.unit, self.rig, self.plan, ambient)
        if of != self._rehearsed_of:
            self._rehearsed_of = of
            try:
                room = ambient if ambient is not None else 23.0
                self._rehearsed = rehearse(self.unit.nameplate, self.rig, self.plan, room)
            except ZincsmithError as error:
                self._rehearsed = str(error)
        return self._rehearsed

    def judged(self) -> JudgedRun | None:
        """The latest run, judged; None when there is none."""
        if self.reader is None or not self.reader.runs():
            return None
        return judge_run(self.reader)

    def revise_unit(self, unit: Unit, why: str) -> None:
        self.client.revise("unit", self.unit_key or unit.tag, unit, why)

    def revise_rig(self, rig: Rig, why: str) -> None:
        self.client.revise("rig", "bench", rig, why)

    def use_rig(self, rig: Rig) -> None:
        """Take another rig; the engine is started anew so that it reaches the bench that belongs to it."""
        self.client.revise("rig", "bench", rig, "from a rig file")
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier = None
        self.client.stop()
        self.rig = rig
        self._start_engine()

    def undo(self) -> None:
        self.client.send("undo", document="unit", key=self.unit_key)

    def redo(self) -> None:
        self.client.send("redo", document="unit", key=self.unit_key)

    def start_run(self, operator: str, ambient_degC: float) -> None:
        self.client.revise("plan", "plan", self.plan, "as shown at Plan")
        self.client.send("start", unit=self.unit_key, operator=operator, ambient_degC=ambient_degC)

    def send(self, do: str, text: str = "") -> None:
        """pass, enter, note, abort, make safe."""
        self.client.send(do, text=text)
