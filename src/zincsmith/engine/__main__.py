"""The engine as a process: ``python -m zincsmith.engine --book FILE --control FD [--addresses JSON]``.

It owns the instruments and is the only writer of the book. It takes commands as JSON lines on the control socket
and answers with the number of the last event written. When the other end goes away it makes the bench safe and ends.
"""

from __future__ import annotations

import argparse
import json
import signal
import socket
import sys
import traceback
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import Any

from zincsmith.bench.scan import scan
from zincsmith.book.codec import DOCUMENTS, load, load_event
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import BROKEN
from zincsmith.book.writer import BookWriter
from zincsmith.engine.control import ControlDesk
from zincsmith.engine.crash_report import keep_report
from zincsmith.engine.instrument_check import check_instrument
from zincsmith.engine.known_bench import refuse_unknown
from zincsmith.engine.operator_interface import Command
from zincsmith.engine.runner import BugInRun
from zincsmith.engine.session import Session, Start
from zincsmith.engine.taking_in import FileRequest, take_in
from zincsmith.guard.watch_over import Guardian
from zincsmith.model.errors import BookError, InputError, ZincsmithError
from zincsmith.model.events import Amended, DoubtEnded, Failed, FindingsKept, Marked, Noted, Signed
from zincsmith.model.plan import Line
from zincsmith.model.rig import Rig
from zincsmith.model.states import allowed

ANSWERED = ("sign", "amend", "end doubt")


class Service:
    """Obeys the window: documents at any time, runs one after another."""

    def __init__(
        self, book: BookWriter, operator_interface: ControlDesk, addresses: dict[str, str], keep_fd: int | None = None
    ) -> None:
        self.book, self.operator_interface, self.addresses = book, operator_interface, addresses
        operator_interface.documents = self.document
        self._waiting: list[Command] = []
        self.session = Session(book, operator_interface, Guardian(keep_fd))
        operator_interface.say(
            ready=True, state=self.session.event_log.state.value, interrupted=self.session.interrupted
        )

    def document(self, command: dict[str, Any]) -> None:
        """revise, choose, undo, redo, photo; a refusal is said, not raised. Each is answered once."""
        kind, key = command.get("document", ""), command.get("key", "")
        try:
            if command["do"] == "revise":
                self.book.revise(kind, key, load(DOCUMENTS[kind], command["body"]), command.get("why", "edited"))
            elif command["do"] == "photo":
                self._photo(Path(command["file"]), command)
            elif command["do"] == "choose":
                self.book.choose(kind, key)
            elif command["do"] == "undo":
                self.book.undo(kind, key)
            else:
                self.book.redo(kind, key)
        except ZincsmithError as error:
            self.operator_interface.say(refused=str(error), do=command["do"])
        self.operator_interface.say(documents=True)

    def _photo(self, file: Path, command: dict[str, Any]) -> None:
        """A prepared photograph waits in a file of its own; it goes once it is in the book."""
        try:
            data = file.read_bytes()
        except OSError as error:
            raise BookError(f"{file.name} cannot be read ({error.strerror})") from None
        self.book.keep_photo(command["sha256"], command["type"], (command["width"], command["height"]), data)
        file.unlink(missing_ok=True)

    def serve(self) -> None:
        """Until the window is gone."""
        while True:
            self._waiting = self._waiting or self.operator_interface.commands(3600.0)
            while self._waiting:
                command = self._waiting.pop(0)
                if command.do == "gone":
                    return
                self._obey(command)

    def _wanted(self) -> bool:
        """Whether another command came in meanwhile."""
        self._waiting += self.operator_interface.commands(0.0)
        return bool(self._waiting)

    def _try(self, role: str) -> None:
        if not allowed(self.session.event_log.state, "try"):
            raise InputError("an instrument is tried only while the bench is idle or made safe")
        rig = self.book.document("rig", "bench")
        assert isinstance(rig, Rig)
        refuse_unknown(replace(rig, instruments=tuple(i for i in rig.instruments if i.role == role), standin=None))
        tried = check_instrument(rig, role, self.addresses, self._wanted)
        self.operator_interface.say(tried=tried.role, identity=tried.identity, readings=tried.readings)

    def _scan(self, hosts: str) -> None:
        if not allowed(self.session.event_log.state, "scan"):
            raise InputError("instruments are looked for only while the bench is idle or made safe")
        names = [h.partition(":") for h in hosts.replace(",", " ").split()]
        found = []
        for host, _, port in names or [("", "", "")]:
            if port and not port.isdigit():
                raise InputError(f"{host}:{port}: a port is a number")
            found += scan((host,) if host else (), (int(port),) if port else ())
        self.operator_interface.say(scanned=[[one.address, one.identity] for one in found])

    def _take_in(self, said: dict[str, Any]) -> None:
        """Recorded files become a run; what is refused leaves nothing behind."""
        if not allowed(self.session.event_log.state, "take in"):
            raise InputError("files are taken in only while the bench is idle or made safe")
        volts, hertz = said.get("line") or (None, None)
        asked = FileRequest(
            kind=said["kind"],
            files=tuple(Path(name) for name in said["files"]),
            operator=said["operator"],
            ambient_degC=said.get("ambient_degC"),
            line=Line(float(volts), float(hertz)) if volts is not None and hertz is not None else None,
            load_percent=float(said["load_percent"]),
            instrument=said.get("instrument", ""),
            accuracy=Path(said["accuracy"]) if said.get("accuracy") else None,
            called={str(k): str(v) for k, v in (said.get("called") or {}).items()},
        )
        run = take_in(self.book, said["unit"], asked)
        with BookReader(self.book.path) as reader:
            self.operator_interface.announce(reader.last_seq(), self.session.event_log.state)
        self.operator_interface.say(taken_in=run)

    def _answer_for(self, command: Command) -> None:
        """Sign a run with its findings as the window told them, or add something to a signed one."""
        said = command.body
        run, by = int(said["run"]), str(said["by"]).strip()
        if not allowed(self.session.event_log.state, command.do):
            raise InputError("a run is answered for only while the bench is idle or made safe")
        if not by or (command.do != "sign" and not command.text.strip()):
            raise InputError("a signature or an amendment carries a name and says something")
        with BookReader(self.book.path) as reader:
            if reader.closed(run) is None:
                raise InputError(f"run {run} has not ended: nobody can answer for it yet")
            if command.do == "amend" and not list(reader.events(run=run, kinds=(Signed,))):
                raise InputError(f"run {run} is not signed: there is nothing to amend")
            if command.do == "sign" and (chain := reader.seal(run)).state == BROKEN:
                raise InputError(f"run {run}: {chain.words}. Nobody can answer for it")
        if command.do == "sign":
            kept = load_event("FindingsKept", str(said["kept"]))
            assert isinstance(kept, FindingsKept)
            seq = self.book.append(kept, Signed(by, kept.evidence), run=run)
        elif command.do == "end doubt":
            event = DoubtEnded(str(said["doubt"]), str(said["how"]), command.text.strip(), by)
            seq = self.book.append(event, run=run)
        else:
            seq = self.book.append(Amended(by, command.text.strip()), run=run)
        self.operator_interface.announce(seq, self.session.event_log.state)

    def _start(self, command: Command) -> None:
        self.session.run(command.body["unit"], _beginning(command), self.addresses)

    def _resume(self, command: Command) -> None:
        self.session.resume(None, _beginning(command), self.addresses)

    def _note(self, command: Command) -> None:
        self.session.event_log.append(Noted(command.text, {}, str(command.body.get("photo", ""))))

    @cached_property
    def _handlers(self) -> dict[str, Callable[[Command], object]]:
        """What is done about each command at rest; in a run the operator interface is asked by whoever waits."""
        return {
            "start": self._start,
            "resume run": self._resume,
            "make safe": lambda _: self.session.make_safe(self.addresses),
            "settle": lambda command: self.session.settle(str(command.body.get("by", ""))),
            "try": lambda command: self._try(command.text),
            "scan": lambda command: self._scan(command.text),
            **dict.fromkeys(ANSWERED, self._answer_for),
            "take in": lambda command: self._take_in(command.body),
            "note": self._note,
            "mark": lambda command: self.session.event_log.append(Marked(command.text, {})),
        }

    def _obey(self, command: Command) -> None:
        try:
            if (handle := self._handlers.get(command.do)) is not None:
                handle(command)
        except BugInRun as bug:  # the run is closed; the engine goes on, and what went wrong is kept
            text = "".join(traceback.format_exception(bug.__cause__))
            sys.stderr.write(text)
            file = keep_report(text)
            where = f" The report is {file}." if file is not None else ""
            self.operator_interface.say(refused=f"The run ended with {bug.closed.why}.{where}", do=command.do)
        except ZincsmithError as error:
            if command.do not in {"try", "scan", "take in", "settle", *ANSWERED}:  # refused, nothing has changed
                self.session.event_log.try_append(Failed(str(error)))
            self.operator_interface.say(refused=str(error), do=command.do)


def _beginning(command: Command) -> Start:
    said = command.body
    return Start(said["operator"], float(said["ambient_degC"]), unattended=bool(said.get("unattended")))


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.engine")
    parser.add_argument("--book", type=Path, required=True)
    parser.add_argument("--control", type=int, required=True, help="descriptor of the control socket")
    parser.add_argument("--keep", type=int, help="descriptor that keeps the stand-in bench alive")
    parser.add_argument("--addresses", default="{}", help="VISA names of the simulated roles, as JSON")
    arguments = parser.parse_args()
    operator_interface = ControlDesk(socket.socket(fileno=arguments.control))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, lambda *_: operator_interface.leave("the engine was told to end"))
    try:
        book = BookWriter(arguments.book)
    except ZincsmithError as error:
        operator_interface.say(refused=str(error), do="open")
        return 2
    with book:
        Service(book, operator_interface, json.loads(arguments.addresses), arguments.keep).serve()
    return 0


if __name__ == "__main__":
    sys.exit(main())
