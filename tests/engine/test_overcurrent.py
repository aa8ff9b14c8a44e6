"""Overcurrent over sockets: each protection that the stand-in has is told by name, its limit found from below, and the
unit brought back; against the physics file, which shares no code with the application."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT, first, last_row, sampled
from tests.engine.scripted import Actor, Once, Scene, telling_the_standin

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.session import Start, beyond_the_rating
from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.actions import TELLS
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import Command, MakeSafe, Pass
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import Effected, PointTaken, Polled, SensesAsked
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.plan_file import NAMED
from zincsmith.procedures.planning import Facts

StartStandIn = Callable[..., RunningStandIn]
LINE = Line(115.0, 60.0)
PHYSICS = (ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text()
LIMIT_A = 3.2
QUICK = OvercurrentOptions(
    lines=(LINE,), step_percent=10.0, resolution_percent=2.5, observe_s=5.0, recover_s=4.0, rest_s=1.0, repeats=2
)


@pytest.fixture
def tried(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> Callable[..., JudgedRun]:
    def go(kind: str, part: OvercurrentOptions = QUICK, **more: object) -> JudgedRun:
        text = PHYSICS.replace('kind = "shutdown"', f'kind = "{kind}"')
        for key, value in more.items():
            text = text.replace("delay_s = 0.1\n", f"delay_s = 0.1\n{key} = {value}\n", 1) if key != "limit_A" else text
        physics = tmp_path / "unit.toml"
        lines = [
            f"limit_A = {more.get('limit_A', LIMIT_A)}" if x.startswith("limit_A") else x for x in text.splitlines()
        ]
        physics.write_text("\n".join(lines))
        claims = (*unit.nameplate.claims, StatedClaim("overcurrent", low=2.75, high=4.0, source="manual"))
        stated = replace(unit, nameplate=replace(unit.nameplate, claims=claims))
        scene = Scene.set_up(tmp_path, stated, rig, Plan("Over", (part,)), standin(file=str(physics)).addresses)
        closed = scene.run(Actor())
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        with BookReader(scene.path) as book:
            return judge_run(book)

    return go


def of(run: JudgedRun, name: str) -> Finding:
    return next(j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)


KINDS = (
    ("shutdown", "shutdown-auto-recovery", "automatic"), ("hiccup", "hiccup", "automatic"),
    ("latching", "latching", "input-cycle"), ("constant current", "constant-current", "automatic"),
    ("foldback", "foldback", "automatic"),
)  # fmt: skip


@pytest.mark.parametrize(("kind", "told", "recovery"), sampled(KINDS, {KINDS[1], KINDS[2]}))
def test_each_protection_is_told_by_name(
    tried: Callable[..., JudgedRun], tmp_path: Path, kind: str, told: str, recovery: str
) -> None:
    """The limit lies between the last step that held and the first that did not; the claim is judged as a range."""
    run = tried(kind, off_s=1.5)
    found = of(run, "overcurrent")
    assert told in found.working.formula, found.working
    assert "load_below_its_volts" not in {d.code for d in found.doubts}, "nobody said from where its load works"
    assert LIMIT_A * (1.0 - 0.027) <= found.number <= LIMIT_A * 1.005
    assert f"recovery {recovery}" in found.working.note
    assert abs(found.number - LIMIT_A) <= (found.k or 0.0) * (found.u or 0.0) + 0.01
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "overcurrent")
    assert claim.verdict is Verdict.HOLDS
    before = of(run, "voltage_before_trip")
    assert before.number == pytest.approx(24.0, rel=0.02)
    if kind == "hiccup":
        assert of(run, "hiccup_period").number == pytest.approx(1.5 + 0.1, abs=0.3)
    with BookReader(tmp_path / "run.zbook") as book:
        did = [w.event for w in book.events(kinds=(Effected,))]
    assert max(float(e.body["current_A"]) for e in did if e.action == "SetLoad") <= 1.6 * 2.5


def test_what_has_none_is_told_up_to_where_it_was_tried(tried: Callable[..., JudgedRun]) -> None:
    run = tried("none", replace(QUICK, ceiling_percent=120.0))
    highest = of(run, "highest_overload")
    assert highest.number == pytest.approx(1.2 * 2.5, rel=0.01)
    assert "none" in highest.working.formula


def test_a_trip_below_the_rating_fails_and_is_doubted(tried: Callable[..., JudgedRun]) -> None:
    """It lets go on the way to its rating, before anything beyond was asked."""
    run = tried("latching", limit_A=2.2)
    found = of(run, "overcurrent")
    assert found.number < 2.5
    assert "trip_below_rating" in {d.code for d in found.doubts}
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "overcurrent")
    assert claim.verdict is Verdict.FAILS


def test_nobody_leaves_a_real_bench_alone_that_overloads(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Gates are passed by a person, not by an option; a simulated bench counts as attended."""
    addresses = standin().addresses
    real = replace(rig, clock="wall")
    scene = Scene.set_up(tmp_path, unit, real, Plan("Over", (QUICK,)), addresses)
    with pytest.raises(InputError, match="overcurrent goes beyond the rating"):
        scene.run(Actor(), Start("Tester", 23.0, auto_gates=True))
    assert beyond_the_rating(Plan("Over", (QUICK,))) == "overcurrent"
    assert beyond_the_rating(Plan("Grid", (NAMED["static-grid"].parts[0],))) == ""


def test_it_is_bounded(unit: Unit, rig: Rig) -> None:
    small = replace(rig, instruments=tuple(
        replace(i, most={"current_A": 2.6, "power_W": 300.0}) if i.role == "load" else i for i in rig.instruments
    ))  # fmt: skip
    with pytest.raises(LimitError, match="the most"):
        rehearse(unit, small, Plan("Over", (QUICK,)))
    rehearse(unit, rig, Plan("Over", (QUICK,)))
    with pytest.raises(InputError, match="160"):
        replace(QUICK, ceiling_percent=170.0).check()


def test_a_latch_that_holds_as_long_as_its_bulk_capacitor_is_waited_for(tried: Callable[..., JudgedRun]) -> None:
    """Closed form: R C ln(V0 / V) of its start-up resistor, 400 k and 120 uF from the crest of 115 V to 100 V: 23 s.
    Ten seconds off do not re-arm it, sixty do; it is not called dead."""
    run = tried("latching", replace(QUICK, repeats=1, resolution_percent=10.0), latched_above_V=100.0)
    assert "latching" in of(run, "overcurrent").working.formula
    found = of(run, "rearm_time")
    truth = 400e3 * 120e-6 * math.log(math.sqrt(2.0) * 115.0 / 100.0)
    assert 10.0 < truth < 60.0
    assert found.number == 60.0
    assert found.working.note == "10 s did not"
    assert found.u is not None
    assert found.number - 2.0 * found.u < truth


def test_a_limit_below_the_volts_that_its_load_works_from_is_doubted(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """In constant current onto a load of constant current next to nothing is left: a load for 1.5 V and up tells it."""
    physics = tmp_path / "unit.toml"
    physics.write_text(PHYSICS.replace('kind = "shutdown"', 'kind = "constant current"'))
    said = replace(rig, instruments=tuple(
        replace(i, least_V=1.5) if i.role == "load" else i for i in rig.instruments
    ))  # fmt: skip
    part = replace(QUICK, repeats=1, resolution_percent=10.0)
    scene = Scene.set_up(tmp_path, unit, said, Plan("Over", (part,)), standin(file=str(physics)).addresses)
    assert scene.run(Actor()).outcome == "complete"
    with BookReader(scene.path) as book:
        found = of(judge_run(book), "overcurrent")
    assert "constant-current" in found.working.formula
    assert "load_below_its_volts" in {d.code for d in found.doubts}


def test_how_far_the_load_has_to_fall_is_told(tried: Callable[..., JudgedRun]) -> None:
    """What shut down at 3.2 A comes back below half of that: not at its rated 2.5 A, nor at 75 %, but at 50 %."""
    part = replace(QUICK, repeats=1, resolution_percent=10.0, release="in steps")
    run = tried("shutdown", part, restart_share=0.5)
    found = of(run, "restart_load")
    assert found.number == pytest.approx(1.25)
    assert found.working.note == "50 % of its rating; at 75 % it was not back"
    assert found.u is not None
    assert found.number <= 0.5 * LIMIT_A <= found.number + 2.0 * found.u
    assert "shutdown-auto-recovery" in of(run, "overcurrent").working.formula


@pytest.mark.parametrize(
    ("noticed", "words"),
    first(
        1,
        ({"light": True, "tone": False, "display": True}, "; its user was told by a light, its display"),
        ({"light": False, "tone": False, "display": False}, "; its user was told by nothing"),
        (None, ""),
    ),
)
def test_how_it_told_its_user_stands_with_the_limit(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, noticed: dict[str, bool] | None, words: str
) -> None:
    """Asked once, after the first trial, with no load; who did not look says nothing. A tone ends no run."""
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Over", (QUICK,)), standin().addresses)
    asked: list[tuple[str, ...]] = []

    def says(state: State, _calls: int) -> list[Command]:
        wanted = [w.event.of for w in scene.events(SensesAsked)]
        if state is State.GATE and len(wanted) > len(asked):
            asked.extend(wanted[len(asked) :])
            loads = [w.event.body for w in scene.events(Effected) if w.event.action == "SetLoad"]
            assert not loads[-1]["on"]
            return [Pass(senses=noticed)]
        return []

    closed = scene.run(Actor(says))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert asked == [TELLS]
    with BookReader(scene.path) as book:
        (limit,) = [j.finding for j in judge_run(book).judged if j.finding.name == "overcurrent"]
    assert limit.working.formula.endswith(words or "of them let go")
    assert "trials_differ" not in {d.code for d in limit.doubts}


FAULTS = (("load", "SILENT"), ("voltmeter", "DROP"), ("ac_source", "SILENT"))


@pytest.mark.parametrize(("role", "fault"), sampled(FAULTS, {FAULTS[1]}))
def test_an_instrument_that_fails_beyond_the_rating_ends_safe(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, role: str, fault: str
) -> None:
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Over", (QUICK,)), standin().addresses)
    broken: list[str] = []
    with telling_the_standin() as tell:

        def says(state: State, _calls: int) -> list[Command]:
            set_A = [float(w.event.body["current_A"]) for w in scene.events(Effected) if w.event.action == "SetLoad"]
            if not broken and state is State.RUNNING and set_A and set_A[-1] > 2.6:
                broken.append(fault)
                tell(f"FAUL {role},{fault}")
            return []

        closed = scene.run(Actor(says))
    assert broken
    # Nothing is said to the source before the end: there it does not answer, and the bench is not confirmed.
    assert (closed.outcome == "failed") is (role != "ac_source"), closed.why
    assert closed.safe is (role == "voltmeter"), "what does not answer is not confirmed"
    assert last_row(tmp_path / "bench.log")["source_on"] is False


@pytest.mark.long  # one that dies in a short is in the short run
def test_a_unit_that_dies_ends_the_run_and_is_a_finding(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Its controller goes in the overload: nothing brings it back, nobody overloads it again."""
    physics = tmp_path / "unit.toml"
    physics.write_text(PHYSICS.replace('kind = "shutdown"', 'kind = "latching"'))
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Over", (QUICK,)), standin(file=str(physics)).addresses)
    dead: list[bool] = []
    with telling_the_standin() as tell:

        def says(state: State, _calls: int) -> list[Command]:
            polls = [w.event.values.get("output_voltage", 24.0) for w in scene.events(Polled)][-3:]
            off = len(polls) == 3 and max(polls) < 1.0
            if not dead and state is State.RUNNING and off and scene.events(PointTaken):
                dead.append(True)
                tell("FAUL unit,dead controller")
            return []

        closed = scene.run(Actor(says))
    assert dead
    assert (closed.outcome, closed.safe) == ("stopped", True)
    assert "did not come back after trial 1" in closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    found = of(run, "overcurrent")
    assert "latching" in found.working.formula
    assert "recovery none-seen" in found.working.note


def test_an_interrupted_overload_is_not_taken_up_again_by_itself(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Stopped beyond the rating: what stood is built up anew without the overload, and the plan goes on from there."""
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Over", (QUICK,)), standin().addresses)

    def amps() -> list[float]:
        return [float(w.event.body["current_A"]) for w in scene.events(Effected) if w.event.action == "SetLoad"]

    def beyond(state: State, _calls: int) -> bool:
        return state is State.RUNNING and bool(amps()) and amps()[-1] > 2.6

    assert scene.run(Actor(Once(beyond, MakeSafe("enough")))).outcome == "made safe"
    before = len(amps())
    closed = scene.resume(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert max(amps()) > 2.6
    first = next(a for a in amps()[before:] if a > 0.0)
    assert first > 2.6, "the next step of the plan itself, nothing that was set on the way back to it"
    with BookReader(scene.path) as book:
        assert of(judge_run(book), "overcurrent").number > 2.5


def test_a_limit_that_trips_later_and_one_that_differs_from_trial_to_trial(tried: Callable[..., JudgedRun]) -> None:
    """Mixtures as they are drawn: it limits for two seconds, then latches; every second overload hiccups instead of
    limiting. The order within a trial and between trials is told."""
    both = of(tried("constant current", then='"latching"', then_after_s=2.0), "overcurrent")
    assert both.working.formula.startswith("constant-current then latching"), both.working.formula
    assert both.number == pytest.approx(LIMIT_A, rel=0.03)


def test_every_second_overload_does_something_else(tried: Callable[..., JudgedRun]) -> None:
    part = replace(QUICK, repeats=3, rest_s=6.0)
    one = of(tried("constant current", part, every_other='"hiccup"'), "overcurrent")
    assert "hiccup" in one.working.formula
    assert "constant-current" in one.working.formula
    assert "trials_differ" in {d.code for d in one.doubts}


def test_ripple_rides_on_every_step_up_to_the_trip(tmp_path: Path, unit: Unit, standin: StartStandIn) -> None:
    """It grows with the load as that of its capacitor does, and ends at the last step that held."""
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    part = replace(QUICK, ripple=True, repeats=1)
    blind = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "scope"))
    assert "no scope" in part.unmet(Facts(unit, blind, (LINE,), (LINE,)))
    (tmp_path / "unit.toml").write_text(PHYSICS.replace('kind = "shutdown"', 'kind = "latching"'))
    bench = standin(file=str(tmp_path / "unit.toml"), probes=probes_of(rig))
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Over", (part,)), bench.addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    found = {j.finding.at.draw.share_percent: j.finding.number for j in run.judged if j.finding.name == "ripple_full"}
    assert sorted(found) == [110.0, 120.0, 130.0], "140 % is beyond 3.4 A, which it lets go at"
    assert of(run, "overcurrent").number == pytest.approx(3.4, rel=0.03)
    assert found[130.0] > found[120.0] > found[110.0]
