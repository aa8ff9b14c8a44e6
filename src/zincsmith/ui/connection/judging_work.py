"""Judging takes a while for a long run: it is done beside the window, which is told when it is there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from zincsmith.model.errors import ZincsmithError
from zincsmith.ui.beside import Beside

if TYPE_CHECKING:
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.judge.memory import Memory
    from zincsmith.judge.snapshot import Seal

    Earlier = tuple[int, JudgedRun | None]  # a run, and the one of the same unit before it


@dataclass(frozen=True)
class Outcome:
    """``run`` is None when there is none, or ``problem`` says why it cannot be judged. ``earlier`` is the run of the
    same unit before it, which comes a little later."""

    run: JudgedRun | None = None
    earlier: JudgedRun | None = None
    seals: tuple[Seal, ...] = ()
    problem: str = ""


class JudgingWork(QObject):
    """One job at a time. Signal ``done``: the outcome of what was asked for last can be had, or more of it."""

    done = Signal()

    def __init__(self, book: Path) -> None:
        super().__init__()
        self._book = book
        self._wanted: object = None
        self._known: tuple[object, Outcome] | None = None
        self._beside = Beside(self)
        self._thread: Thread | None = None
        self._earlier: Earlier = (0, None)
        self._memory: Memory | None = None

    def outcome(self, of: object) -> Outcome | None:
        """What judging gives for a state of the book; None while it is worked out."""
        if self._known is not None and self._known[0] == of:
            return self._known[1]
        self._wanted = of
        if self._thread is None:
            self._start()
        return None

    def _start(self) -> None:
        if self._memory is None:
            from zincsmith.judge.memory import Memory

            self._memory = Memory()
        of, work = self._wanted, partial(_judged, self._book, self._wanted, self._earlier, self._memory)
        self._thread = self._beside.start(work, partial(self._tell, of), self._next)

    def _tell(self, of: object, told: tuple[Outcome, Earlier]) -> None:
        found, self._earlier = told
        self._known = (of, found)
        self.done.emit()

    def _next(self) -> None:
        """The job is over; another one if something else is wanted by now."""
        self._thread = None
        if self._known is not None and self._wanted is not None and self._known[0] != self._wanted:
            self._start()

    def stop(self) -> None:
        """Wait for the job to end: it reads the book."""
        if self._thread is not None:
            self._thread.join()
            self._thread = None


def _judged(book: Path, of: Any, earlier: Earlier, memory: Memory) -> Iterator[tuple[Outcome, Earlier]]:
    """In the thread: the run, then again with the one before it. A bug is told as what stands in the way."""
    try:
        yield from _judge(book, of, earlier, memory)
    except ZincsmithError as error:
        yield Outcome(problem=str(error)), earlier
    except Exception as error:  # noqa: BLE001 - told where the findings would be; the rest of the window goes on
        bug = f"a bug in the program ({type(error).__name__}: {error})"
        yield Outcome(problem=f"this run cannot be judged: {bug}"), earlier


def _judge(book: Path, of: Any, earlier: Earlier, memory: Memory) -> Iterator[tuple[Outcome, Earlier]]:
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.against import before
    from zincsmith.judge.judging import judge_run
    from zincsmith.judge.snapshot import seals_of

    with BookReader(book) as reader:
        if of[0] is None:  # the chosen unit has no run
            yield Outcome(), earlier
            return
        run = judge_run(reader, of[0], memory=memory)
        found = Outcome(run, seals=tuple(seals_of(reader, run)))
        known = run.row.id == earlier[0]  # one that has ended does not change
        if not known:
            yield found, earlier
            earlier = (run.row.id, before(reader, run))
        if known or earlier[1] is not None:
            yield replace(found, earlier=earlier[1]), earlier
