"""What the engine does about each command of a window: documents at any time, runs one after another."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

from zincsmith.bench.scan import scan
from zincsmith.book.codec import DOCUMENTS, load, load_event
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import BROKEN
from zincsmith.book.writer import BookWriter
from zincsmith.engine.control import WindowInterface
from zincsmith.engine.crash_report import keep_report
from zincsmith.engine.instrument_check import check_instrument
from zincsmith.engine.known_bench import refuse_unknown
from zincsmith.engine.runner import BugInRun
from zincsmith.engine.session import Session, Start
from zincsmith.engine.taking_in import take_in
from zincsmith.guard.watch_over import Guardian
from zincsmith.history.captures import check_cursors
from zincsmith.model.answers import DocumentsChanged, Ready, Refused, Scanned, TakenIn
from zincsmith.model.commands import (
    Amend,
    AnswerFor,
    Choose,
    Command,
    DocumentCommand,
    EndDoubt,
    Gone,
    KeepPhoto,
    MakeSafe,
    Mark,
    Note,
    ReadCursors,
    Redo,
    ResumeRun,
    Revise,
    Scan,
    Settle,
    Sign,
    StartRun,
    TakeIn,
    TryInstrument,
    Undo,
)
from zincsmith.model.errors import BookError, InputError, ZincsmithError
from zincsmith.model.events import Amended, CursorsRead, DoubtEnded, Event, Failed, FindingsKept, Marked, Noted, Signed
from zincsmith.model.states import allowed

# Refused, these have changed nothing: the log of the bench need not know.
HARMLESS = (TryInstrument, Scan, TakeIn, Settle, AnswerFor)


class Service:
    """Obeys one window until it is gone. ``keep_fd`` keeps the stand-in bench alive for a guardian."""

    def __init__(
        self,
        book: BookWriter,
        operator_interface: WindowInterface,
        addresses: Mapping[str, str],
        keep_fd: int | None = None,
    ) -> None:
        self.book, self.operator_interface, self.addresses = book, operator_interface, addresses
        operator_interface.documents = self.document
        self._waiting: list[Command] = []
        self.session = Session(book, operator_interface, Guardian(keep_fd))
        operator_interface.say(Ready(self.session.event_log.state, tuple(self.session.interrupted)))

    def serve(self) -> None:
        """Until the window is gone."""
        while True:
            self._waiting = self._waiting or self.operator_interface.commands(3600.0)
            while self._waiting:
                command = self._waiting.pop(0)
                if isinstance(command, Gone):
                    return
                self._obey(command)

    def _obey(self, command: Command) -> None:
        try:
            if (handle := self._handlers.get(type(command))) is not None:
                handle(command)
        except BugInRun as bug:  # the run is closed; the engine goes on, and what went wrong is kept
            text = "".join(traceback.format_exception(bug.__cause__))
            sys.stderr.write(text)
            file = keep_report(text)
            where = f" The report is {file}." if file is not None else ""
            self.operator_interface.refuse(command.do, f"The run ended with {bug.closed.why}.{where}")
        except ZincsmithError as error:
            if not isinstance(command, HARMLESS):
                self.session.event_log.try_append(Failed(str(error)))
            self.operator_interface.refuse(command.do, str(error))

    # Documents

    def document(self, command: DocumentCommand) -> None:
        """A refusal is said, not raised. Each is answered once."""
        try:
            self._document_handlers[type(command)](command)
        except ZincsmithError as error:
            self.operator_interface.say(Refused(command.do, str(error)))
        self.operator_interface.say(DocumentsChanged())

    @cached_property
    def _document_handlers(self) -> Mapping[type[DocumentCommand], Callable[[Any], object]]:
        return {
            Revise: self._revise,
            Choose: lambda command: self.book.choose(command.document, command.key),
            Undo: lambda command: self.book.undo(command.document, command.key),
            Redo: lambda command: self.book.redo(command.document, command.key),
            KeepPhoto: self._photo,
        }

    def _revise(self, command: Revise) -> None:
        record: object = load(DOCUMENTS[command.document], command.body)
        self.book.revise(command.document, command.key, record, command.why)

    def _photo(self, command: KeepPhoto) -> None:
        try:
            data = command.file.read_bytes()
        except OSError as error:
            raise BookError(f"{command.file.name} cannot be read ({error.strerror})") from None
        self.book.keep_photo(command.sha256, command.type, (command.width, command.height), data)
        command.file.unlink(missing_ok=True)

    # At rest; in a run the operator interface is asked by whoever waits

    @cached_property
    def _handlers(self) -> Mapping[type[Command], Callable[[Any], object]]:
        return {
            StartRun: self._start,
            ResumeRun: self._resume,
            MakeSafe: lambda _: self.session.make_safe(self.addresses),
            Settle: lambda command: self.session.settle(command.by),
            TryInstrument: self._try,
            Scan: self._scan,
            TakeIn: self._take_in,
            Sign: self._sign,
            Amend: self._amend,
            EndDoubt: self._end_doubt,
            ReadCursors: self._cursors,
            Note: lambda command: self.session.event_log.append(Noted(command.text, {}, command.photo)),
            Mark: lambda command: self.session.event_log.append(Marked(command.text, {})),
        }

    def _start(self, command: StartRun) -> None:
        start = Start(command.operator, command.ambient_degC, unattended=command.unattended)
        self.session.run(command.unit, start, self.addresses)

    def _resume(self, command: ResumeRun) -> None:
        start = Start(command.operator, command.ambient_degC, unattended=command.unattended)
        self.session.resume(None, start, self.addresses)

    def _at_rest(self, command: Command, what: str) -> None:
        if not allowed(self.session.event_log.state, command.do):
            raise InputError(f"{what} only while the bench is idle or made safe")

    def _wanted(self) -> bool:
        """Whether another command came in meanwhile."""
        self._waiting += self.operator_interface.commands(0.0)
        return bool(self._waiting)

    def _try(self, command: TryInstrument) -> None:
        self._at_rest(command, "an instrument is tried")
        rig, role = self.book.rig(), command.role
        refuse_unknown(replace(rig, instruments=tuple(i for i in rig.instruments if i.role == role), standin=None))
        self.operator_interface.say(check_instrument(rig, role, self.addresses, self._wanted))

    def _scan(self, command: Scan) -> None:
        self._at_rest(command, "instruments are looked for")
        names = [h.partition(":") for h in command.hosts.replace(",", " ").split()]
        found = []
        for host, _, port in names or [("", "", "")]:
            if port and not port.isdigit():
                raise InputError(f"{host}:{port}: a port is a number")
            found += scan((host,) if host else (), (int(port),) if port else ())
        self.operator_interface.say(Scanned(tuple((one.address, one.identity) for one in found)))

    def _take_in(self, command: TakeIn) -> None:
        """Recorded files become a run; what is refused leaves nothing behind."""
        self._at_rest(command, "files are taken in")
        run = take_in(self.book, command.unit, command.request)
        with BookReader(self.book.path) as reader:
            self.operator_interface.announce(reader.last_seq(), self.session.event_log.state)
        self.operator_interface.say(TakenIn(run))

    # Answering for a run

    def _sign(self, command: Sign) -> None:
        """Sign a run with its findings as the window told them."""
        self._answerable(command, "a signature")
        with BookReader(self.book.path) as reader:
            if (chain := reader.seal(command.run)).state == BROKEN:
                raise InputError(f"run {command.run}: {chain.words}. Nobody can answer for it")
        kept = load_event("FindingsKept", command.kept)
        if not isinstance(kept, FindingsKept):
            raise BookError("what was sent to be signed are no findings")
        self._append(command, kept, Signed(command.by.strip(), kept.evidence))

    def _amend(self, command: Amend) -> None:
        self._answerable(command, "an amendment", command.text)
        with BookReader(self.book.path) as reader:
            if not list(reader.events(run=command.run, kinds=(Signed,))):
                raise InputError(f"run {command.run} is not signed: there is nothing to amend")
        self._append(command, Amended(command.by.strip(), command.text.strip()))

    def _end_doubt(self, command: EndDoubt) -> None:
        self._answerable(command, "the end of a doubt", command.evidence)
        self._append(command, DoubtEnded(command.doubt, command.how, command.evidence.strip(), command.by.strip()))

    def _cursors(self, command: ReadCursors) -> None:
        self._answerable(command, "a figure from cursors", command.cursors.reason)
        with BookReader(self.book.path) as reader:
            check_cursors(reader, command.run, command.cursors)
        self._append(command, CursorsRead(command.cursors, command.by.strip()))

    def _answerable(self, command: AnswerFor, what: str, says: str = "-") -> None:
        self._at_rest(command, "a run is answered for")
        if not command.by.strip() or not says.strip():
            raise InputError(f"{what} carries a name and says something")
        with BookReader(self.book.path) as reader:
            if reader.closed(command.run) is None:
                raise InputError(f"run {command.run} has not ended: nobody can answer for it yet")

    def _append(self, command: AnswerFor, *events: Event) -> None:
        seq = self.book.append(*events, run=command.run)
        self.operator_interface.announce(seq, self.session.event_log.state)
