"""Thermal soak over sockets, against the closed form of the stand-in's two thermal resistances."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT, last_row
from tests.engine.scripted import Actor, Once, Scene, by_hand, telling_the_standin

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.claim import Condition, StatedClaim
from zincsmith.model.commands import Command, MakeSafe
from zincsmith.model.errors import InputError
from zincsmith.model.events import PointTaken
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions
from zincsmith.report.figures import curves_svg
from zincsmith.showing.borders import borders
from zincsmith.showing.curves import all_curves
from zincsmith.simbench.units.adapter import Adapter

StartStandIn = Callable[..., RunningStandIn]
LINE = Line(115.0, 60.0)
FILE = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"
PHYSICS = FILE.read_text()
CORE_KW, CASE_KW, SHARE, ROOM = 4.2, 3.5, 0.35, 23.0
QUICK = ThermalSoakOptions(lines=(LINE,), loads_percent=(80.0,), until="fitted", every_s=60.0)


def probe(spot: str, **more: object) -> Instrument:
    sheet = (Accuracy("spot_temperature", 200.0, range_percent=0.5),)
    return replace(Instrument("spot_thermometer", "simulated", "Pellmoor", "T4", port=spot, accuracy=sheet), **more)  # type: ignore[arg-type]


@pytest.fixture
def soaking(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> Callable[..., Scene]:
    def begin(part: ThermalSoakOptions, text: str = PHYSICS, with_rig: Rig | None = None) -> Scene:
        physics = tmp_path / "unit.toml"
        physics.write_text(text)
        condition = Condition(load_percent=(80.0, 80.0), ambient_degC=(45.0, 45.0), duration_s=28800.0)
        claims = (StatedClaim("hot_spot", high=85.0, source="manual", condition=condition),)
        stated = replace(unit, nameplate=replace(unit.nameplate, claims=claims))
        probed = with_rig or replace(rig, instruments=(*rig.instruments, probe("D5"), probe("room")))
        return Scene.set_up(tmp_path, stated, probed, Plan("Soak", (part,)), standin(file=str(physics)).addresses)

    return begin


def judged(scene: Scene) -> JudgedRun:
    with BookReader(scene.path) as book:
        return judge_run(book)


def of(run: JudgedRun, title: str) -> Finding:
    return next(j.finding for j in run.judged if j.finding.title == title)


def heat_W(percent: float) -> float:
    """Closed form by iteration: what stays in the unit once core and case stand."""
    world = Adapter.read(FILE)
    at = world.steady(LINE.voltage_V, LINE.frequency_Hz, 2.5 * percent / 100.0, ROOM)
    return at.input_power_W - at.output_voltage_V * at.output_current_A


def test_where_each_spot_ends_and_what_that_is_in_a_warmer_room(soaking: Callable[..., Scene]) -> None:
    """Case R2 W, D5 at 0.35 of the way to the core; the claim speaks of 45 degC and eight hours."""
    scene = soaking(QUICK)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    run = judged(scene)
    drawn = next(c for c in all_curves(run.evidence) if c.title.startswith("Temperatures"))
    assert any(name.startswith("D5 to ") for name, _, _ in drawn.lines)
    assert "<svg" in curves_svg(drawn), "more lines than there are shades"
    watts = heat_W(80.0)
    case, spot = ROOM + watts * CASE_KW, ROOM + watts * (CASE_KW + SHARE * CORE_KW)
    for title, truth in (("Final temperature, case", case), ("Final temperature, D5", spot),
                         ("Rise over the room, D5", spot - ROOM)):  # fmt: skip
        found = of(run, title)
        assert found.u is not None
        assert abs(found.number - truth) <= 2.0 * found.u + 0.2, (title, found.number, truth)
        assert 0.1 < found.u < 2.0
    assert of(run, "Time constant, case").number == pytest.approx(CASE_KW * (118.0 + 16.0) / 60.0, rel=0.15)
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "hot_spot")
    assert claim.finding.number == pytest.approx(spot + 45.0 - ROOM, abs=2.0), "carried by its rise"
    assert spot + 45.0 - ROOM < 82.0
    assert claim.verdict is Verdict.HOLDS
    assert not claim.lacks
    assert claim.finding.working.note.startswith("D5")
    assert "its rise in a room of 45 °C" in {c.source for c in claim.finding.contributions}
    drift = of(run, "Output, end of the soak less its beginning")
    assert drift.number == pytest.approx(-420e-6 * watts * (CASE_KW + CORE_KW), abs=0.004)
    per_K = of(run, "Output, for each kelvin")  # of the case; it is the core that drifts, and the core is ahead
    assert per_K.number == pytest.approx(-420e-6 * (CASE_KW + CORE_KW) / CASE_KW, rel=0.25)
    assert per_K.unit == "V/K"


@pytest.mark.long
def test_the_largest_load_under_a_limit_lies_in_its_interval(soaking: Callable[..., Scene]) -> None:
    """Closed form: the load at which D5 would end at 50 degC, at least below the step and above the next."""
    part = replace(QUICK, loads_percent=(100.0, 50.0), limit_degC=50.0, resolution_percent=15.0)
    scene = soaking(part)
    assert scene.run(Actor()).outcome == "complete"
    found = of(judged(scene), "Largest load for good")

    def over(percent: float) -> bool:
        return ROOM + heat_W(percent) * (CASE_KW + SHARE * CORE_KW) > 50.0

    assert borders(judged(scene)) == [], "one border is no picture"
    edge = next(p for p in range(50, 101) if over(float(p)))
    assert 0.0 <= edge - 100.0 * found.number / 2.5 <= 15.5, (edge, found.number)
    assert "too hot" in found.working.note
    assert found.u is not None


def test_the_line_that_heats_it_most_is_looked_for_and_soaked_alone(soaking: Callable[..., Scene]) -> None:
    """Of three lines that at which the physics loses most at this load."""
    lines = (Line(230.0, 50.0), LINE, Line(180.0, 50.0))
    scene = soaking(replace(QUICK, lines=lines, hottest_line=True))
    assert scene.run(Actor()).outcome == "complete"
    found = of(judged(scene), "Final temperature, D5")
    world = Adapter.read(FILE)

    def stays_W(line: Line) -> float:
        at = world.steady(line.voltage_V, line.frequency_Hz, 2.0, ROOM)
        return at.input_power_W - at.output_voltage_V * at.output_current_A

    assert found.at.feed.voltage_V == max(lines, key=stays_W).voltage_V
    assert {p.event.point.at.line_V for p in scene.events(PointTaken) if p.event.point.at.elapsed_s is not None} == {
        found.at.feed.voltage_V
    }


def test_a_probe_that_falls_off_ends_it_safe(soaking: Callable[..., Scene], tmp_path: Path) -> None:
    scene = soaking(QUICK)
    with telling_the_standin() as tell:
        told: list[str] = []

        def says(state: State, _calls: int) -> list[Command]:
            if not told and state is State.RUNNING and len(scene.events(PointTaken)) >= 9:
                told.append("off")
                tell("FAUL bench,FALLEN D5")
            return []

        closed = scene.run(Actor(says))
    assert (closed.outcome, closed.safe) == ("stopped", True)
    assert "D5 fell from" in closed.why
    assert "come off" in closed.why
    assert last_row(tmp_path / "bench.log")["source_on"] is False


@pytest.mark.long  # other ceilings are in the short run
def test_a_fan_that_stops_meets_the_ceiling(soaking: Callable[..., Scene], tmp_path: Path) -> None:
    """A unit that keeps cool by its fan only: without it a spot passes the ceiling, and the bench is made safe."""
    fan = "fan_on_degC = 30.0\nfan_off_degC = 25.0\nfan_factor = 8.0\ncase_to_ambient_K_per_W = 9.0"
    text = PHYSICS.replace("case_to_ambient_K_per_W = 3.5", fan)
    scene = soaking(replace(QUICK, loads_percent=(100.0,), ceiling_degC=70.0, until="steady"), text)
    with telling_the_standin() as tell:
        told: list[str] = []

        def says(state: State, _calls: int) -> list[Command]:
            if not told and state is State.RUNNING and len(scene.events(PointTaken)) >= 12:
                told.append("fan")
                tell("FAUL bench,FAN")
            return []

        closed = scene.run(Actor(says))
    assert told
    assert (closed.outcome, closed.safe) == ("tripped", True), closed.why
    assert "ceiling of the soak" in closed.why
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_one_that_shuts_down_hot_is_a_finding_and_comes_back(soaking: Callable[..., Scene]) -> None:
    hot = PHYSICS.replace("[thermal]", "[thermal]\nshutdown_degC = 55.0\nrestart_degC = 45.0", 1)
    scene = soaking(replace(QUICK, loads_percent=(100.0,), every_s=10.0), hot)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    run = judged(scene)
    found = of(run, "Shut down at, D5")
    last = next(p for p in run.evidence.points if p.number == found.working.rows[0]["point"])
    case = last.need("case_temperature").number
    assert "shut_down_hot" in {d.code for d in found.doubts}
    assert case + (found.number - case) / SHARE == pytest.approx(54.0, abs=2.0), "its core, seconds before it went"


@pytest.mark.long  # other runs by hand are in the short run
def test_by_hand_a_temperature_is_typed_every_few_minutes(soaking: Callable[..., Scene], rig: Rig, unit: Unit) -> None:
    """An exponential that somebody types off a thermometer: 48.2 degC in the end, 12 min; and it is taken up again."""
    hands = by_hand(rig, "thermometer")
    part = replace(QUICK, every_s=300.0, hours=1.5)
    typed = [f"{23.0 + 25.2 * -math.expm1(-n * 302.0 / 720.0):.1f}" for n in range(30)]
    scene = soaking(part, PHYSICS, hands)
    first = Actor(Once(lambda state, _c: state is State.RUNNING and len(scene.events(PointTaken)) >= 4,
                       MakeSafe("lunch")), entries=typed)  # fmt: skip
    assert scene.run(first).outcome == "made safe"
    closed = scene.resume(Actor(entries=first.entries))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = of(judged(scene), "Final temperature, case")
    assert found.u is not None
    assert abs(found.number - 48.2) <= 2.0 * found.u + 0.3
    assert "probe_on_the_case" in {d.code for d in of(judged(scene), "Hottest part").doubts}


def test_it_is_in_a_plan_only_where_somebody_chose_it(unit: Unit, rig: Rig) -> None:
    plan, left = compose(unit, rig)
    assert "thermal_soak" not in {p.procedure for p in plan.parts}
    why = next(one.why for one in left if one.procedure == "thermal_soak")
    assert "hottest part" in why
    assert "min" in why or " h" in why
    chosen, _ = compose(unit, rig, ["thermal-soak", "overcurrent"])
    names = [p.procedure for p in chosen.parts]
    assert {"thermal_soak", "overcurrent"} <= set(names)
    assert names[-1] == plan.parts[-1].procedure, "the unit is put back last"
    with pytest.raises(InputError, match="overcurrent"):
        compose(unit, rig, ["static-grid"])
    for wrong in ({"within_K": 0.0}, {"every_s": 1.0}, {"hours": 99.0}, {"limit_degC": 500.0}):
        with pytest.raises(InputError):
            replace(QUICK, **wrong).check()
