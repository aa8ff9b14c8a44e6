"""The window's one connection to book and engine: documents, live view, commands."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QTimer, Signal

from zincsmith.bench.standin import probes_of
from zincsmith.book.reader import BookReader, Written
from zincsmith.engine.known_bench import pick_file
from zincsmith.history.run_view import RunView
from zincsmith.model.answers import Answer, DocumentsChanged, News, Ready, Refused, Scanned, TakenIn, Tried
from zincsmith.model.commands import Command, ResumeRun, StartRun
from zincsmith.model.errors import BookError
from zincsmith.model.rig import Rig
from zincsmith.model.states import RESUMABLE, State, allowed
from zincsmith.ui.collecting import Collecting
from zincsmith.ui.connection.ahead import Ahead
from zincsmith.ui.connection.documents import Documents
from zincsmith.ui.connection.engine_link import EngineLink
from zincsmith.ui.connection.judging_work import JudgingWork, Outcome
from zincsmith.ui.connection.unknown_bench import UnknownBench

REFRESH_MS = 40


class Session(Documents):
    """Signals: ``documents`` (unit, rig or plan changed), ``live`` (new events), ``state`` (engine state),
    ``refused`` (command, message), ``engine_lost`` (message), ``ready`` (interrupted run numbers),
    ``tried`` (what an instrument answered), ``scanned`` ((address, identity) of whoever answered),
    ``taken_in`` (number of the run that files became)."""

    judged_ready = Signal()
    live = Signal()
    state_changed = Signal()
    refused = Signal(str, str)
    engine_lost = Signal(str)
    ready = Signal(list)
    tried = Signal(Tried)
    scanned = Signal(list)
    taken_in = Signal(int)

    def __init__(self, book: Path, log: Path | None = None) -> None:
        self._link = EngineLink(book, log)
        super().__init__(book, self._link.client)
        self._collecting = Collecting(self)
        self._judging = JudgingWork(book)
        self._judging.done.connect(self.judged_ready)
        self._link.up.connect(self._engine_up)
        self._link.missing.connect(self._engine_missing)
        self._link.heard.connect(self._take)
        self._link.lost.connect(self._lost)
        self.view = RunView()
        self.ahead = Ahead(self, lambda: self.view)
        self.unknown_bench = UnknownBench(self, lambda: self.view)
        self.state = State.IDLE
        self.interrupted: list[int] = []
        self.problem = ""  # why the engine is not there
        self._seq = 0
        self._latest: int | None = None  # the latest run of the book, of whatever unit
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(REFRESH_MS)
        self._due.timeout.connect(self._catch_up)

    # Engine

    def read(self) -> None:
        """Read the book, if there is one.

        What stands in the way is said by ``open``; a book of an earlier form can be read once the engine has had it.
        """
        if self.reader is None and self.book_path.exists():
            with suppress(BookError):
                self._open_reader()

    def open(self) -> None:
        """Start the engine on the book; ``ready`` follows, or ``engine_lost``. Nothing waits for it meanwhile."""
        self.read()
        self._start_engine()

    def _start_engine(self) -> None:
        self._unanswered = 0
        self._link.start(self.rig)

    def _engine_up(self) -> None:
        self.problem = ""

    def _engine_missing(self, why: str) -> None:
        self.problem = why
        self.engine_lost.emit(why)

    def restart_engine(self) -> None:
        """After the engine was lost: a new one closes the interrupted run and can make the bench safe."""
        self._start_engine()

    @property
    def catching_up(self) -> bool:
        """Whether something was announced that the window has not read yet."""
        return self._due.isActive()

    def _take(self, answer: Answer) -> None:
        """What the engine says, each kind by its own."""
        match answer:
            case News():
                self._become(answer.state)
                if not self._due.isActive():
                    self._due.start()
            case Ready():
                self._take_ready(answer)
            case DocumentsChanged():
                self._take_documents()
            case TakenIn():
                self._catch_up()
                self.taken_in.emit(answer.run)
            case Tried():
                self.tried.emit(answer)
            case Scanned():
                self.scanned.emit(list(answer.found))
            case Refused():
                self._take_refused(answer)

    def _become(self, state: State) -> None:
        before, self.state = self.state, state
        if before is not state:
            self._catch_up()
            self.state_changed.emit()

    def _take_refused(self, answer: Refused) -> None:
        if answer.do == "open":
            self.read_only = answer.reason
        self.refused.emit(answer.do, answer.reason)

    def _take_ready(self, answer: Ready) -> None:
        self._become(answer.state)
        self.interrupted = list(answer.interrupted)
        if self.reader is None:
            self._open_reader()
            if self.rig is not None and self.rig.standin is not None:
                QTimer.singleShot(0, self, self._reach_bench)
        self._catch_up()
        self.ready.emit(self.interrupted)

    def _lost(self) -> None:
        self._catch_up()
        if self.read_only:
            return
        live = self.view.active
        self.state = State.NOT_CONFIRMED if live else State.IDLE
        how = self._link.client.how_it_ended
        self.problem = f"The engine ended unexpectedly{f': {how}' if how else ''}." + (
            " The guardian makes the bench safe; until that is read back take it as live, or switch the source off by "
            "hand."
            if live
            else ""
        )
        self.engine_lost.emit(self.problem)
        self.state_changed.emit()

    def close(self) -> None:
        """Nothing is lost: the engine makes safe what it runs and closes the book."""
        self._due.stop()
        if self.reader is not None:
            self.reader.close()
            self.reader = None
        self._judging.stop()
        self._link.stop()
        self._collecting.stop()

    # Book

    def _open_reader(self) -> None:
        self.reader = BookReader(self.book_path)
        self._load_documents()
        runs = self.reader.runs()
        if runs:
            self._fold_run(self.reader, runs[-1].id)
        self._seq = self.reader.last_seq()
        self._follow_unit()

    def _fold_run(self, reader: BookReader, run: int) -> None:
        from zincsmith.model.events import EVENTS

        quiet = tuple(kind for name, kind in EVENTS.items() if name not in ("Polled", "Intended"))
        kinds = quiet if reader.closed(run) is not None else ()  # polls of a run that has ended show nothing
        for written in reader.events(run=run, kinds=kinds):
            self._fold(reader, written)

    def _fold(self, reader: BookReader, written: Written) -> bool:
        """One more event for the view; whether a run began with it."""
        self.view.fold(written)
        from zincsmith.model.events import RunOpened

        opened = written.event
        if not isinstance(opened, RunOpened):
            return False
        self.view.plate = reader.unit(opened.unit, opened.unit_n).nameplate  # what it has besides what is read
        return True

    def _follow_unit(self) -> None:
        """The view is of the chosen unit's latest run, unless one goes on or the bench of the latest one is not off."""
        if self.reader is None or self.view.active or (self.view.closed is not None and not self.view.closed.safe):
            return
        runs = self.reader.runs()
        self._latest = runs[-1].id if runs else None
        own = next((r.id for r in reversed(runs) if r.unit == self.unit_key), None)
        if own == self.view.run:
            return
        self.view = RunView()
        if own is not None:
            self._fold_run(self.reader, own)
        self.live.emit()

    @property
    def whose(self) -> str:
        """Of which unit the shown run is, where that is not the chosen one; empty else."""
        opened = self.view.opened
        return opened.unit if opened is not None and opened.unit != self.unit_key else ""

    def _catch_up(self) -> None:
        self._due.stop()
        if self.reader is None:
            return
        found = False
        for written in self.reader.events(after=self._seq):
            self._seq = written.seq
            if self._fold(self.reader, written):
                self._latest = written.run
            found = True
        if found:
            self.live.emit()

    # What stations ask for

    def allowed(self, command: str) -> bool:
        return not self.read_only and not self.problem and allowed(self.state, command)

    def judging(self) -> Outcome | None:
        """The latest run, judged beside the window; None while that goes on, ``judged_ready`` is emitted then."""
        view = self.view
        # As the book has the unit: an edit that is on its way to it would be judged without itself.
        stored = self.reader.revision("unit", self.unit_key) if self.reader is not None else None
        return self._judging.outcome((view.run, len(view.points), view.closed, view.answered, stored))

    def confirm_bench(self, by: str) -> None:
        """A person confirms by name what is listed; the stand-in bench, if there is one, is started now."""
        self.unknown_bench.confirm(by)
        self._reach_bench()

    def use_rig(self, rig: Rig) -> None:
        """Take another rig; the engine is started anew so that it reaches the bench that belongs to it."""
        if rig.standin is not None:
            pick_file(rig.standin.file)
        self._unanswered += self.client.revise("rig", "bench", rig, "from a rig file")
        self.rig = rig
        self.unknown_bench.forget()
        self._reach_bench()

    def revise_rig(self, rig: Rig, why: str) -> None:
        """As any edit; a simulated scope whose probes were moved is reached anew."""
        before = self.rig
        super().revise_rig(rig, why)
        moved = before is not None and self.rig is rig and probes_of(before) != probes_of(rig)
        if moved and rig.standin is not None and not self.view.active:
            self._reach_bench()

    def _reach_bench(self) -> None:
        self._unanswered = 0
        self._link.restart(self.rig)

    def start_run(self, operator: str, ambient_degC: float, unattended: bool = False) -> None:
        self._unanswered += self.client.revise("plan", "plan", self.plan, "as shown at Plan")
        self.client.send(StartRun(self.unit_key, operator, ambient_degC, unattended))

    def resume_run(self, operator: str, ambient_degC: float, unattended: bool = False) -> None:
        """Go on with the latest run where it stopped."""
        self.client.send(ResumeRun(operator, ambient_degC, unattended))

    @property
    def resumable(self) -> bool:
        """Whether the latest run ended early and can go on."""
        closed, latest = self.view.closed, self.view.run == self._latest
        return closed is not None and closed.outcome in RESUMABLE and latest and self.allowed("resume run")

    def send(self, command: Command) -> None:
        """A command of the table of states."""
        self.client.send(command)
