"""Judging takes a while for a long run: it is done beside the window, which is told when it is there."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from zincsmith.model.errors import ZincsmithError

if TYPE_CHECKING:
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.judge.snapshot import Seal


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
    _over = Signal()

    def __init__(self, book: Path) -> None:
        super().__init__()
        self._book = book
        self._wanted: object = None
        self._known: tuple[object, Outcome] | None = None
        self._thread: Thread | None = None
        self._earlier: tuple[int, JudgedRun | None] = (0, None)
        self._over.connect(self._next)

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
        try:
            self._judge(of)
        except ZincsmithError as error:
            self._tell(of, Outcome(problem=str(error)))
        except Exception as error:  # noqa: BLE001 - a bug must be told in the window, not end in a thread of its own
            bug = f"a bug in the program ({type(error).__name__}: {error})"
            self._tell(of, Outcome(problem=f"this run cannot be judged: {bug}"))
        self._over.emit()

    def _judge(self, of: Any) -> None:
        from zincsmith.book.reader import BookReader
        from zincsmith.judge.against import before
        from zincsmith.judge.judging import judge_run
        from zincsmith.judge.snapshot import seals_of

        with BookReader(self._book) as reader:
            if of[0] is None:  # the chosen unit has no run
                self._tell(of, Outcome())
                return
            run = judge_run(reader, of[0])
            found = Outcome(run, seals=tuple(seals_of(reader, run)))
            known = run.row.id == self._earlier[0]  # one that has ended does not change
            if not known:
                self._tell(of, found)
                self._earlier = (run.row.id, before(reader, run))
            if known or self._earlier[1] is not None:
                self._tell(of, replace(found, earlier=self._earlier[1]))

    def _tell(self, of: object, found: Outcome) -> None:
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
