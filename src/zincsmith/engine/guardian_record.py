"""What a guardian writes beside the book: a line for each step, each on the disk before the next is taken."""

from __future__ import annotations

import fcntl
import json
import os
import threading
import time
from dataclasses import dataclass, field
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
    events: tuple[tuple[str, str], ...] = field(default_factory=tuple)


class RecordWriter:
    """Held locked while its guardian lives; a record that never took over is taken away."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC, 0o644)
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


def read_record(path: Path) -> Takeover | None:
    """What is recorded, once nobody writes it any more. None when there is nothing, or nobody took over.

    A last line that was cut off is left out: what it spoke of is not confirmed.
    """
    try:
        fd = os.open(path, os.O_RDONLY)
    except OSError:
        return None
    try:
        until = time.monotonic() + LONGEST_WAIT_S
        while time.monotonic() < until:
            try:
                fcntl.flock(fd, fcntl.LOCK_SH | fcntl.LOCK_NB)
                break
            except OSError:
                time.sleep(LOOK_EVERY_S)
        text = path.read_text("utf-8") if path.exists() else ""
    finally:
        os.close(fd)
    found: Takeover | None = None
    for line in text.rpartition("\n")[0].splitlines():
        said = json.loads(line)
        if "why" in said:
            found = Takeover(said["run"], said["at"], said["why"])
        elif found is not None and "kind" in said:
            found = Takeover(found.run, found.at, found.why, events=(*found.events, (said["kind"], said["body"])))
        elif found is not None and "safe" in said:
            found = Takeover(found.run, found.at, found.why, said["safe"], tuple(said["unconfirmed"]), found.events)
    if found is not None and not found.safe and not found.unconfirmed:
        found = Takeover(found.run, found.at, found.why, False, ("the guardian did not finish: switch everything off",),
                         found.events)  # fmt: skip
    return found
