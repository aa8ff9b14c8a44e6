"""Real signals at seeded moments. The stand-in's own log says what was switched; the book what was kept.

A kill of each kind in ``make test``; ``make test-long`` goes on as long as it is given time, up to a hundred.
"""

from __future__ import annotations

import os
import random
import signal
import time
from contextlib import suppress
from pathlib import Path

import pytest
from tests.conftest import bench_log, sampled
from tests.engine.windowless import Window, children_of, polls

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.judge.judging import judge_run
from zincsmith.model.answers import Refused
from zincsmith.model.commands import MakeSafe, Pass, ResumeRun
from zincsmith.model.events import PointTaken
from zincsmith.model.plan import Line, Plan
from zincsmith.model.reading import Point
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import GridOptions

HANG_GUARD_S = 15.0  # of the bench itself: the source is off by then; the 2 s are measured in make bench
VICTIMS = ("engine", "engine hangs", "guardian", "window")
MOST_EVENTS = 240  # a run of this plan has some more
LONG_S, LONG_MOST = 600.0, 100


@pytest.fixture(scope="module")
def plan() -> Plan:
    options = GridOptions(
        lines=(Line(115.0, 60.0),),
        loads_percent=(100.0, 50.0, 25.0, 0.0),
        warm_up_s=40.0,
        settle_at_most_s=30.0,
        settled_percent=0.5,
        average_s=4.0,
    )
    return Plan("Short grid", (options,))


Reference = dict[tuple[str, str], tuple[float | None, float | None]]


EXTREMES = ("output_voltage_min", "output_voltage_max", "static_accuracy")  # noise says at which of the points it lies


def findings(book: Path) -> Reference:
    with BookReader(book) as reader:
        found = [j.finding for j in judge_run(reader).judged]
    return {(f.name, "" if f.name in EXTREMES else str(f.at.conditions)): (f.value, f.u) for f in found}


def points(book: Path, up_to: int) -> list[Point]:
    with BookReader(book) as reader:
        return [w.event.point for w in reader.events(kinds=(PointTaken,)) if w.seq <= up_to]


def made_safe_in_order(log: Path) -> bool:
    """Whether the last thing that was live went off source first, load last. True as well when nothing ever was."""
    rows = bench_log(log)
    live = [n for n, row in enumerate(rows) if row["source_on"]]
    if not live:
        return True
    after = rows[live[-1] + 1 :]
    return bool(after) and not after[-1]["load_on"] and any(row["text"] == "INP 0" for row in after)


class Kill:
    """One seeded kill: who, and after how many events of the run."""

    def __init__(self, seed: int, folder: Path, unit: Unit, rig: Rig, plan: Plan) -> None:
        dice = random.Random(f"kill {seed}")
        self.victim, self.after = VICTIMS[seed % len(VICTIMS)], dice.randint(25, MOST_EVENTS)
        self.unit, self.log = unit, folder / "bench.log"
        self.book = folder / "run.zbook"
        with BookWriter(self.book) as book:
            book.revise("unit", unit.tag, unit, "test")
            book.revise("rig", "bench", rig, "test")
            book.revise("plan", "plan", plan, "test")
            self.begins = 3
        self.window = Window(self.book, rig, self.log)
        self.window.start_engine()

    def strike(self) -> None:
        """Send the signal once so many events were announced, and wait until the bench is dealt with."""
        window = self.window
        window.start_run(self.unit)
        window.until(lambda: window.seq >= self.begins + self.after or window.state == "safe")
        engine = window.client.process
        assert engine is not None
        if self.victim == "guardian":
            for pid in children_of(engine.pid):
                with suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)
            window.until(lambda: window.state == "safe")
            return
        self.shown = window.seq
        self.polls, self.points = polls(self.book, self.shown), points(self.book, self.shown)
        if self.victim == "window":
            window.client.stop(300.0)  # what a killed window leaves behind: a closed socket
            return
        os.kill(engine.pid, signal.SIGSTOP if self.victim == "engine hangs" else signal.SIGKILL)
        window.until(lambda: window.client.fileno < 0 or (self.victim == "engine hangs" and self.ended()))
        if window.client.fileno >= 0:
            os.kill(engine.pid, signal.SIGKILL)  # it had ended the run itself: nobody watches over an engine at rest
            window.until(lambda: window.client.fileno < 0)
        guard = time.monotonic() + HANG_GUARD_S
        while bench_log(self.log)[-1]["source_on"]:
            assert time.monotonic() < guard, "the source is still on"
            time.sleep(0.01)

    def check(self, reference: Reference) -> None:
        """Nothing shown is lost; the run is resumed; the findings are those of a run in one piece."""
        if self.victim != "guardian":
            self.window.said.clear()
            self.window.client.stop_standin()
            self.window.start_engine()
            assert made_safe_in_order(self.log)
            assert polls(self.book, self.shown) == self.polls
            assert points(self.book, self.shown) == self.points
            self.carry_on()
            assert points(self.book, self.shown) == self.points
        found = findings(self.book)
        assert set(found) == set(reference)
        for key, (value, u) in found.items():
            true, its = reference[key]
            if value is not None and true is not None and u is not None and its is not None:
                if key[0] == "static_accuracy":  # the farthest may lie above once and below the next time, as far
                    value, true = abs(value), abs(true)
                assert abs(value - true) <= 3.0 * (u**2 + its**2) ** 0.5 + 1e-9, key

    def carry_on(self) -> None:
        """Resume, passing the gate again; a run that had ended before the signal is left alone."""
        with BookReader(self.book) as reader:
            closed = reader.closed(1)
        assert closed is not None
        if closed.outcome == "complete":
            return
        assert closed.outcome == "interrupted" or self.victim == "window", closed.why
        window = self.window
        if window.state in ("not confirmed safe", "interrupted"):
            window.client.send(MakeSafe())
            window.until(lambda: window.state == "safe")
        window.client.send(ResumeRun("Tester", 23.0))
        window.until(lambda: window.state == "at a gate" or self.refused())
        assert not self.refused()
        window.client.send(Pass())
        window.until(lambda: window.state == "safe" or (window.state == "at a gate" and not window.client.send(Pass())))
        window.until(lambda: window.state == "safe")

    def ended(self) -> bool:
        """Whether the engine itself has written the end of the run, whatever it had time to announce."""
        with BookReader(self.book) as reader:
            return reader.closed(1) is not None

    def refused(self) -> list[object]:
        return list(self.window.told(Refused))

    def end(self) -> None:
        self.window.client.stop(300.0)


@pytest.fixture(scope="module")
def reference(tmp_path_factory: pytest.TempPathFactory, unit: Unit, rig: Rig, plan: Plan) -> Reference:
    """A run in one piece."""
    one = Kill(0, tmp_path_factory.mktemp("whole"), unit, rig, plan)
    try:
        one.window.start_run(unit)
        one.window.until(lambda: one.window.state == "safe")
        return findings(one.book)
    finally:
        one.end()


def strike(seed: int, folder: Path, unit: Unit, rig: Rig, plan: Plan, reference: Reference) -> None:
    one = Kill(seed, folder, unit, rig, plan)
    try:
        one.strike()
        one.check(reference)
    finally:
        one.end()


@pytest.mark.parametrize("seed", sampled(range(len(VICTIMS)), range(1, 2)))  # many, and of each kind, are long
def test_a_kill_loses_nothing_and_leaves_the_bench_safe(
    seed: int, tmp_path: Path, unit: Unit, rig: Rig, plan: Plan, reference: Reference
) -> None:
    strike(seed, tmp_path, unit, rig, plan, reference)


@pytest.mark.long
def test_many_kills(tmp_path: Path, unit: Unit, rig: Rig, plan: Plan, reference: Reference) -> None:
    """As many as fit ten minutes, up to a hundred; the number is printed."""
    until, done = time.monotonic() + LONG_S, 0
    while time.monotonic() < until and done < LONG_MOST:
        folder = tmp_path / str(done)
        folder.mkdir()
        strike(100 + done, folder, unit, rig, plan, reference)
        done += 1
    print(f"\n{done} kills in {LONG_S - (until - time.monotonic()):.0f} s")
    assert done >= 12
