"""The window's one connection to book and engine: documents, live view, commands."""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from zincsmith.book.reader import BookReader, UnitRow
from zincsmith.engine.known_bench import Unknown, confirm, pick_file, unknown_of
from zincsmith.history.run_view import RunView
from zincsmith.model.answers import Answer, DocumentsChanged, News, Ready, Refused, Scanned, TakenIn, Tried
from zincsmith.model.commands import Choose, Command, KeepPhoto, Note, Redo, ResumeRun, StartRun, Undo
from zincsmith.model.errors import BookError, ZincsmithError
from zincsmith.model.events import EVENTS, RunOpened
from zincsmith.model.intake import Photograph
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import RESUMABLE, State, allowed
from zincsmith.model.unit import Unit
from zincsmith.procedures.plan_file import NAMED
from zincsmith.suitability.case import Fault, Severity
from zincsmith.suitability.check import check
from zincsmith.ui.engine_link import EngineLink
from zincsmith.ui.judging_work import JudgingWork, Outcome
from zincsmith.ui.photo_intake import Prepared

# What works figures out is read when a station first asks for one: the window is there before NumPy is.
if TYPE_CHECKING:
    from zincsmith.judge.decide import Decision
    from zincsmith.planning.rehearsal import Itinerary

REFRESH_MS = 40


@dataclass(frozen=True)
class Prediction:
    """``problem`` says why there is no rehearsal, and so nothing that can be decided."""

    decisions: tuple[Decision, ...]
    problem: str


QUIET = tuple(kind for name, kind in EVENTS.items() if name not in ("Polled", "Intended"))


def _rated_otherwise(one: Unit, other: Unit) -> bool:
    """Whether what a plan's lines follow from differs."""
    a, b = one.nameplate, other.nameplate
    return (a.inputs, a.rules, a.claims) != (b.inputs, b.rules, b.claims)


class Session(QObject):
    """Signals: ``documents`` (unit, rig or plan changed), ``live`` (new events), ``state`` (engine state),
    ``refused`` (command, message), ``engine_lost`` (message), ``ready`` (interrupted run numbers),
    ``tried`` (what an instrument answered), ``scanned`` ((address, identity) of whoever answered),
    ``taken_in`` (number of the run that files became)."""

    judged_ready = Signal()
    documents = Signal()
    live = Signal()
    state_changed = Signal()
    refused = Signal(str, str)
    engine_lost = Signal(str)
    ready = Signal(list)
    tried = Signal(Tried)
    scanned = Signal(list)
    taken_in = Signal(int)

    _unknown_of: object = None
    _unknown: tuple[Unknown, ...] = ()
    _named_rigs: Sequence[Rig] = ()

    def __init__(self, book: Path, log: Path | None = None) -> None:
        super().__init__()
        self.book_path = book
        self._judging = JudgingWork(book)
        self._judging.done.connect(self.judged_ready)
        self._link = EngineLink(book, log)
        self.client = self._link.client
        self._link.up.connect(self._engine_up)
        self._link.missing.connect(self._engine_missing)
        self._link.heard.connect(self._take)
        self._link.lost.connect(self._lost)
        self.reader: BookReader | None = None
        self.view = RunView()
        self.state = State.IDLE
        self.unit: Unit | None = None
        self.unit_key = ""  # which document the unit is; its tag may have been corrected since
        self.rig: Rig | None = None
        self.plan: Plan = NAMED["static-grid"]
        self.read_only = ""
        self.interrupted: list[int] = []
        self.problem = ""  # why the engine is not there
        self._seq = 0
        self._latest: int | None = None  # the latest run of the book, of whatever unit
        self._unanswered = 0  # document commands the engine has not answered yet
        self._rehearsed_of: tuple[object, ...] = ()
        self._rehearsed: Itinerary | str = ""
        self._faults_of: tuple[object, ...] = ()
        self._faults: tuple[Fault, ...] = ()
        self._predicted_of: tuple[object, ...] = ()
        self._predicted = Prediction((), "")
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

    def _take_documents(self) -> None:
        self._unanswered = max(0, self._unanswered - 1)
        if self._unanswered == 0:  # until then what a person typed is newer than the book
            self._load_documents()

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
        self.problem = "The engine ended unexpectedly." + (
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
        kinds = QUIET if reader.closed(run) is not None else ()  # polls of a run that has ended show nothing
        for written in reader.events(run=run, kinds=kinds):
            self.view.fold(written)

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

    def _load_documents(self) -> None:
        if self.reader is None:
            return
        self.unit = self._or_none(self.reader.unit)
        self.unit_key = self.reader.current_key("unit") or ""
        self.rig = self._or_none(self.reader.rig)
        self.plan = self._or_none(self.reader.plan) or NAMED["static-grid"]
        self._follow_unit()
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
            if isinstance(written.event, RunOpened):
                self._latest = written.run
            found = True
        if found:
            self.live.emit()

    # What stations ask for

    def allowed(self, command: str) -> bool:
        return not self.read_only and not self.problem and allowed(self.state, command)

    def itinerary(self) -> Itinerary | str:
        """The rehearsal of the plan, or the reason why there is none."""
        from zincsmith.planning.rehearsal import rehearse

        if self.unit is None:
            return "There is no unit yet. Type its ratings at Nameplate."
        if self.rig is None:
            return "There is no rig yet. Load one at Rig."
        if self.unit.look.blocks:
            return (
                "The look-over found this unit not worth powering. Change that verdict at Nameplate, or state there "
                "why it is powered all the same, and who decided."
            )
        ambient = self.view.opened.ambient_degC if self.view.opened else None
        of = (self.unit, self.rig, self.plan, ambient)
        if of != self._rehearsed_of:
            self._rehearsed_of = of
            try:
                room = ambient if ambient is not None else 23.0
                self._rehearsed = rehearse(self.unit, self.rig, self.plan, room)
            except ZincsmithError as error:
                self._rehearsed = str(error)
        return self._rehearsed

    def faults(self) -> tuple[Fault, ...]:
        """What is wrong with the rig for this unit and plan. Worked out once a change."""
        if self.unit is None or self.rig is None:
            return ()
        of = (self.unit, self.rig, self.plan)
        if of != self._faults_of:
            self._faults_of, self._faults = of, tuple(check(*of))
        return self._faults

    def unknown(self) -> tuple[Unknown, ...]:
        """What the rig, and that of a run which left its bench behind, names and nobody has confirmed here."""
        closed, left = self.view.closed, None
        if self.reader is not None and closed is not None and not closed.safe and self.view.run is not None:
            left = self.reader.run(self.view.run).rig_n
        of = (self.rig, left)
        if of != self._unknown_of:
            rigs = [self.rig] if self.rig is not None else []
            if left is not None and self.reader is not None:
                rigs.append(self.reader.rig(left))
            found = dict.fromkeys(u for rig in rigs for u in unknown_of(rig))
            self._unknown_of, self._unknown, self._named_rigs = of, tuple(found), rigs
        return self._unknown

    def confirm_bench(self, by: str) -> None:
        """A person confirms by name what is listed; the stand-in bench, if there is one, is started now."""
        self.unknown()
        for rig in self._named_rigs:
            confirm(rig, by)
        self._unknown_of = None
        self._reach_bench()

    def prediction(self) -> Prediction:
        """What the rig can decide. Worked out once a change of what it depends on: ratings, rig, plan."""
        if self.unit is None or self.rig is None:
            return Prediction((), "There is no unit or no rig yet.")
        of = (self.unit.nameplate, self.unit.look.parts, self.rig, self.plan)
        if of != self._predicted_of:
            from zincsmith.judge.decide import decide
            from zincsmith.planning.prediction import predict

            found = predict(self.unit, self.rig, self.plan)
            decisions = decide(self.unit, self.rig, found.wired, found.moved)
            self._predicted_of, self._predicted = of, Prediction(tuple(decisions), found.problem)
        return self._predicted

    @property
    def blocked(self) -> str:
        """Why nothing can be armed; empty when no stop stands."""
        stops = [f for f in self.faults() if f.severity is Severity.STOP]
        if not stops:
            return ""
        return f"{len(stops)} stop{'s' if len(stops) > 1 else ''} on the wiring sheet: {stops[0].text}"

    def judging(self) -> Outcome | None:
        """The latest run, judged beside the window; None while that goes on, ``judged_ready`` is emitted then."""
        view = self.view
        # As the book has the unit: an edit that is on its way to it would be judged without itself.
        stored = self.reader.revision("unit", self.unit_key) if self.reader is not None else None
        return self._judging.outcome((view.run, len(view.points), view.closed, view.answered, stored))

    def revise_unit(self, unit: Unit, why: str) -> None:
        """Store an edit; it is shown at once and in the book as soon as the engine has written it."""
        if self.read_only or unit == self.unit:
            return
        before, self.unit, self.unit_key = self.unit, unit, self.unit_key or unit.tag
        self._unanswered += self.client.revise("unit", self.unit_key, unit, why)
        self._fit_plan(before)
        self.documents.emit()

    def units(self) -> list[UnitRow]:
        """Every unit of the book."""
        return self.reader.units() if self.reader is not None else []

    def choose_unit(self, key: str) -> None:
        """Put another unit of the book on the bench."""
        if self.read_only or self.reader is None or key == self.unit_key:
            return
        before, self.unit, self.unit_key = self.unit, self.reader.unit(key), key
        self._unanswered += self.client.send(Choose("unit", key))
        self._follow_unit()
        self._fit_plan(before)
        self.documents.emit()

    def add_unit(self, unit: Unit, why: str) -> None:
        """Begin another unit, under its tag."""
        if not self.read_only:
            self.unit_key = unit.tag
            self._follow_unit()
            self.revise_unit(unit, why)

    def _fit_plan(self, before: Unit | None) -> None:
        """A plan whose lines were proposed follows the ratings; one that does not fit the unit is never kept."""
        unit, rig = self.unit, self.rig
        if unit is None or rig is None or (before is not None and not _rated_otherwise(before, unit)):
            return
        from zincsmith.planning.composer import refitted

        with suppress(ZincsmithError):  # ratings that are half typed
            self.revise_plan(refitted(self.plan, before, unit, rig), "lines of this unit")

    def revise_rig(self, rig: Rig, why: str) -> None:
        """Store an edit of the rig, as for a unit. Instruments are opened anew when a run is armed."""
        if self.read_only or rig == self.rig:
            return
        self.rig = rig
        self._unanswered += self.client.revise("rig", "bench", rig, why)
        self.documents.emit()

    def add_photo(self, photo: Prepared, caption: str) -> None:
        """Store a prepared photograph in the book and name it in the unit's look-over."""
        if self.unit is None or self.read_only:
            return
        self._store_photo(photo)
        look = self.unit.look
        if all(p.sha256 != photo.sha256 for p in look.photographs):
            one = Photograph(photo.sha256, caption, photo.width, photo.height)
            self.revise_unit(
                replace(self.unit, look=replace(look, photographs=(*look.photographs, one))), "a photograph"
            )

    def note_photo(self, photo: Prepared, text: str) -> None:
        """Store a photograph and note it with the conditions of the moment."""
        if not self.read_only:
            self._store_photo(photo)
            self.client.send(Note(text, photo.sha256))

    def _store_photo(self, photo: Prepared) -> None:
        file = self.book_path.with_name(f".{self.book_path.stem}-{photo.sha256[:16]}.photo")
        with open(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600), "wb") as out:
            out.write(photo.data)
        keep = KeepPhoto(file, photo.sha256, photo.type, photo.width, photo.height)
        self._unanswered += self.client.send(keep)

    def photo(self, sha256: str) -> bytes | None:
        """The bytes of a photograph; None while it is not in the book."""
        try:
            return self.reader.photo(sha256) if self.reader is not None else None
        except BookError:
            return None

    def use_rig(self, rig: Rig) -> None:
        """Take another rig; the engine is started anew so that it reaches the bench that belongs to it."""
        if rig.standin is not None:
            pick_file(rig.standin.file)
        self._unanswered += self.client.revise("rig", "bench", rig, "from a rig file")
        self.rig, self._unknown_of = rig, None
        self._reach_bench()

    def _reach_bench(self) -> None:
        self._unanswered = 0
        self._link.restart(self.rig)

    def undo(self, kind: str = "unit") -> None:
        self._unanswered += self.client.send(Undo(kind, self._key(kind)))

    def redo(self, kind: str = "unit") -> None:
        self._unanswered += self.client.send(Redo(kind, self._key(kind)))

    def _key(self, kind: str) -> str:
        return {"unit": self.unit_key, "plan": "plan"}.get(kind, "bench")

    def steps(self, kind: str) -> tuple[bool, bool]:
        """Whether there is an edit to undo, and one to redo."""
        if self.reader is None or self.read_only:
            return False, False
        found = self.reader.revision(kind, self._key(kind))
        return (found[1], found[2]) if found is not None else (False, False)

    def revise_plan(self, plan: Plan, why: str) -> None:
        """Store an edit of the plan, as for a unit."""
        if self.read_only or plan == self.plan:
            return
        self.plan = plan
        self._unanswered += self.client.revise("plan", "plan", plan, why)
        self.documents.emit()

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
