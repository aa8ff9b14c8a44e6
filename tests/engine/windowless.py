"""What the real window does with its engine, without pixels."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from zincsmith.book.reader import BookReader
from zincsmith.engine.client import EngineClient
from zincsmith.model.answers import Answer, News, Ready
from zincsmith.model.commands import Pass, StartRun
from zincsmith.model.events import Polled
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

T = TypeVar("T", bound=Answer)
HANG_GUARD_S = 300.0


class Window:
    """What the real window does with its engine, without pixels."""

    def __init__(self, book: Path, rig: Rig, log: Path) -> None:
        self.client = EngineClient(book, log)
        self.rig = rig
        self.said: list[Answer] = []
        self.seq = 0
        self.state = ""

    def start_engine(self) -> None:
        self.client.start(self.rig)
        self.until(lambda: bool(self.told(Ready)))

    def listen(self) -> bool:
        """Take what was said; False when the engine is gone."""
        messages = self.client.receive()
        if messages is None:
            return False
        for message in messages:
            self.said.append(message)
            if isinstance(message, News):
                self.seq = message.seq
            if isinstance(message, News | Ready):
                self.state = message.state
        return True

    def told(self, kind: type[T]) -> list[T]:
        """The answers of a kind so far."""
        return [m for m in self.said if isinstance(m, kind)]

    def until(self, condition: Callable[[], bool]) -> None:
        guard = time.monotonic() + HANG_GUARD_S
        while not condition():
            assert time.monotonic() < guard, f"hung; last said: {self.said[-3:]}"
            if not self.listen():
                assert condition(), "the engine is gone"
                return
            time.sleep(0)  # let the other processes have the processor

    def start_run(self, unit: Unit) -> None:
        self.client.send(StartRun(unit.tag, "Tester", 23.0))
        self.until(lambda: self.state == "at a gate")
        self.client.send(Pass())


def polls(book: Path, up_to: int) -> list[tuple[int, dict[str, float]]]:
    """The polls a window was told of."""
    with BookReader(book) as reader:
        return [(w.seq, w.event.values) for w in reader.events(kinds=(Polled,)) if w.seq <= up_to]


def children_of(pid: int) -> list[int]:
    """Processes that a process has started."""
    return [int(child) for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
