"""The engine's pen: writes events of one run, then tells the operator interface. State changes are events too."""

from __future__ import annotations

import logging
from collections.abc import Callable

from zincsmith.book.writer import BookWriter
from zincsmith.engine.operator_interface import OperatorInterface
from zincsmith.model.events import Event, StateChanged
from zincsmith.model.states import State, follow

COMMIT_AT_MOST_S = 10.0
log = logging.getLogger(__name__)


class EventLog:
    """``clock`` gives bench seconds once the bench is open; ``busy`` is told before a commit, which cannot be sliced.

    Telling is no part of writing: an operator interface that fails is not told again, and the work goes on.
    """

    def __init__(self, book: BookWriter, operator_interface: OperatorInterface, state: State = State.IDLE) -> None:
        self.book, self.operator_interface, self.state = book, operator_interface, state
        self.run: int | None = None
        self.step: int | None = None
        self.clock: Callable[[], float] | None = None
        self.failure: Exception | None = None
        self.busy: Callable[[str, float], None] = lambda _what, _at_most_s: None

    def next_step(self) -> None:
        self.step = (self.step or 0) + 1

    def append(self, *events: Event) -> int:
        """Write in one commit, then announce; 0 when there is nothing to write. BookError when it cannot be written."""
        if not events:
            return 0
        self.busy("writing into the book", COMMIT_AT_MOST_S)
        seq = self.book.append(*events, run=self.run, step=self.step, bench_s=self.clock() if self.clock else None)
        self.busy("", 0.0)
        self._announce(seq)
        return seq

    def _announce(self, seq: int) -> None:
        """It only tells. What goes wrong with that is logged for whoever mends it, and nothing else."""
        try:
            self.operator_interface.announce(seq, self.state)
        except Exception as error:  # noqa: BLE001 - nothing that only tells may stop what keeps the bench safe
            if not isinstance(error, OSError):  # a terminal that was closed is no fault of ours
                log.warning("the operator interface failed: %r", error)

    def append_to(self, run: int, event: Event) -> None:
        """Write an event of another run than the one under way."""
        self._announce(self.book.append(event, run=run))

    def try_append(self, event: Event) -> int:
        """For the way to safety: a book that fails must not stop it. The failure is kept in ``failure``; 0 then."""
        try:
            return self.append(event)
        except Exception as error:  # noqa: BLE001 - whatever it is, the next step of making safe matters more
            self.failure = error
            return 0

    def become(self, command: str, why: str) -> None:
        """Follow the table of states and write where that leads."""
        self.state = follow(self.state, command)
        self.append(StateChanged(self.state.value, why))

    def try_become(self, command: str, why: str) -> None:
        """For the way to safety: nothing of it is stopped by what cannot be written or followed."""
        try:
            self.state = follow(self.state, command)
        except ValueError as error:
            self.failure = error
        self.try_append(StateChanged(self.state.value, why))
