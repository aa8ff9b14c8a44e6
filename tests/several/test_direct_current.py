"""Units fed with direct current: by wire, by hand, from a source at its limit; against closed forms of a buck stage."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from scipy.optimize import brentq
from tests.conftest import ROOT, first, last_row
from tests.engine.scripted import Actor, Breaks, Scene, below_V, by_hand, telling_the_standin
from tests.several.benches import briefly

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import check_rig, read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import Command, GoDown, Mistyped, Pass
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import EntryAsked, GateOpened, HandSetting, PointTaken, RunClosed, StopRuleMet
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.rig import Accuracy, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import between_ends, compose
from zincsmith.planning.prediction import predict
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.harmonics.options import HarmonicOptions
from zincsmith.procedures.plan_file import read_plan, write_plan
from zincsmith.procedures.power_envelope.options import EnvelopeOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.units.parameters import read_sections
from zincsmith.simbench.world import World

StartStandIn = Callable[..., RunningStandIn]
PHYSICS = ROOT / "examples" / "standins" / "netherby-nb5.toml"
BOOST = """
[output]
voltage_V = 9.0
setpoint_error_percent = 0.0
resistance_ohm = 0.03
line_uV_per_V = 0.0
drift_uV_per_K = 0.0
limit_A = 2.0
capacitor_F = 47e-6
bleeder_ohm = 2200.0
[losses]
fixed_W = 0.05
linear_W_per_A = 0.5
square_W_per_A2 = 0.3
fixed_line_exponent = 0.0
square_line_exponent = 0.0
square_per_K = 0.0
[thermal]
core_J_per_K = 1.5
core_to_case_K_per_W = 8.0
case_J_per_K = 8.0
case_to_ambient_K_per_W = 30.0
[start]
start_V = 3.2
stop_V = 2.9
delay_s = 0.003
start_ohm = 50e3
[stage]
nominal_V = 5.0
steps = "up"
input_limit_A = 2.4
passes_less_V = 0.4
"""


@pytest.fixture
def buck() -> tuple[Unit, Rig]:
    unit = read_unit(ROOT / "examples" / "units" / "netherby-nb5.toml")
    return unit, read_rig(ROOT / "examples" / "rigs" / "simulated-dc.toml")


@pytest.fixture
def goes(tmp_path: Path, standin: StartStandIn, buck: tuple[Unit, Rig]) -> Callable[..., tuple[Scene, RunClosed]]:
    def go(plan: Plan, actor: Actor | None = None, unit: Unit = buck[0], rig: Rig = buck[1]) -> tuple[Scene, RunClosed]:
        addresses = standin(file=str(PHYSICS), lead_ohm=0.0, input_lead_ohm=0.0).addresses
        scene = Scene.set_up(tmp_path, unit, replace(rig, leads=()), plan, addresses)
        return scene, scene.run(actor or Actor())

    return go


def judged(scene: Scene) -> JudgedRun:
    with BookReader(scene.path) as book:
        return judge_run(book)


def found(run: JudgedRun, name: str, volts: float, load: float | None = None) -> Finding:
    (one,) = [
        j.finding for j in run.judged
        if j.finding.name == name and j.finding.at.feed.voltage_V == volts
        and (load is None or j.finding.at.draw.share_percent == load)
    ]  # fmt: skip
    return one


def least_input_V(amps: float, output_V: float) -> float:
    """Where duty x (Vin - I R) - V is the output: a buck stage whose switch is on as long as it can be."""
    s = read_sections(PHYSICS)["stage"]
    return float(brentq(lambda v: s.duty_most * (v - amps * s.path_ohm) - s.drop_V - output_V, 1.0, 40.0))


@pytest.mark.long
def test_a_composed_plan_goes_its_whole_way(
    goes: Callable[..., tuple[Scene, RunClosed]], buck: tuple[Unit, Rig]
) -> None:
    """From zero, over three inputs of the range that its parts allow, idle, and down to where it lets go."""
    unit, rig = buck
    claims = (*unit.nameplate.claims, StatedClaim("dropout_input", high=4.5, source="listing"),
              StatedClaim("quiescent_current", high=8e-3, source="listing"))  # fmt: skip
    unit = replace(unit, nameplate=replace(unit.nameplate, claims=claims))
    plan, left = compose(unit, rig)
    assert left == []
    foreseen = predict(unit, rig, plan)
    assert (foreseen.problem, bool(foreseen.wired.points)) == ("", True), "what this rig can decide is seen before"
    assert "harmonics" not in [p.procedure for p in plan.parts], "nothing alternates"
    plan = replace(plan, parts=tuple(_quick(p) for p in briefly(plan).parts))
    scene, closed = goes(plan, unit=unit)
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    assert "DC source off, read back" in closed.seen
    assert any(one.startswith("input gone: ") for one in closed.seen), closed.seen
    gates = [w.event for w in scene.events(GateOpened)]
    said = " ".join(c for g in gates for c in g.cautions)
    assert "An arc of direct current does not go out by itself" in said
    assert "Mains can kill" not in said
    assert not [g.text for g in gates if "range selector" in g.text], "nobody selects a mains range of direct current"
    run = judged(scene)
    lines = {j.finding.at.feed.voltage_V for j in run.judged if j.finding.name == "efficiency"}
    assert lines == {4.5, 12.0, 31.5}, "its input capacitor is marked for 35 V, whatever its listing says"
    assert not [j for j in run.judged if j.finding.name == "power_factor"]
    true = read_physics(PHYSICS).steady(12.0, 0.0, 3.0)
    efficiency = found(run, "efficiency", 12.0, 100.0)
    assert efficiency.value == pytest.approx(true.efficiency, abs=3.0 * (efficiency.u or 0.0) + 2e-3)
    amps = found(run, "input_current", 12.0)
    assert amps.value == pytest.approx(true.input_current_A, rel=5e-3)
    p = read_sections(PHYSICS)
    idle = found(run, "quiescent_current", 12.0)
    assert idle.value == pytest.approx(p["losses"].fixed_W / 12.0, rel=0.01)
    verdicts = {j.finding.name: j.verdict for j in run.judged if j.claim is not None}
    assert verdicts["dropout_input"] is Verdict.FAILS
    assert verdicts["quiescent_current"] is Verdict.HOLDS
    assert verdicts["efficiency"] is Verdict.FAILS
    for load in (100.0, 50.0):
        down = found(run, "dropout_input", None, load)  # type: ignore[arg-type]
        truth = least_input_V(3.0 * load / 100.0, 0.95 * 5.0)
        assert down.value == pytest.approx(truth, abs=3.0 * (down.u or 0.0)), (load, truth)


def _quick(part: Options) -> Options:
    if isinstance(part, DropoutOptions):
        return replace(part, settle_s=1.0, resolution_percent=0.5, rising=False)
    return part


def test_the_envelope_of_a_buck_is_that_of_its_duty(goes: Callable[..., tuple[Scene, RunClosed]]) -> None:
    """Below the volts that it is to give there is no load at all; above, as much as its path lets through."""
    lines = (Line(4.5, 0.0), Line(6.0, 0.0), Line(9.0, 0.0))
    scene, closed = goes(Plan("Envelope", (EnvelopeOptions(lines=lines, settle_s=1.0, ceiling_percent=110.0),)))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    run = judged(scene)
    below = found(run, "greatest_power", 4.5)
    assert (below.value, [d.code for d in below.doubts]) == (None, ["never_good"])
    at_6 = found(run, "greatest_power", 6.0)
    amps = float(brentq(lambda i: least_input_V(i, 4.75) - 6.0, 0.1, 5.0))
    assert at_6.value == pytest.approx(4.75 * amps, abs=3.0 * (at_6.u or 0.0))


def test_by_hand_watts_are_volts_times_amps(
    goes: Callable[..., tuple[Scene, RunClosed]], buck: tuple[Unit, Rig]
) -> None:
    """A bench supply with knobs, a voltmeter and an ammeter: gates say how it is set, and the watts follow."""
    _, rig = buck
    rows = (Accuracy("input_voltage", 60.0, reading_percent=0.1), Accuracy("input_current", 6.0, reading_percent=0.5))
    rig = by_hand(rig, "dc_source", "power_meter", "load", "voltmeter")
    rig = replace(rig, instruments=tuple(replace(i, accuracy=rows) if i.role == "power_meter" else i
                                         for i in rig.instruments))  # fmt: skip
    grid = GridOptions(lines=(Line(12.0, 0.0),), loads_percent=(100.0, 0.0), warm_up_s=30.0, settle_s=2.0, cold=False,
                       settle_at_most_s=4.0, settled_window_s=2.0, average_s=2.0, again=False)  # fmt: skip
    typed = ["12.00", "1.417", "4.987", "3.000", "12.01", "7.1m", "5.043", "0"]
    actor = Actor(entries=list(typed))
    scene, closed = goes(Plan("By hand", (grid,)), actor, rig=rig)
    assert closed.outcome == "complete", closed.why
    asked = [w.event.what for w in scene.events(EntryAsked)]
    assert not any("watts" in what for what in asked), asked
    first = next(w.event.text for w in scene.events(HandSetting) if w.event.role == "dc_source")
    assert first == (
        "Set the Brackmere D4 to 12 V DC, its current limit to 5 A, by the meter at the unit's input terminals, "
        "polarity checked, and switch it on."
    )
    full = next(w.event.point for w in scene.events(PointTaken) if w.event.point.at.loaded)
    watts = full.need("input_power")
    assert (watts.value, watts.text) == (pytest.approx(12.0 * 1.417), "12 V times 1.417 A")
    assert watts.offset == pytest.approx(12.0 * 1.417 * (0.001 + 0.005)), "both limits, as they stand"
    efficiency = found(judged(scene), "efficiency", 12.0, 100.0)
    assert efficiency.value == pytest.approx(4.987 * 3.0 / (12.0 * 1.417), rel=1e-4)


def test_volts_and_amps_that_nobody_explains_are_heeded_together(
    goes: Callable[..., tuple[Scene, RunClosed]], buck: tuple[Unit, Rig]
) -> None:
    """Nobody reads watts: 12 V and 4.4 A, each within its own limit, are more than a unit of 15 W takes; the amps are
    asked again when they were mistyped, and the run ends when they were not."""
    _, rig = buck
    rows = (Accuracy("input_voltage", 60.0, reading_percent=0.1), Accuracy("input_current", 6.0, reading_percent=0.5))
    rig = by_hand(rig, "power_meter")
    rig = replace(rig, instruments=tuple(replace(i, accuracy=rows) if i.role == "power_meter" else i
                                         for i in rig.instruments))  # fmt: skip
    grid = GridOptions(lines=(Line(12.0, 0.0),), loads_percent=(100.0,), warm_up_s=30.0, settle_s=2.0, cold=False,
                       settle_at_most_s=4.0, settled_window_s=2.0, average_s=2.0, again=False)  # fmt: skip
    answers: list[list[Command]] = [[Pass()], [Mistyped()], [GoDown()]]  # before power; at both stop rules
    before = [State.IDLE]

    def says(state: State, _calls: int) -> list[Command]:
        entered = state is State.GATE and before[0] is not State.GATE
        before[0] = state
        return answers.pop(0) if entered and answers else []

    actor = Actor(says, entries=["12.00", "4.4", "4.5"])
    scene, closed = goes(Plan("Too much", (grid,)), actor, rig=rig)
    met = [w.event for w in scene.events(StopRuleMet)]
    assert [round(one.value, 1) for one in met] == [52.8, 54.0]
    assert closed.outcome == "tripped"
    assert "the most a unit of this rating can explain" in closed.why


@pytest.mark.parametrize(
    ("fault", "outcome", "off"),
    first(
        2, ("bench,TRIP", "stopped", True), ("power_meter,DROP", "failed", True), ("dc_source,SILENT", "failed", False)
    ),
)
def test_a_bench_of_direct_current_that_fails_is_made_safe_or_says_what_it_could_not(
    fault: str, outcome: str, off: bool, tmp_path: Path, standin: StartStandIn, buck: tuple[Unit, Rig]
) -> None:
    """In the middle of a sweep: a source that answers no more, a meter whose line drops, an output that goes by itself.
    What the stand-in's own log says decides whether it was off."""
    unit, rig = buck
    log = tmp_path / "bench.log"
    addresses = standin(file=str(PHYSICS), lead_ohm=0.0, input_lead_ohm=0.0).addresses
    part = DropoutOptions(line=Line(12.0, 0.0), loads_percent=(50.0,), settle_s=2.0, rising=False)
    scene = Scene.set_up(tmp_path, unit, replace(rig, leads=()), Plan("Down", (part,)), addresses)
    with telling_the_standin() as tell:
        breaks = Breaks(scene, tell, fault, below_V(11.5))
        closed = scene.run(Actor(breaks))
    assert breaks.broken
    assert closed.outcome == outcome, closed.why
    assert last_row(log)["source_on"] is not off
    assert closed.safe <= off, "nothing that is on is called off"
    if outcome == "stopped":
        assert "its source went off, not the unit" in closed.why
    if not off:
        assert any("DC source" in one for one in closed.unconfirmed), closed.unconfirmed


def test_a_source_at_its_limit_is_refused_and_would_hunt(
    goes: Callable[..., tuple[Scene, RunClosed]], buck: tuple[Unit, Rig]
) -> None:
    """Set below what full load draws it is refused before anything is armed; the bench shows why: the unit starts, is
    starved, stops and starts again."""
    _, rig = buck
    rig = replace(rig, instruments=tuple(replace(i, limit_A=1.2) if i.role == "dc_source" else i
                                         for i in rig.instruments))  # fmt: skip
    with pytest.raises(InputError, match="its volts would sag while figures are taken"):
        goes(Plan("A source too small", (GridOptions(lines=(Line(12.0, 0.0),)),)), rig=rig)
    world = World(read_physics(PHYSICS), seed=1)
    world.dc_source.voltage_V, world.dc_source.limit_A, world.dc_source.on = 5.6, 1.2, True
    world.advance(1.0)
    world.load.current_A, world.load.on = 2.5, True
    seen = []
    for _ in range(200):
        world.advance(0.05)
        seen.append(world.unit.output_V)
    assert min(seen) < 0.5
    assert max(seen[20:]) > 2.0
    assert sum(a < 1.0 <= b for a, b in itertools.pairwise(seen)) >= 3, "again and again"


def test_what_alternates_is_no_input_of_it(buck: tuple[Unit, Rig]) -> None:
    unit, rig = buck
    with pytest.raises(LimitError, match="the plan wants 50 Hz; the unit is rated for direct current"):
        rehearse(unit, rig, Plan("AC", (GridOptions(lines=(Line(12.0, 50.0),)),)))
    assert "direct current" in HarmonicOptions.suits(unit.nameplate)


def test_lines_of_direct_current_survive_a_plan_file(tmp_path: Path) -> None:
    plan = Plan("DC", (GridOptions(lines=(Line(9.0, 0.0), Line(36.0, 0.0))), DropoutOptions(line=Line(12.0, 0.0))))
    file = tmp_path / "dc.toml"
    file.write_text(write_plan(plan), "utf-8")
    assert read_plan(file).parts == plan.parts
    assert plan.parts[0].lines_used[0].words == "9 V DC"
    assert (between_ends(9.0, 36.0), between_ends(4.5, 5.5), between_ends(4.5, 31.5)) == (18.0, 5.0, 12.0)
    assert between_ends(200.0, 400.0) == 280.0, "nothing usual lies between: the geometric middle, two digits"


def test_a_boost_stage_passes_its_input_and_gives_what_its_switch_lets_in(tmp_path: Path) -> None:
    """Idle: the input less its rectifier. Loaded: V I + losses = Vin times the limit of the switch."""
    file = tmp_path / "boost.toml"
    file.write_text(BOOST, "utf-8")
    unit = read_physics(file)
    unit.step(1.0, 2.5, 0.0, 0.0, 23.0)
    assert unit.state == "off"
    assert unit.output_V == pytest.approx(2.5 - 0.4)
    unit.step(1.0, 5.0, 0.0, 0.0, 23.0)
    unit.step(1.0, 5.0, 0.0, 0.8, 23.0)
    assert unit.output_V == pytest.approx(9.0 - 0.03 * 0.8, rel=1e-3)
    unit.step(1.0, 3.4, 0.0, 0.9, 23.0)
    left = float(brentq(lambda v: v * 0.9 + 0.05 + 0.5 * 0.9 + 0.3 * 0.81 - 3.4 * 2.4, 3.0, 9.0))
    assert unit.output_V == pytest.approx(left, rel=1e-6)
    assert unit.intake.current_A == pytest.approx(2.4, rel=1e-6)
    for wrong, text in (('steps = "up"', 'steps = "sideways"'), ("[stage]", "[mains]\nbulk_F = 1e-6\n[stage]")):
        file.write_text(BOOST.replace(wrong, text, 1), "utf-8")
        with pytest.raises(ValueError, match=r"steps must be one of|missing or unknown"):
            read_physics(file)


@pytest.fixture(autouse=True)
def known() -> None:
    pick_file(str(PHYSICS))


def test_a_battery_that_sinks_to_its_floor_ends_the_run_safe(
    tmp_path: Path, buck: tuple[Unit, Rig], standin: StartStandIn
) -> None:
    """Three cells with a floor of 3.8 V each, behind ohms that take the rest under load; off, its volts are nobody's
    floor."""
    unit, rig = buck
    grid = GridOptions(lines=(Line(12.0, 0.0),), loads_percent=(10.0, 100.0), warm_up_s=10.0)
    for ohm, outcome in ((0.02, "complete"), (0.9, "tripped")):
        of_cells = tuple(
            replace(i, cells=3, cell_floor_V=3.8) if i.role == "dc_source" else i for i in rig.instruments
        )  # fmt: skip
        addresses = standin(
            file=str(PHYSICS), lead_ohm=0.0, input_lead_ohm=0.0, faults=(f"bench,SOFT {ohm}",)
        ).addresses
        (tmp_path / outcome).mkdir()
        scene = Scene.set_up(
            tmp_path / outcome, unit, replace(rig, leads=(), instruments=of_cells), Plan("Grid", (grid,)), addresses
        )
        closed = scene.run(Actor())
        assert (closed.outcome, closed.safe) == (outcome, True), closed.why
    assert "the floor of 3 cells, 3.8 V each, is 11.4 V" in closed.why
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_a_battery_states_its_cells_and_their_floor(buck: tuple[Unit, Rig]) -> None:
    def told(**more: float) -> list[str]:
        rig = replace(buck[1], instruments=tuple(
            replace(i, **more) if i.role == "dc_source" else i for i in buck[1].instruments))  # type: ignore[arg-type] # fmt: skip
        return [p.message for p in check_rig(rig)]

    assert told(cells=3.0, cell_floor_V=3.0) == told()
    assert any("states both" in words for words in told(cells=3))
    assert any("between 0.3 and 15 V" in words for words in told(cells=3, cell_floor_V=0.0))
