"""A run that ended early goes on where it stopped: what was read is kept, what has changed is refused."""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import last_row, told
from tests.engine.scripted import Actor, Once, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import Gone, MakeSafe
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    EntryTaken,
    GatePassed,
    PointTaken,
    RunClosed,
    RunResumed,
    Waited,
)
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.static_grid.steps import StaticGrid

StartStandIn = Callable[..., RunningStandIn]


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


@pytest.fixture
def scene(tmp_path: Path, unit: Unit, rig: Rig, plan: Plan, standin: StartStandIn) -> Scene:
    return Scene.set_up(tmp_path, unit, rig, plan, standin().addresses)


def stopped(scene: Scene, points: int, wait: int = 0) -> Actor:
    """Somebody presses Make safe some time after so many points."""
    seen = []

    def then(state: State, calls: int) -> bool:
        if state is State.RUNNING and len(scene.events(PointTaken)) >= points:
            seen.append(calls)
        return len(seen) > wait

    return Actor(Once(then, MakeSafe("enough for today")))


@pytest.mark.parametrize(("points", "wait"), [(0, 8), (0, 30), (1, 0), (2, 5), (2, 14), (3, 4)])
def test_it_goes_on_where_it_stopped(scene: Scene, tmp_path: Path, points: int, wait: int) -> None:
    assert scene.run(stopped(scene, points, wait)).outcome == "made safe"
    before = [w.event.point for w in scene.events(PointTaken)]
    assert len(before) in (points, points + 1)
    gates = len(scene.events(GatePassed))
    closed = scene.resume(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True)
    points_now = [w.event.point for w in scene.events(PointTaken)]
    assert points_now[: len(before)] == before, "what was read before is untouched"
    assert [p.number for p in points_now] == [1, 2, 3, 4], "nothing is taken twice, nothing left out"
    assert [p.at.load_percent for p in points_now] == [100.0, 50.0, 25.0, 0.0]
    assert len(scene.events(RunResumed)) == 1
    assert len(scene.events(GatePassed)) == 2 * gates or not gates, "every gate is passed again"
    if before:
        warm = [w.event for w in scene.events(Waited) if "made up for" in w.event.why]
        assert warm == [] or warm[0].after_s >= 40.0
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
        assert len(reader.runs()) == 1
    assert run.evidence.complete
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_findings_after_a_resume_are_those_of_a_run_in_one_piece(
    tmp_path: Path, unit: Unit, rig: Rig, plan: Plan, standin: StartStandIn
) -> None:
    found = []
    for name in ("whole", "broken"):
        (tmp_path / name).mkdir()
        scene = Scene.set_up(tmp_path / name, unit, rig, plan, standin().addresses)
        if name == "whole":
            scene.run(Actor())
        else:
            scene.run(stopped(scene, 2, 3))
            scene.resume(Actor())
        with BookReader(scene.path) as reader:
            found.append({(j.finding.name, str(j.finding.at.conditions)): j.finding for j in judge_run(reader).judged})
    whole, broken = found
    assert set(whole) == set(broken)
    for key, one in whole.items():
        other = broken[key]
        if one.value is not None and one.u is not None and other.value is not None and other.u is not None:
            spread = 3.0 * (one.u**2 + other.u**2) ** 0.5 + 1e-9
            assert abs(one.value - other.value) <= spread, key


def test_a_run_stopped_while_it_waits_for_a_reading_asks_again(
    tmp_path: Path, unit: Unit, rig: Rig, plan: Plan, standin: StartStandIn
) -> None:
    hand = tuple(replace(i, how="by hand") if i.role == "thermometer" else i for i in rig.instruments)
    scene = Scene.set_up(tmp_path, unit, replace(rig, instruments=hand), plan, standin().addresses)
    scene.run(Actor(Once(lambda state, _: state is State.ASKING, Gone("window closed"))))
    assert scene.events(EntryTaken) == []
    assert scene.resume(Actor(entries=["44.3"])).outcome == "complete"
    assert [w.event.reading.value for w in scene.events(EntryTaken)] == [44.3]


def test_it_can_be_stopped_and_resumed_again_and_again(scene: Scene) -> None:
    scene.run(stopped(scene, 1))
    for points in (2, 3):
        assert scene.resume(stopped(scene, points)).outcome == "made safe"
    assert scene.resume(Actor()).outcome == "complete"
    assert [w.event.point.number for w in scene.events(PointTaken)] == [1, 2, 3, 4]


def test_what_has_changed_since_is_refused_and_nothing_is_switched_on(
    scene: Scene, unit: Unit, rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    scene.run(stopped(scene, 2))
    switched = told(tmp_path / "bench.log")
    with BookWriter(scene.path) as book:
        book.revise("rig", "bench", replace(rig, note="another bench"), "moved")
        with pytest.raises(InputError, match="the rig was edited since"):
            Session(book, Actor()).resume(None, Start("Tester", 23.0), scene.addresses)
        book.undo("rig", "bench")
        monkeypatch.setattr(StaticGrid, "version", StaticGrid.version + 1)
        with pytest.raises(InputError, match=r"static_grid was version \d+ then"):
            Session(book, Actor()).resume(None, Start("Tester", 23.0), scene.addresses)
        monkeypatch.undo()
        monkeypatch.setattr("zincsmith.procedures.static_grid.steps.STOPPED", 0.4)
        with pytest.raises(InputError, match="would now do Watch otherwise"):
            Session(book, Actor()).resume(None, Start("Tester", 23.0), scene.addresses)
    assert told(tmp_path / "bench.log") == switched
    assert len(scene.events(RunResumed)) == 0


def test_a_run_begun_under_an_earlier_form_is_refused_with_the_reason_and_left_alone(
    scene: Scene, tmp_path: Path
) -> None:
    """The stored step as an earlier program wrote it: conditions by key, in place of an operating point."""
    scene.run(stopped(scene, 2))
    switched = told(tmp_path / "bench.log")
    with sqlite3.connect(scene.path) as raw:
        names = [name for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")]
        for name in names:  # they keep what is written from being changed
            raw.execute(f'DROP TRIGGER "{name}"')
        changed = 0
        for seq, text in raw.execute("SELECT seq, body FROM event WHERE kind = 'Intended'").fetchall():
            body = json.loads(text)
            if body["action"] == "Measure":
                body["body"] = {k: v for k, v in body["body"].items() if k != "at"}
                body["body"]["conditions"] = {"line_V": 115.0, "load_percent": 100.0}
                changed += raw.execute("UPDATE event SET body = ? WHERE seq = ?", (json.dumps(body), seq)).rowcount
        assert changed
    before = len(scene.events())
    with BookWriter(scene.path) as book, pytest.raises(InputError, match="begun with an earlier version") as refused:
        Session(book, Actor()).resume(None, Start("Tester", 23.0), scene.addresses)
    assert "begin a new run, the old one stays as it is" in refused.value.message
    assert told(tmp_path / "bench.log") == switched, "nothing is switched on"
    assert len(scene.events()) == before


def test_a_complete_run_is_not_resumed(scene: Scene) -> None:
    scene.run(Actor())
    with pytest.raises(InputError, match="only the latest run, when it ended early"):
        scene.resume(Actor())
    assert len(scene.events(RunClosed)) == 1
