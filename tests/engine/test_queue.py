"""Several units one after another: the same plan, each in a run of its own, changed over at a gate."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import RIG, UNIT, run_command
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.model.commands import Abort, Command
from zincsmith.model.errors import InputError
from zincsmith.model.events import GateOpened, Intended, RunOpened
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit, next_specimen
from zincsmith.procedures.plan_file import read_plan, write_plan

StartStandIn = Callable[..., RunningStandIn]


@pytest.fixture
def queue(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn) -> Scene:
    second = next_specimen(unit, [unit.tag])
    plan = replace(tiny_plan, then_units=(second.tag,))
    scene = Scene.set_up(tmp_path, unit, rig, plan, standin().addresses)
    with BookWriter(scene.path) as book:
        book.revise("unit", second.tag, second, "test")
    return scene


def runs(scene: Scene) -> list[tuple[str, str | None]]:
    with BookReader(scene.path) as book:
        return [(row.unit, row.outcome) for row in book.runs()]


def test_the_next_unit_follows_behind_a_gate(queue: Scene, unit: Unit) -> None:
    """Off and empty before hands go in; the run of the second cites the second."""
    assert queue.run(Actor()).outcome == "complete"
    tags = [tag for tag, _ in runs(queue)]
    assert tags == ["HB-07", "HB-08"]
    with BookReader(queue.path) as book:
        gates = [w.event for w in book.events(run=2, kinds=(GateOpened,)) if isinstance(w.event, GateOpened)]
        did = [w.event for w in book.events(run=2, kinds=(Intended,)) if isinstance(w.event, Intended)]
        opened = book.opened(2)
    assert gates[0].title == "Change over to HB-08"
    assert "Take HB-07 off" in gates[0].text
    assert "proven dead" in gates[0].text
    assert [one.action for one in did[:3]] == ["Begin", "Stage", "Confirm"]
    assert isinstance(opened, RunOpened)
    assert (opened.unit, opened.after_unit) == ("HB-08", "HB-07")


def test_nobody_goes_on_after_a_run_that_did_not_come_to_its_end(queue: Scene) -> None:
    stops = Actor(lambda state, calls: [Abort("enough")] if state is State.RUNNING and calls > 30 else [])
    assert queue.run(stops).outcome == "aborted"
    assert runs(queue) == [("HB-07", "aborted")]


def test_a_run_of_a_queue_is_resumed_with_its_gate(queue: Scene) -> None:
    """The second run ended early; what it was is told by its own book, and it goes on behind the same gate."""
    seen: list[int] = []

    def stops(state: State, calls: int) -> list[Command]:
        if len(runs(queue)) == 2 and state is State.RUNNING:
            seen.append(calls)
            return [Abort("enough")] if len(seen) > 12 else []
        return []

    assert queue.run(Actor(stops)).outcome == "aborted"
    assert queue.resume(Actor()).outcome == "complete"
    assert runs(queue) == [("HB-07", "complete"), ("HB-08", "complete")]


def test_a_unit_that_is_not_there_is_said_before_anything_begins(queue: Scene, tiny_plan: Plan) -> None:
    with BookWriter(queue.path) as book:
        book.revise("plan", "plan", replace(tiny_plan, then_units=("HB-99",)), "test")
    with pytest.raises(InputError, match="HB-99"):
        queue.run(Actor())
    assert runs(queue) == []


def test_a_plan_file_names_them(tiny_plan: Plan, tmp_path: Path) -> None:
    file = tmp_path / "plan.toml"
    plan = replace(tiny_plan, then_units=("HB-08", "HB-09"))
    file.write_text(write_plan(plan))
    assert read_plan(file) == plan
    file.write_text(write_plan(plan).replace('["HB-08", "HB-09"]', '"HB-08"'))
    with pytest.raises(InputError, match="then_units"):
        read_plan(file)


def test_the_command_line_takes_further_units(tmp_path: Path, short_plan: Path) -> None:
    text = short_plan.read_text().replace("[options]", "[options]\nlines = [[115.0, 60.0]]\nloads_percent = [100.0]")
    short_plan.write_text(text)
    second = tmp_path / "second.toml"
    second.write_text(unit_text(next_specimen(read_unit(UNIT), ["HB-07"])))
    book = tmp_path / "two.zbook"
    done = run_command(
        "run", "--unit", UNIT, "--rig", RIG, "--plan", short_plan, "--book", book, "--yes", "--then-unit", second,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "HB-07, run 1" in done.stdout
    assert "HB-08, run 2" in done.stdout
