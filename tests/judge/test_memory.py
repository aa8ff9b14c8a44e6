"""What was worked out before is used again, and changes nothing: point by point, and when a person corrects."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from zincsmith.book.reader import BookReader, Written
from zincsmith.judge.judging import judge_run
from zincsmith.judge.memory import Memory
from zincsmith.model.events import EntryCorrected, PointRejected, PointTaken
from zincsmith.model.finding import Finding


class AsItGrew(BookReader):
    """A book that shows its events up to one of them, and further ones after its own."""

    upto, further = 1 << 60, ()

    def events(self, *, after: int = 0, run: int | None = None, kinds: tuple[type, ...] = ()) -> Iterator[Written]:
        for written in super().events(after=after, run=run, kinds=kinds):
            if written.seq <= self.upto:
                yield written
        for written in self.further:
            if written.seq > after and isinstance(written.event, kinds or (object,)):
                yield written


def test_a_run_judged_as_it_grows_is_judged_as_if_anew(finished_book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """After each point the findings are those of judging without a memory; and while a part grows, no other part is
    worked out again."""
    from zincsmith.judge import evidence as module

    worked: list[str] = []
    found = module._found

    def counted(name: str, *more: Any) -> list[Finding]:
        worked.append(name)
        return found(name, *more)

    monkeypatch.setattr(module, "_found", counted)
    with AsItGrew(finished_book) as book:
        points = [w for w in book.events(run=1, kinds=(PointTaken,)) if isinstance(w.event, PointTaken)]
        memory = Memory()
        for before, one in zip(points[-9:], points[-8:], strict=False):
            book.upto = one.seq
            worked.clear()
            grown = judge_run(book, memory=memory).judged
            assert len(worked) <= (9 if before is points[-9] else 2), "one part grows; another may end"
            assert grown == judge_run(book).judged
        reading = points[-1].event.point.readings[0]
        corrected = EntryCorrected(replace(reading, value=reading.number * 1.001), reading.value, "a slip", "Tester")
        rejected = PointRejected(points[-2].event.point.part, points[-2].event.point.number, 1, "a doubt", "Tester")
        last = max(w.seq for w in book.events())
        for n, event in enumerate((corrected, rejected), start=1):
            book.upto, book.further = 1 << 60, (*book.further, Written(last + n, 1, None, points[-1].at, None, event))  # type: ignore[assignment]
            assert judge_run(book, memory=memory).judged == judge_run(book).judged


def test_a_memory_is_of_one_run(finished_book: Path) -> None:
    with BookReader(finished_book) as book:
        memory = Memory(run=7, parts={0: ((), [])})
        assert judge_run(book, 1, memory=memory).judged == judge_run(book, 1).judged
        assert memory.run == 1
