"""The guardian: makes the bench safe when the engine dies or hangs.

``python -m zincsmith.guard.guardian --engine PID --record FILE --run N``, standard input a socket to the engine. It
takes over when the engine ends, when the socket breaks, when nothing was heard for LEASE_S, or when the engine asks it
to: then it ends what is left of the engine, unless that asked, because an instrument may allow one connection only, and
makes the bench safe. It ignores signals that end programs; it ends with the run it watches over.

What it hears are lines: ``.`` the engine works; ``b SECONDS WHAT`` it is about to do something that cannot be sliced,
for so long at most, which is allowed once; ``s JSON`` what the run has seen of its signs; ``t WHY`` take over; ``d``
all is done.
"""

from __future__ import annotations

import argparse
import json
import os
import select
import signal
import socket
import sys
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zincsmith.bench.bench import Bench
from zincsmith.bench.link import warm_up
from zincsmith.bench.make_safe import make_safe
from zincsmith.bench.signs import Seen
from zincsmith.book.codec import dump, load
from zincsmith.guard.record import RecordWriter
from zincsmith.model.errors import ZincsmithError
from zincsmith.model.events import Event
from zincsmith.model.rig import Rig

LEASE_S = 1.2
TICK_S = 0.05
LATE_TICK_S = 0.1  # a tick that took longer was one of a stalled computer: the engine did not run either
LITTLE = 0.1  # of the time that went by
STALLED_MOST_S = 10.0  # how long a stall is taken as an excuse
PATIENCE_S = 5.0  # how long an instrument is tried that does not answer


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.guard.guardian")
    parser.add_argument("--engine", type=int, required=True, help="process id of the engine")
    parser.add_argument("--record", type=Path, required=True, help="file for what is done, beside the book")
    parser.add_argument("--run", type=int, required=True)
    arguments = parser.parse_args()
    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, signal.SIG_IGN)
    line = socket.socket(fileno=os.dup(0))
    try:
        engine = os.pidfd_open(arguments.engine)
    except ProcessLookupError:
        return 0  # it died before anything was switched on
    told = _first_line(line)
    if told is None:
        return 0
    bench = Bench(load(Rig, json.dumps(told["rig"])), told["addresses"], guarded=True, outputs_V=told["outputs_V"])
    warm_up()
    record = RecordWriter(arguments.record)
    line.sendall(b"r")
    heard = Heard(bench.seen)
    why = watch(line, engine, arguments.engine, heard)
    if not why:
        record.discard()
        return 0
    bench.seen = heard.seen
    record.take_over(arguments.run, why)
    if not heard.asked:
        with suppress(ProcessLookupError):
            signal.pidfd_send_signal(engine, signal.SIGKILL)
        select.select([engine], [], [], 1.0)  # its connections are closed when it is gone
    return take_over(bench, record)


@dataclass
class Heard:
    """What the engine said: what the run has seen, what it is busy with and how long that may take."""

    seen: Seen
    unread: bytes = b""
    busy_s: float = 0.0
    busy_with: str = ""
    done: bool = False
    asked: str = ""

    def take(self, data: bytes) -> None:
        *lines, self.unread = (self.unread + data).split(b"\n")
        for line in lines:
            self._one(line[:1], line[2:].decode("utf-8", "replace"))

    def _one(self, what: bytes, text: str) -> None:
        self.busy_s, self.busy_with = 0.0, ""
        if what == b"b":
            seconds, _, self.busy_with = text.partition(" ")
            self.busy_s = float(seconds)
        elif what == b"s":
            self.seen = Seen.from_told(json.loads(text))
        elif what == b"t":
            self.asked = text or "the engine asked for it"
        elif what == b"d":
            self.done = True


def watch(line: socket.socket, engine: int, pid: int, heard: Heard) -> str:
    """Wait for the end: empty when the engine says that it is done, else why it has to be taken over. ``engine`` is the
    descriptor of the process ``pid``."""
    silent = stalled = 0.0
    before, kept_waiting = time.monotonic(), KeptWaiting(pid)
    while True:
        ready, _, _ = select.select([line.fileno(), engine], [], [], TICK_S)
        if line.fileno() in ready:
            try:
                data = line.recv(1 << 16)
            except OSError:
                data = b""
            heard.take(data)
            if heard.done:
                return ""
            if heard.asked:
                return heard.asked
            if not data:
                return "the engine ended"
            silent = stalled = 0.0
            with suppress(OSError):
                line.send(b".", socket.MSG_DONTWAIT)
        if engine in ready:
            return "the engine ended"
        now = time.monotonic()
        tick, before = now - before, now
        if (kept_waiting.since(tick) or tick > LATE_TICK_S) and stalled < STALLED_MOST_S:
            stalled += tick
        else:
            silent += tick
        if silent > LEASE_S and (silent > LEASE_S + heard.busy_s or _is_stopped(pid)):
            return _silence(heard, silent)


class KeptWaiting:
    """Whether the computer keeps a process waiting: it is ready to run, or waits for the disk, and was given next to no
    time since it was last looked at. One that hangs sleeps, or uses up the time that it is given."""

    def __init__(self, pid: int) -> None:
        self._pid, self._had_s = pid, had_s(pid)

    def since(self, seconds: float) -> bool:
        before, self._had_s = self._had_s, had_s(self._pid)
        return _state(self._pid) in ("R", "D") and self._had_s - before < LITTLE * seconds


def had_s(pid: int) -> float:
    """The processor time that its main thread has had, in s; without end where the system does not tell, which reads
    as a process that is not kept waiting."""
    try:
        return 1e-9 * int(Path(f"/proc/{pid}/schedstat").read_text().split()[0])
    except (OSError, IndexError, ValueError):
        return float("inf")


def _state(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except (OSError, IndexError):
        return ""


def _is_stopped(pid: int) -> bool:
    """Whether somebody stopped the process: then nothing that it said it would be busy with goes on."""
    return _state(pid) in ("T", "t")


def _silence(heard: Heard, silent_s: float) -> str:
    if heard.busy_with and silent_s > LEASE_S + heard.busy_s:
        return f"the engine did not come back from this within {LEASE_S + heard.busy_s:g} s: {heard.busy_with}"
    return f"the engine did not move for {LEASE_S:g} s"


def take_over(bench: Bench, record: RecordWriter) -> int:
    """Make safe and say what came of it; 0 when everything was read back."""

    def write(event: Event) -> None:
        with suppress(OSError):  # a full disk must not stop it
            record.write(kind=type(event).__name__, body=dump(event))

    with suppress(ZincsmithError):
        bench.open_clock()
    safety = make_safe(bench, write, patience_s=PATIENCE_S)
    with suppress(OSError):
        record.write(safe=safety.confirmed, unconfirmed=list(safety.unconfirmed), seen=list(safety.seen))
    bench.close()
    return 0 if safety.confirmed else 1


def _first_line(line: socket.socket) -> Any:
    data = b""
    while b"\n" not in data:
        more = line.recv(1 << 16)
        if not more:
            return None
        data += more
    return json.loads(data.split(b"\n", 1)[0])


if __name__ == "__main__":
    sys.exit(main())
