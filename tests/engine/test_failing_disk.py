"""A disk that fills up in the middle of a run: the bench is made safe all the same, and nothing shown is lost."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from tests.conftest import bench_log
from tests.engine.scripted import Actor

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.model.errors import Full
from zincsmith.model.events import Event, Polled
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit


class FullBook(BookWriter):
    """Every append beyond ``room`` fails, as SQLite reports a full disk."""

    room = 10**9

    def append(
        self, *events: Event, run: int | None = None, step: int | None = None, bench_s: float | None = None
    ) -> int:
        if self.room <= 0:
            raise Full("run.zbook: the disk is full; free some space, nothing that was shown is lost")
        type(self).room -= len(events)
        return super().append(*events, run=run, step=step, bench_s=bench_s)


@pytest.fixture
def book(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> Iterator[FullBook]:
    with FullBook(tmp_path / "run.zbook") as opened:
        opened.revise("unit", unit.tag, unit, "test")
        opened.revise("rig", "bench", rig, "test")
        opened.revise("plan", "plan", tiny_plan, "test")
        yield opened
    FullBook.room = 10**9


@pytest.mark.parametrize("room", [0, 1, 15, 25, 40, 60, 90])
def test_the_bench_is_made_safe_without_the_book(
    book: FullBook, unit: Unit, standin: Callable[..., RunningStandIn], tmp_path: Path, room: int
) -> None:
    person = Actor()
    session = Session(book, person)
    FullBook.room = room
    closed = session.run(unit.tag, Start("Tester", 23.0), standin().addresses)
    assert closed.outcome == "failed"
    assert "disk is full" in closed.why
    assert closed.safe
    log = bench_log(tmp_path / "bench.log")
    assert not log or (log[-1]["source_on"], log[-1]["load_on"]) == (False, False)
    if room >= 40:
        assert any(row["source_on"] for row in log), "it was live when the disk filled up"
    with BookReader(tmp_path / "run.zbook") as reader:
        assert person.seq <= reader.last_seq(), "nobody was told of an event that is not in the book"
        polled = [w for w in reader.events(kinds=(Polled,)) if w.seq <= person.seq]
        assert len(polled) >= (room > 60), "what was shown is kept"
        assert reader.closed(1) is None, "the end could not be written: the next opening will call it interrupted"


def test_the_next_opening_calls_it_interrupted(
    book: FullBook, unit: Unit, standin: Callable[..., RunningStandIn], tmp_path: Path
) -> None:
    addresses = standin().addresses
    session = Session(book, Actor())
    FullBook.room = 50
    session.run(unit.tag, Start("Tester", 23.0), addresses)
    FullBook.room = 10**9
    again = Session(book, Actor())
    assert again.interrupted == [1]
    assert again.event_log.state is State.INTERRUPTED
    assert again.make_safe(addresses)
    assert again.event_log.state is State.SAFE
    assert again.run(unit.tag, Start("Tester", 23.0), addresses).outcome == "complete"
