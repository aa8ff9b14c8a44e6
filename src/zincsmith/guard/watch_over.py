"""The engine's end of the guardian: it is started before the first instrument, and told that this process works."""

from __future__ import annotations

import json
import os
import select
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Protocol

from zincsmith.bench.bench import Bench
from zincsmith.bench.signs import Seen
from zincsmith.book.codec import dump, load_event
from zincsmith.guard.record import FORGED, Takeover, read_record, record_path
from zincsmith.model.errors import BookError, InstrumentError
from zincsmith.model.events import Event, GuardianSaid

START_S = 20.0
BEAT_EVERY_S = 0.1
LONGEST_BEAT_S = 0.5  # what one beat counts at most: where this process was busy, the guardian is not to blame
LEAVE_S = 2.0  # how long a guardian that was told that all is done may take to end
HUNG_S = 3.0  # how long a guardian may leave beats unanswered
MOST_GUARDIANS = 3
SAYS_DONE = b"d\n"
BEAT = b".\n"
TAKES_AT_MOST_S = 300.0  # how long a guardian that was asked to take over is waited for


class GuardLost(InstrumentError):
    """The guardian died, and no other could be started."""


class Guard(Protocol):
    """``beat`` is called by the thread that does the work, before each thing it asks of an instrument; ``busy`` before
    something that cannot be sliced, with how long it takes at most; ``show`` with what the run has seen.

    ``end`` is called once make-safe has returned; ``hand_over`` instead, when it did not.
    """

    is_there: bool

    def begin(
        self, book: Path, run: int, bench: Bench, record: Callable[[Event], object], outputs_V: Mapping[str, float]
    ) -> None: ...

    def beat(self) -> None: ...

    def busy(self, what: str, at_most_s: float) -> None: ...

    def show(self, seen: Seen) -> None: ...

    def end(self) -> None: ...

    def hand_over(self, why: str) -> bool: ...


class NoGuard:
    """Nobody watches over the run: only right where everything is simulated or on this computer."""

    is_there = False

    def begin(
        self, book: Path, run: int, bench: Bench, record: Callable[[Event], object], outputs_V: Mapping[str, float]
    ) -> None:
        """Nothing to start."""

    def beat(self) -> None:
        """Nobody to tell."""

    def busy(self, what: str, at_most_s: float) -> None:
        """Nobody to tell."""

    def show(self, seen: Seen) -> None:
        """Nobody to tell."""

    def end(self) -> None:
        """Nobody to release."""

    def hand_over(self, why: str) -> bool:  # noqa: ARG002 - as a guardian is told
        """Nobody to take over."""
        return False


class Guardian:
    """``keep_fd`` is the pipe of a stand-in bench, which the guardian must be able to outlive this process with."""

    is_there = True

    def __init__(self, keep_fd: int | None = None) -> None:
        self._keep_fd = keep_fd
        self._process: subprocess.Popen[bytes] | None = None
        self._socket: socket.socket | None = None
        self._last = self._silent_s = 0.0
        self._started = 0
        self._start: Callable[[], None] = lambda: None  # for the run that is watched over
        self._record: Callable[[Event], object] = lambda _event: None

    @property
    def pid(self) -> int | None:
        return self._process.pid if self._process is not None else None

    def begin(
        self, book: Path, run: int, bench: Bench, record: Callable[[Event], object], outputs_V: Mapping[str, float]
    ) -> None:
        """Start the guardian and wait until it is ready. GuardLost when it does not come up."""
        self._record, self._started = record, 0
        self._start = partial(self._start_for, book, run, bench, outputs_V)
        bench.seen.tell = self.show
        self._start()

    def _start_for(self, book: Path, run: int, bench: Bench, outputs_V: Mapping[str, float]) -> None:
        self._started += 1
        ours, theirs = socket.socketpair()
        command = [sys.executable, "-m", "zincsmith.guard.guardian", "--engine", str(os.getpid())]
        command += ["--record", str(record_path(book)), "--run", str(run)]
        keep = [] if self._keep_fd is None else [self._keep_fd]
        self._process = subprocess.Popen(command, stdin=theirs.fileno(), start_new_session=True, pass_fds=keep)
        theirs.close()
        told = {"rig": json.loads(dump(bench.rig)), "addresses": dict(bench.addresses), "outputs_V": dict(outputs_V)}
        try:
            ours.sendall(json.dumps(told).encode() + b"\n")
            ready, _, _ = select.select([ours], [], [], START_S)
            there = bool(ready) and ours.recv(1) == b"r"
        except OSError:  # it died while it started
            there = False
        if not there:
            ours.close()
            raise GuardLost("did not start; nothing was switched on", role="guardian", address="this computer")
        ours.setblocking(False)
        self._socket, self._last, self._silent_s = ours, time.monotonic(), 0.0
        self.show(bench.seen)

    def beat(self) -> None:
        """Say that the work goes on; a guardian that died is replaced. GuardLost when none can be."""
        now = time.monotonic()
        if self._socket is None or now - self._last < BEAT_EVERY_S:
            return
        self._silent_s += min(now - self._last, LONGEST_BEAT_S)
        self._last = now
        gone = False
        try:
            heard = self._socket.recv(4096)
            gone = heard == b""
            self._silent_s = 0.0
        except BlockingIOError:
            pass
        except OSError:
            gone = True
        try:
            self._socket.send(BEAT)
        except BlockingIOError:
            pass  # it does not listen: that is what _silent_s is for
        except OSError:
            gone = True
        if gone or self._silent_s > HUNG_S:
            self._replace("died" if gone else "did not answer")

    def busy(self, what: str, at_most_s: float) -> None:
        """About to do something that cannot be sliced; allowed once, until the next sign of life."""
        self._say(f"b {at_most_s:g} {' '.join(what.split())[:200]}\n".encode())

    def show(self, seen: Seen) -> None:
        """What the run has seen of its signs: whoever takes over goes by it."""
        self._say(b"s " + json.dumps(seen.as_told()).encode() + b"\n")

    def _say(self, line: bytes) -> None:
        """A guardian that does not listen, or is gone, is found out by the next beat."""
        if self._socket is not None:
            with suppress(OSError):
                self._socket.send(line)

    def hand_over(self, why: str) -> bool:
        """Have the guardian make the bench safe while this process lives on; True when it did what it could and wrote
        that down. The bench has to be closed before."""
        if self._socket is None or self._process is None:
            return False
        try:
            self._socket.setblocking(True)
            self._socket.sendall(f"t {' '.join(why.split())[:500]}\n".encode())
            self._process.wait(TAKES_AT_MOST_S)
        except (OSError, subprocess.TimeoutExpired):
            return False
        finally:
            self._let_go()
            self._start = lambda: None
        return True

    def _replace(self, how: str) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.kill()  # one that hangs must not wake up and take over
        self._let_go()
        if self._started >= MOST_GUARDIANS:
            raise GuardLost("died again and again; nobody watches over this run", role="guardian",
                            address="this computer")  # fmt: skip
        self._start()
        self._record(GuardianSaid(f"the guardian {how} and another was started"))

    def end(self) -> None:
        """The bench is safe, or was said not to be: nobody has to watch any more."""
        if self._socket is not None:
            try:
                self._socket.setblocking(True)
                self._socket.sendall(SAYS_DONE)
            except OSError:
                pass
        self._let_go()
        self._start = lambda: None

    def _let_go(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket = None
        if self._process is not None:
            try:
                self._process.wait(LEAVE_S)
            except subprocess.TimeoutExpired:  # one that hangs is not waited for, and must not wake up later
                self._process.kill()
                self._process.wait()
            self._process = None


@dataclass(frozen=True)
class Found:
    """What a guardian did, for the book; ``take_away`` removes its record once that is in the book."""

    run: int
    why: str
    safe: bool
    unconfirmed: tuple[str, ...]
    seen: tuple[str, ...]
    events: tuple[Event, ...]
    file: Path

    def take_away(self) -> None:
        with suppress(OSError):  # what is no file was never a record
            self.file.unlink(missing_ok=True)


def takeover_of(book: Path) -> Found | None:
    """What a guardian did while the book's engine was gone; waits for one that is still at it. None: nothing."""
    found: Takeover | None = read_record(record_path(book))
    if found is None:
        return None
    try:
        events = [GuardianSaid(found.why, found.at), *(load_event(kind, body) for kind, body in found.events)]
    except BookError:  # its lines are no events: nothing of what it says counts
        said = (GuardianSaid(FORGED),)
        return Found(found.run, f"{FORGED} (no events)", False, (FORGED,), (), said, record_path(book))
    return Found(found.run, found.why, found.safe, found.unconfirmed, found.seen, tuple(events), record_path(book))
