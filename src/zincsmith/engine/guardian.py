"""The guardian: makes the bench safe when the engine dies or hangs.

``python -m zincsmith.engine.guardian --engine PID --record FILE --run N``, standard input a socket to the engine. It
takes over when the engine ends, when the socket breaks, or when nothing was heard for LEASE_S: then it ends what is
left of the engine, because an instrument may allow one connection only, and makes the bench safe. It ignores
signals that end programs; it ends with the run it watches over.
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
from pathlib import Path
from typing import Any

from zincsmith.bench.bench import Bench
from zincsmith.bench.link import warm_up
from zincsmith.bench.make_safe import make_safe
from zincsmith.book.codec import dump, load
from zincsmith.engine.guardian_record import RecordWriter
from zincsmith.model.errors import ZincsmithError
from zincsmith.model.events import Event
from zincsmith.model.rig import Rig

LEASE_S = 1.2
TICK_S = 0.05
LONGEST_TICK_S = 0.1  # what one tick counts at most: where this process does not run, the engine does not either
PATIENCE_S = 5.0  # how long an instrument is tried that does not answer


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.engine.guardian")
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
    bench = Bench(load(Rig, json.dumps(told["rig"])), told["addresses"], guarded=True)
    warm_up()
    record = RecordWriter(arguments.record)
    line.sendall(b"r")
    why = watch(line, engine)
    if not why:
        record.discard()
        return 0
    record.take_over(arguments.run, why)
    with suppress(ProcessLookupError):
        signal.pidfd_send_signal(engine, signal.SIGKILL)
    select.select([engine], [], [], 1.0)  # its connections are closed when it is gone
    return take_over(bench, record)


def watch(line: socket.socket, engine: int) -> str:
    """Wait for the end: empty when the engine says that it is done, else why it has to be taken over."""
    silent = 0.0
    before = time.monotonic()
    while True:
        ready, _, _ = select.select([line.fileno(), engine], [], [], TICK_S)
        if line.fileno() in ready:
            try:
                heard = line.recv(4096)
            except OSError:
                heard = b""
            if b"d" in heard:
                return ""
            if not heard:
                return "the engine ended"
            silent = 0.0
            with suppress(OSError):
                line.send(b".", socket.MSG_DONTWAIT)
        if engine in ready:
            return "the engine ended"
        now = time.monotonic()
        silent += min(now - before, LONGEST_TICK_S)
        before = now
        if silent > LEASE_S:
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
        record.write(safe=safety.confirmed, unconfirmed=list(safety.unconfirmed))
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
