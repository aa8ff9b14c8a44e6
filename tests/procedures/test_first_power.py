"""First power on the stand-in bench: a good unit passes, each fault inside a unit stops it before damage."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import bench_log, last_row
from tests.engine.scripted import Actor, Once, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import MakeSafe
from zincsmith.model.events import Effected, PointTaken, RunClosed, Tripped
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import Purpose
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.procedures.rig_check.options import RigCheckOptions
from zincsmith.procedures.safety_checks.options import SafetyOptions
from zincsmith.report.html import render

StartStandIn = Callable[..., RunningStandIn]
FIRST = Line(115.0, 60.0)
BRING_UP = Plan("First power", (SafetyOptions(), BringUpOptions(first_line=FIRST)))
# What bring-up makes of each fault: how the run ends and what is said.
FAULTS = {
    "short input": ("tripped", "Input amps"),
    "leaky bulk": ("tripped", "what the unit can explain"),
    "short output": ("stopped", "did not start up to 115 V"),
    "dead controller": ("stopped", "did not start up to 115 V"),
    "open feedback": ("tripped", "Output volts reached"),
}


def bring_up(folder: Path, unit: Unit, rig: Rig, plan: Plan, standin: RunningStandIn) -> tuple[Scene, RunClosed]:
    scene = Scene.set_up(folder, unit, rig, plan, standin.addresses)
    return scene, scene.run(Actor())


def found_in(scene: Scene) -> dict[str, Finding]:
    with BookReader(scene.path) as reader:
        return {j.finding.name: j.finding for j in judge_run(reader).judged}


def test_start_and_stop_voltage_are_those_of_the_unit(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """The stand-in's physics starts at 82 V and stops at 62 V; neither is known to the procedure."""
    scene, closed = bring_up(tmp_path, unit, rig, BRING_UP, standin())
    assert (closed.outcome, closed.safe) == ("complete", True)
    found = found_in(scene)
    for name, true in (("start_voltage", 82.0), ("stop_voltage", 62.0)):
        one = found[name]
        assert one.value is not None
        assert one.u is not None
        assert abs(one.value - true) <= 2.0 * one.u + 0.2, name
        assert any(part.source == "step of the search" for part in one.contributions)
    assert found["start_attempts"].value is not None
    assert found["start_attempts"].value >= 3.0
    assert last_row(tmp_path / "bench.log")["damage"] == []


@pytest.mark.long
def test_a_stop_search_that_was_interrupted_comes_down_anew(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Below its start volts a unit that jumped in would stand still, and look like one that had stopped."""
    plan = Plan("Up", (BringUpOptions(first_line=FIRST, look_inside=False),))
    scene = Scene.set_up(tmp_path, unit, rig, plan, standin().addresses)

    def going_down(state: State, _calls: int) -> bool:
        down = any(w.event.point.at.step is Purpose.STOP for w in scene.events(PointTaken))
        set_V = [float(w.event.body["voltage_V"]) for w in scene.events(Effected) if w.event.action == "SetSource"]
        return state is State.RUNNING and down and 62.0 < set_V[-1] < 80.0

    assert scene.run(Actor(Once(going_down, MakeSafe("lunch")))).outcome == "made safe"
    assert scene.resume(Actor()).outcome == "complete"
    found = found_in(scene)["stop_voltage"]
    assert found.u is not None
    assert abs(found.number - 62.0) <= 2.0 * found.u + 0.2


@pytest.mark.parametrize("fault", FAULTS)
def test_each_fault_inside_stops_it_before_damage(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, fault: str
) -> None:
    scene, closed = bring_up(tmp_path, unit, rig, BRING_UP, standin(faults=(f"unit,{fault}",)))
    outcome, said = FAULTS[fault]
    assert closed.outcome == outcome
    assert said in closed.why
    if not closed.safe:  # an output that was never seen live is not called fallen: its 0 V proves nothing
        assert all("never read anything live in this run" in line for line in closed.unconfirmed)
        assert closed.seen[0] == "AC source off, read back"
        assert closed.seen[1].startswith("input gone")
    last = last_row(tmp_path / "bench.log")
    assert last["damage"] == [], "the stand-in says what would have gone"
    assert last["source_on"] is False
    if outcome == "tripped":
        assert scene.events(Tripped)[0].event.whose in closed.why


def test_what_a_careless_start_would_have_cost(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    """The same short, fed at rated input at once: the oracle is not blind."""
    careless = Plan("x", (BringUpOptions(school="rated input", first_line=FIRST),))
    _, closed = bring_up(tmp_path, unit, rig, careless, standin(faults=("unit,short input",)))
    assert closed.seen[1].startswith("input gone")
    assert last_row(tmp_path / "bench.log")["damage"] != []


def test_a_boxed_product_goes_straight_to_rated_input(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    plan = Plan("x", (BringUpOptions(school="rated input", first_line=FIRST),))
    scene, closed = bring_up(tmp_path, unit, rig, plan, standin())
    assert closed.outcome == "complete"
    assert "start_voltage" not in found_in(scene)
    volts = {row["source_V"] for row in bench_log(tmp_path / "bench.log") if row["source_on"]}
    assert volts == {115.0}


@pytest.mark.long
def test_a_good_unit_is_never_stopped(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    """Thirty benches with instruments that err differently within their data sheets."""
    for seed in range(30):
        folder = tmp_path / str(seed)
        folder.mkdir()
        _, closed = bring_up(folder, unit, rig, BRING_UP, standin(seed=seed))
        assert closed.outcome == "complete", (seed, closed.why)


def rig_check(folder: Path, unit: Unit, rig: Rig, standin: RunningStandIn) -> dict[str, set[str]]:
    """Doubts by finding of a rig check before, live and after."""
    plan = Plan("Rig", tuple(RigCheckOptions(when=w, line=FIRST) for w in ("before", "live", "after")))  # type: ignore[arg-type]
    scene, closed = bring_up(folder, unit, rig, plan, standin)
    assert closed.outcome == "complete", closed.why
    return {name: {d.code for d in one.doubts} for name, one in found_in(scene).items() if one.value is not None}


def test_a_good_rig_raises_no_doubt_and_its_leads_are_measured(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    assert set().union(*rig_check(tmp_path, unit, rig, standin()).values()) == set()
    found = found_in(Scene(tmp_path / "run.zbook", unit, {}))
    leads = found["lead_resistance"]
    assert leads.value is not None
    assert leads.u is not None
    assert abs(leads.value - 0.0296) <= 2.0 * leads.u, "what the stand-in's leads have"


def test_a_source_off_its_setting_and_bad_leads_are_doubted(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    doubts = rig_check(tmp_path, unit, rig, standin(faults=("bench,DRIFT",), lead_ohm=0.4))
    assert doubts["source_error"] == {"source_out_of_tolerance"}
    assert doubts["lead_resistance"] == {"lead_resistance_high"}


def test_two_meters_that_disagree_are_doubted(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    """The rig claims a load voltmeter ten times as good as it is."""
    bold = tuple(
        replace(
            i,
            accuracy=tuple(
                replace(a, reading_percent=0.001, range_percent=0.0005) if a.quantity == "load_voltage" else a
                for a in i.accuracy
            ),
        )
        if i.role == "load"
        else i
        for i in rig.instruments
    )
    doubts = rig_check(tmp_path, unit, replace(rig, instruments=bold), standin())
    assert "meters_disagree" in doubts["meter_difference"]


@pytest.mark.long
def test_the_whole_plan_runs_and_its_findings_are_complete(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    plan, _ = compose(unit, rig)
    quick = tuple(
        replace(p, lines=(FIRST,), warm_up_s=60.0, settled_percent=0.5, average_s=4.0, refine_points=3)
        if p.procedure == "static_grid"
        else replace(p, lines=(FIRST,), warm_up_s=10.0)
        if p.procedure == "standby"
        else p
        for p in plan.parts
    )
    scene, closed = bring_up(tmp_path, unit, rig, replace(plan, parts=quick), standin())
    assert (closed.outcome, closed.safe) == ("complete", True)
    found = found_in(scene)
    assert {
        "background_before",
        "background_after",
        "start_voltage",
        "source_error",
        "average_active_efficiency",
        "no_load_power",
    } <= set(found)
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
    evidence, text = run.evidence, render(run)
    for title in ("Leads to the load", "No-load power", "Standby power", "Average active efficiency"):
        assert title in text, "the report tells of every part"
    assert len(evidence.by("static_grid").points) == 1 + 6 + 1 + 3, (
        "one cold, one again, three more where the curve is bent"
    )
    assert evidence.ended == tuple(range(len(plan.parts)))
