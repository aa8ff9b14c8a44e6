"""Judging takes a while for a long run: it is done beside the window, which is told when it is there."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from zincsmith.model.errors import ZincsmithError

if TYPE_CHECKING:
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.judge.kept import Seal


@dataclass(frozen=True)
class Outcome:
    """``run`` is None when there is none, or ``problem`` says why it cannot be judged."""

    run: JudgedRun | None = None
    seals: tuple[Seal, ...] = ()
    problem: str = ""


class JudgingWork(QObject):
    """One job at a time. Signal ``done``: the outcome of what was asked for last can be had."""

    done = Signal()

    def __init__(self, book: Path) -> None:
        super().__init__()
        self._book = book
        self._wanted: object = None
        self._known: tuple[object, Outcome] | None = None
        self._thread: Thread | None = None
        self.done.connect(self._next)

    def outcome(self, of: object) -> Outcome | None:
        """What judging gives for a state of the book; None while it is worked out."""
        if self._known is not None and self._known[0] == of:
            return self._known[1]
        self._wanted = of
        if self._thread is None:
            self._start()
        return None

    def _start(self) -> None:
        self._thread = Thread(target=self._work, args=(self._wanted,), daemon=True)
        self._thread.start()

    def _work(self, of: object) -> None:
        from zincsmith.book.reader import BookReader
        from zincsmith.judge.judging import judge_run
        from zincsmith.judge.kept import seals_of

        try:
            with BookReader(self._book) as reader:
                if not reader.runs():
                    found = Outcome()
                else:
                    run = judge_run(reader)
                    found = Outcome(run, tuple(seals_of(reader, run)))
        except ZincsmithError as error:
            found = Outcome(problem=str(error))
        except Exception as error:  # noqa: BLE001 - a bug must be told in the window, not end in a thread of its own
            found = Outcome(
                problem=f"this run cannot be judged: a bug in the program ({type(error).__name__}: {error})"
            )
        self._known = (of, found)
        self.done.emit()

    def _next(self) -> None:
        """In the window's thread: the job is over; another one if something else is wanted by now."""
        if self._thread is not None:
            self._thread.join()
            self._thread = None
        if self._known is not None and self._wanted is not None and self._known[0] != self._wanted:
            self._start()

    def stop(self) -> None:
        if self._thread is not None:
            self._thread.join()
            self._thread = None
