"""What a guardian writes beside the book: a line for each step, each on the disk before the next is taken."""

from __future__ import annotations

import fcntl
import json
import os
import stat
import threading
import time
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path

LONGEST_WAIT_S = 30.0
LOOK_EVERY_S = 0.05


def record_path(book: Path) -> Path:
    return book.with_name(f"{book.name}-guardian")


@dataclass(frozen=True)
class Takeover:
    """``events`` are (kind, JSON) of what was done to make the bench safe."""

    run: int
    at: str
    why: str
    safe: bool = False
    unconfirmed: tuple[str, ...] = ()
    seen: tuple[str, ...] = ()
    events: tuple[tuple[str, str], ...] = field(default_factory=tuple)


class RecordWriter:
    """Held locked while its guardian lives; a record that never took over is taken away."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.unlink(missing_ok=True)  # what stands there is a link, another's, or left by a guardian that was killed
        self._fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
        fcntl.flock(self._fd, fcntl.LOCK_EX)
        self._turn = threading.Lock()

    def write(self, **line: object) -> None:
        with self._turn:
            os.write(self._fd, json.dumps(line).encode() + b"\n")
            os.fsync(self._fd)

    def take_over(self, run: int, why: str) -> None:
        self.write(run=run, at=datetime.now(UTC).isoformat(timespec="milliseconds"), why=why)

    def discard(self) -> None:
        self.path.unlink(missing_ok=True)
        os.close(self._fd)


NOT_FINISHED = "the guardian did not finish: switch everything off"
FORGED = "the record that a guardian should have left beside the book is not one: switch everything off by hand"
MOST_BYTES = 4_000_000


def read_record(path: Path) -> Takeover | None:
    """What is recorded, once nobody writes it any more. None when there is nothing, or nobody took over.

    A last line that was cut off is left out: what it spoke of is not confirmed. What is no record at all - a link,
    another person's file, no lines of a guardian - is said to be so, and confirms nothing.
    """
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except FileNotFoundError:
        return None
    except OSError:
        return _not_a_record("it is a link, or it cannot be read")
    try:
        facts = os.fstat(fd)
        if not stat.S_ISREG(facts.st_mode) or facts.st_uid != os.getuid():
            return _not_a_record("it is no plain file of the person who runs this program")
        until = time.monotonic() + LONGEST_WAIT_S
        while time.monotonic() < until:
            try:
                fcntl.flock(fd, fcntl.LOCK_SH | fcntl.LOCK_NB)
                break
            except OSError:
                time.sleep(LOOK_EVERY_S)
        if os.fstat(fd).st_nlink == 0:  # taken away by its guardian: nobody took over
            return None
        with open(fd, "rb", closefd=False) as file:
            data = file.read(MOST_BYTES + 1)
    finally:
        os.close(fd)
    return _read_lines(data)


def _read_lines(data: bytes) -> Takeover | None:
    found: Takeover | None = None
    try:
        if len(data) > MOST_BYTES:
            return _not_a_record("it is far too long")
        for line in data.decode("utf-8").rpartition("\n")[0].splitlines():
            said = json.loads(line)
            if "why" in said:
                found = Takeover(int(said["run"]), str(said["at"]), str(said["why"]))
            elif found is not None and "kind" in said:
                event = (str(said["kind"]), str(said["body"]))
                found = replace(found, events=(*found.events, event))
            elif found is not None and "safe" in said:
                unconfirmed, seen = (tuple(map(str, said.get(key, ()))) for key in ("unconfirmed", "seen"))
                found = replace(found, safe=said["safe"] is True, unconfirmed=unconfirmed, seen=seen)
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        return _not_a_record(f"{type(error).__name__} in one of its lines")
    if found is not None and not found.safe and not found.unconfirmed:
        found = replace(found, unconfirmed=(NOT_FINISHED,))
    return found


def _not_a_record(why: str) -> Takeover:
    """Run 0 is no run: it speaks of whichever has no end."""
    return Takeover(0, "", f"{FORGED} ({why})", unconfirmed=(FORGED,))
