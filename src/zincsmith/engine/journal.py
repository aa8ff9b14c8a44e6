"""The engine's pen: writes events of one run, then tells the desk. State changes are events too."""

from __future__ import annotations

from collections.abc import Callable

from zincsmith.book.writer import BookWriter
from zincsmith.engine.desk import Desk
from zincsmith.engine.states import State, follow
from zincsmith.model.errors import BookError
from zincsmith.model.events import Event, StateChanged


class Journal:
    """``clock`` gives bench seconds once the bench is open."""

    def __init__(self, book: BookWriter, desk: Desk, state: State = State.IDLE) -> None:
        self.book, self.desk, self.state = book, desk, state
        self.run: int | None = None
        self.step: int | None = None
        self.clock: Callable[[], float] | None = None
        self.failure: BookError | None = None

    def next_step(self) -> None:
        self.step = (self.step or 0) + 1

    def append(self, *events: Event) -> int:
        """Write in one commit, then announce; 0 when there is nothing to write. BookError when it cannot be written."""
        if not events:
            return 0
        seq = self.book.append(*events, run=self.run, step=self.step, bench_s=self.clock() if self.clock else None)
        self.desk.announce(seq, self.state)
        return seq

    def try_append(self, event: Event) -> None:
        """For the way to safety: a book that fails must not stop it. The failure is kept in ``failure``."""
        try:
            self.append(event)
        except BookError as error:
            self.failure = error

    def become(self, command: str, why: str) -> None:
        """Follow the table of states and write where that leads."""
        self.state = follow(self.state, command)
        self.append(StateChanged(self.state.value, why))

    def try_become(self, command: str, why: str) -> None:
        self.state = follow(self.state, command)
        self.try_append(StateChanged(self.state.value, why))
