"""Hands go in during the work: not before it has emptied, and a one-way gate says what it costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from tests.conftest import bench_log
from tests.engine.scripted import Actor, Scene

from zincsmith.before_power.one_way import one_way_price
from zincsmith.bench.standin import RunningStandIn
from zincsmith.engine.operator import LEAST_EMPTYING_S
from zincsmith.model.actions import Begin, Confirm
from zincsmith.model.events import Emptied, GateOpened, GatePassed, Polled
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.prediction import seconds_to_test
from zincsmith.planning.step_sequence import StepSequence
from zincsmith.procedures.hands_in.options import HandsInOptions
from zincsmith.procedures.safety_checks.options import SafetyOptions

LINE = Line(115.0, 60.0)


def test_the_gate_stays_shut_until_what_was_charged_has_emptied(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn]
) -> None:
    plan = replace(tiny_plan, parts=(*tiny_plan.parts, HandsInOptions(line=LINE, warm_up_s=20.0)))
    scene = Scene.set_up(tmp_path, unit, rig, plan, standin().addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    opened, passed = scene.events(GateOpened, GatePassed)[-2:]
    assert isinstance(opened.event, GateOpened)
    assert "proven dead there and then" in opened.event.text
    polls = [w for w in scene.events(Polled) if w.seq < passed.seq]
    last_live = next(w for w in reversed(polls) if w.event.source_on)
    emptied = max(w.event.after_s for w in scene.events(Emptied) if w.seq < passed.seq)
    assert (polls[-1].bench_s or 0.0) - (last_live.bench_s or 0.0) >= max(emptied, LEAST_EMPTYING_S) - 1.0
    rows = bench_log(tmp_path / "bench.log")
    switched = [row["source_on"] for row in rows if row["role"] == "ac_source" and str(row["text"]).startswith("OUTP ")]
    assert switched == [True, False, True, False], "off, hands in, on again, off"


def test_a_pass_that_comes_too_early_is_refused(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn]
) -> None:
    """The voltmeter is read by a person: the program cannot see it empty, and keeps the gate shut long enough, at the
    third gate no longer than at the first: who was kept waiting has not seen it take that long."""
    hand = tuple(replace(i, how="by hand") if i.role == "voltmeter" else i for i in rig.instruments)
    plan = Plan("x", (*tiny_plan.parts, *[HandsInOptions(line=LINE, warm_up_s=0.0)] * 3))
    bench = replace(rig, instruments=hand)
    scene = Scene.set_up(tmp_path, unit, bench, plan, standin().addresses)
    actor = Actor(entries=["24.0", "24.1"])
    closed = scene.run(actor)
    assert closed.outcome == "complete", closed.why
    waits = [float(why.split("another ")[1].split()[0]) for _, why in actor.refused]
    assert len(waits) >= 3
    assert max(waits) <= LEAST_EMPTYING_S
    assert "bulk" not in {w.event.what for w in scene.events(Emptied)}, "nobody saw it take that long"


def test_the_gate_before_the_case_is_opened_tells_its_price(unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    opens = HandsInOptions(act="open the case", line=LINE)
    cost = partial(seconds_to_test, unit, rig)
    first = one_way_price(unit, Plan("x", (opens,)), cost)
    assert "Load regulation" in first
    assert "No-load power" in first
    assert "min." in first
    later = one_way_price(unit, replace(tiny_plan, parts=(*tiny_plan.parts, opens)), cost)
    assert "Load regulation" not in later, "the grid has tested it"
    assert "No-load power" in later
    assert one_way_price(unit, tiny_plan, cost) == ""


def test_the_safety_gates_are_first_wherever_they_stand(unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    plan = replace(tiny_plan, parts=(*tiny_plan.parts, SafetyOptions()))
    step_sequence = StepSequence(unit, rig, plan)
    from zincsmith.model.actions import Done

    seen, action = [], step_sequence.next()
    while not isinstance(action, Confirm):
        seen.append(action)
        action = step_sequence.next(Done())
    assert [a.part for a in seen if isinstance(a, Begin)] == [1], "its number in the plan stays"
    assert "Mains can kill" in " ".join(action.cautions) or action.title in {"Safety records", "Terminals"}
