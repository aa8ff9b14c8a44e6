"""How long it takes to judge a whole plan again after one more point of its grid."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from demo_book import make
from zincsmith.book.reader import BookReader, Written
from zincsmith.judge.judging import judge_run
from zincsmith.judge.memory import Memory
from zincsmith.model.events import PointTaken

GOAL_S = 0.050
TURNS = 7


class AsItGrew(BookReader):
    """A book that shows its events up to one of them."""

    upto = 1 << 60

    def events(self, *, after: int = 0, run: int | None = None, kinds: tuple[type, ...] = ()) -> Iterator[Written]:
        return (w for w in super().events(after=after, run=run, kinds=kinds) if w.seq <= self.upto)


def measures(folder: Path) -> list[tuple[str, float, float, float, str]]:
    """(name, ratio, goal, milliseconds, spread) of the median of several turns on a book of the whole plan."""
    book = folder / "whole.zbook"
    make(book, ())
    with AsItGrew(book) as reader:
        taken = [w for w in reader.events(run=1, kinds=(PointTaken,)) if isinstance(w.event, PointTaken)]
        grid = [w for w in taken if len([x for x in taken if x.event.point.part == w.event.point.part]) > TURNS]
        times = []
        for before, one in zip(grid[-TURNS - 1 : -1], grid[-TURNS:], strict=True):
            memory = Memory()
            reader.upto = before.seq
            judge_run(reader, memory=memory)
            reader.upto = one.seq
            began = time.perf_counter()
            judge_run(reader, memory=memory)
            times.append(time.perf_counter() - began)
    times.sort()
    middle = times[len(times) // 2]
    spread = f"{1000 * times[0]:.0f} to {1000 * times[-1]:.0f} ms"
    return [("judging a whole plan after one more point", middle / GOAL_S, 1.0, 1000.0 * middle, spread)]
