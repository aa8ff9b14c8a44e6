"""Captures over sockets: figures against closed forms of the physics file, a scope that lies or falls silent, a run
that is stopped in between."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import ROOT, first, last_row
from tests.engine.scripted import Actor, Once, Scene, by_hand, telling_the_standin
from tests.recorded.test_waveform_files import hold_up_file

from zincsmith.analysis.turn_on_off import makes_of
from zincsmith.bench.standin import RunningStandIn, probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.commands import Command, MakeSafe, Pass
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import Effected, EntryRefused, GateOpened, HandSetting, PointTaken, SafeStep
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig, SwitchedLoad
from zincsmith.model.states import State
from zincsmith.model.unit import Node, Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.inrush.options import InrushOptions
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.planning import Facts
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.showing.curves import all_curves

StartStandIn = Callable[..., RunningStandIn]
PHYSICS = tomllib.loads((ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text())
LOW, HIGH = Line(115.0, 60.0), Line(230.0, 50.0)


@pytest.fixture(scope="module")
def rig() -> Rig:
    return read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")


def judged(scene: Scene, outcome: str = "complete") -> JudgedRun:
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == (outcome, True), closed.why
    with BookReader(scene.path) as reader:
        return judge_run(reader)


def of(run: JudgedRun, name: str) -> list[Finding]:
    return [j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None]


def within(finding: Finding, true: float, room: float = 0.0) -> bool:
    assert finding.u is not None
    assert finding.k is not None
    return abs(finding.number - true) <= finding.k * finding.u + room


def test_ripple_is_that_of_capacitor_and_series_resistance(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    plan = Plan("Ripple", (RippleOptions(lines=(HIGH,), loads_percent=(0.0, 100.0), settle_s=1.0, long_s=0.1),))
    run = judged(Scene.set_up(tmp_path, unit, rig, plan, standin().addresses))
    idle, full = of(run, "ripple_switching")
    r, out = PHYSICS["ripple"], PHYSICS["output"]
    # Closed form: a triangular current through a series resistance and a capacitor; the capacitor's part is largest
    # where that of the resistance is zero, so both together lie between the larger one and their sum.
    share = 0.3 + 0.7 * 2.5 / out["limit_A"]
    by_ohm = share * r["current_A"] * r["esr_ohm"]
    by_farad = share * r["current_A"] / (8.0 * r["switching_Hz"] * out["capacitor_F"])
    assert by_ohm * 0.93 <= full.number <= (by_ohm + by_farad) * 1.05
    assert idle.number < 0.55 * full.number
    for one in of(run, "switching_frequency"):
        assert within(one, r["switching_Hz"], 1e-4 * r["switching_Hz"])
    claims = [j for j in run.judged if j.claim is not None and j.claim.figure == "ripple"]
    assert {j.verdict for j in claims} == {Verdict.HOLDS}
    assert len(of(run, "ripple_line")) == 2, "told by the long record"
    for one in of(run, "ripple"):  # what two captures share cancels in their difference, what is random in one does not
        assert {c.shared for c in one.contributions if "gain" in c.source} == {True}
        assert {c.shared for c in one.contributions if "steps" in c.source} == {False}
    assert not {d.code for f in of(run, "ripple_rms") for d in f.doubts} & {
        "clipped",
        "probe_ratio",
        "accuracy_unknown",
    }
    with BookReader(tmp_path / "run.zbook") as book:
        captures = [c for w in book.events(kinds=(PointTaken,)) for c in w.event.point.captures]
        assert [c.said["record"] for c in captures] == ["short", "short", "long", "short", "long", "short"]
        for one in captures:
            codes = book.traces.read(one.channels[0].sha256)
            assert one.channels[0].clipped == 0.0
            if one.channels[0].span > 0.004:  # the smallest that it has
                assert 0.3 <= np.ptp(codes.astype(int)) / 256.0 <= 0.95, "a first look chose the span"


def test_load_steps_are_those_of_a_second_order(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    options = LoadTransientOptions(lines=(HIGH,), steps_percent=((10.0, 90.0),), settle_s=0.5, band="0.2%")
    run = judged(Scene.set_up(tmp_path, unit, rig, Plan("Steps", (options,)), standin().addresses))
    up, down = of(run, "load_step")
    # Closed form (stand-in's defaults: 4 kHz, damping 0.35, 0.12 ohm): the largest swing of a damped second-order
    # system to a step of 2 A, beside what is random in the record.
    damping, ohm, step_A = 0.35, 0.12, 2.0
    root = math.sqrt(1.0 - damping**2)
    swing = step_A * ohm * math.exp(-damping / root * math.atan2(root, damping)) * root
    riding = PHYSICS["ripple"]["current_A"] * PHYSICS["ripple"]["esr_ohm"] + 0.02
    for one in (up, down):
        assert swing - 0.01 <= one.number <= swing + riding + 0.01
    assert [f.at.load_percent for f in (up, down)] == [90.0, 10.0]
    claims = [j for j in run.judged if j.claim is not None and j.claim.figure == "load_step"]
    assert {j.verdict for j in claims} == {Verdict.HOLDS}
    with BookReader(tmp_path / "run.zbook") as book:
        (first, second) = [w.event.point.captures[0] for w in book.events(kinds=(PointTaken,))]
    assert first.trigger is not None
    assert (first.trigger.source, first.trigger.slope) == ("output_current", "rising")
    assert second.trigger is not None
    assert second.trigger.slope == "falling"
    assert first.before == 10_000, "the scope was armed before the load moved"


SWITCH = Instrument("load_switch", "simulated", "Osmary", "G2", switched=SwitchedLoad(16.0, most_W=30.0))


def test_a_load_switch_adds_its_resistor_and_its_edge_is_measured(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Both edges in one record: 24 V across 16 ohm on top of a quarter of the load, the answer that of a second order
    to a step without slew; the stand-in's generator is 0.2 % fast, its edge takes 60 ns. Afterwards it rests."""
    with_it = replace(rig, instruments=(*rig.instruments, SWITCH))
    options = LoadTransientOptions(lines=(HIGH,), steps_percent=((25.0, 90.0),), settle_s=0.5, band="1%",
                                   stepped_by="switch", rate_Hz=200.0, duty=0.4)  # fmt: skip
    running = standin()
    run = judged(Scene.set_up(tmp_path, unit, with_it, Plan("Switched", (options,)), running.addresses))
    (step,) = of(run, "load_step")
    damping, ohm, step_A = 0.35, 0.12, 24.0 / 16.0
    root = math.sqrt(1.0 - damping**2)
    swing = step_A * ohm * math.exp(-damping / root * math.atan2(root, damping)) * root
    riding = PHYSICS["ripple"]["current_A"] * PHYSICS["ripple"]["esr_ohm"] + 0.02
    assert swing - 0.01 <= step.number <= swing + riding + 0.01
    told = dict(part.rsplit(" ", 1) for part in step.working.note.split("; ") if " " in part)
    assert "steps 200.4 Hz" in step.working.note
    assert float(told["steps duty"]) == pytest.approx(0.4, abs=0.003)
    slews = [float(s.removesuffix(" A/µs")) for s in step.working.note.split("slew ")[1].split(";")[0].split(", ")]
    assert all(8.0 < abs(s) < 80.0 for s in slews), "1.5 A in 60 ns, seen by samples 22 ns apart"
    with BookReader(tmp_path / "run.zbook") as book:
        steps = [e.body for w in book.events(kinds=(Effected,)) if (e := w.event).action == "SetLoad"]
        safe = [w.event.step for w in book.events(kinds=(SafeStep,))]
    assert steps[-1].get("pulses_A") is None
    assert sum("pulses_A" in body for body in steps) == 1
    assert any("load switch" in one.lower() for one in safe), safe


def test_a_load_switch_by_hand_has_its_gate_and_its_bounds(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    by_hand = replace(SWITCH, how="by hand", kind="transistor and 16 ohm")
    with_it = replace(rig, instruments=(*rig.instruments, by_hand))
    options = LoadTransientOptions(lines=(HIGH,), steps_percent=((25.0, 90.0),), settle_s=0.5, stepped_by="switch")
    plan = Plan("Switched", (options,))
    scene = Scene.set_up(tmp_path, unit, with_it, plan, standin().addresses)
    assert scene.run(Actor()).safe
    with BookReader(scene.path) as book:
        gates = [w.event.text for w in book.events(kinds=(HandSetting,)) if w.event.role == "load_switch"]
    assert "100 Hz, on for 50 %" in gates[0]
    assert "about 1.5 A" in gates[0]
    assert ["rests" in one for one in gates[1:]] == [True, False], "and making safe asks for it once more"
    small = replace(SWITCH, switched=SwitchedLoad(5.0))
    with pytest.raises(LimitError, match="with its switch closed"):
        rehearse(unit, replace(rig, instruments=(*rig.instruments, small)), plan)
    with pytest.raises(InputError, match="resistor is stated"):
        rehearse(unit, rig, plan)


@pytest.mark.long
def test_coming_up_and_holding_up(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    parts = (
        TurnOnOptions(lines=(HIGH,), repeats=1, off_s=5.0),
        HoldUpOptions(lines=(LOW,), repeats=4, closer=2, on_s=2.0, record_s=0.2),
    )
    run = judged(Scene.set_up(tmp_path, unit, rig, Plan("On and off", parts), standin().addresses))
    start, output, mains = PHYSICS["start"], PHYSICS["output"], PHYSICS["mains"]
    (delay,) = of(run, "turn_on_delay")
    level = 24.0 * (1.0 + output["setpoint_error_percent"] / 100.0)
    assert within(delay, start["delay_s"] + start["soft_start_s"] * 21.6 / level, 1e-3)
    assert "off before 5 s" in delay.working.note
    (rise,) = of(run, "rise_time")
    assert within(rise, 0.8 * start["soft_start_s"], 1.5e-3)
    (held,) = of(run, "hold_up")
    # Energy of the bulk capacitor down to where the unit stops, C (V1^2 - V2^2) / 2 P, between what it holds at a crest
    # and half a cycle after one; then the load empties the output capacitor to the threshold.
    watts = 24.0 * 2.5 / 0.87
    lowest, peak = math.sqrt(2.0) * start["stop_V"], math.sqrt(2.0) * 115.0
    most = mains["bulk_F"] * (peak**2 - lowest**2) / (2.0 * watts)
    after = output["capacitor_F"] * 2.4 / 2.5
    assert most - 1.0 / 120.0 - 1e-3 <= held.number - after <= most + 1e-3
    assert "the least of 8" in held.working.formula
    assert len(held.working.rows) == 8
    # The worst phase, in small steps: what is left since the last crest, or what the mains gives by itself then.
    phase = np.radians(np.arange(0.0, 180.0, 0.01))
    since = ((phase - math.pi / 2.0) % math.pi) / (2.0 * math.pi * 60.0)
    left = np.maximum(peak**2 - 2.0 * watts * since / mains["bulk_F"], (peak * np.sin(phase)) ** 2)
    least = float(np.min(mains["bulk_F"] * (left - lowest**2) / (2.0 * watts))) + after
    gap = next(c for c in held.contributions if "phases" in c.source)
    assert gap.effect * math.sqrt(3.0) == pytest.approx(11.25 / 360.0 / 60.0, abs=2e-5), "closer around the worst"
    assert -1e-3 <= held.number - least <= gap.effect * math.sqrt(3.0) + 1e-3
    assert within(held, least, 1e-3)
    assert "phases_not_searched" not in {d.code for d in held.doubts}
    with BookReader(tmp_path / "run.zbook") as book:
        told = [c.said for w in book.events(kinds=(PointTaken,)) for c in w.event.point.captures if c.of == "hold_up"]
    tried = [float(one["worked out phase_deg"]) for one in told]
    (against,) = [c for c in all_curves(run.evidence) if c.title == "Hold-up against phase"]
    ((_, phases, lasted),) = against.lines
    assert len(phases) == 8
    assert min(lasted) == pytest.approx(1e3 * held.number)
    off = (np.array(tried[:4]) - [0.0, 45.0, 90.0, 135.0] + 90.0) % 180.0 - 90.0
    # At a crest the X capacitor keeps the volts up for a moment: there the record shows it a little late.
    assert np.all(np.abs(off) < 8.0), "the phases asked for, as the record shows them"
    claim = next(j for j in run.judged if j.finding.name == "hold_up" and j.claim is not None)
    assert claim.verdict is Verdict.HOLDS


@pytest.mark.long
def test_a_source_that_takes_a_phase_and_does_not_keep_it_is_told(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """It acknowledges every phase and switches whenever it likes: the records say where it was."""
    options = HoldUpOptions(lines=(LOW,), repeats=4, closer=0, on_s=1.0, record_s=0.2)
    plan = Plan("Lies", (options,))
    run = judged(Scene.set_up(tmp_path, unit, rig, plan, standin(faults=("bench,NOPHASE",)).addresses))
    (held,) = of(run, "hold_up")
    (doubt,) = [d for d in held.doubts if d.code == "phase_not_taken"]
    assert "degrees off" in doubt.text


BULK = Node("bulk", "primary", "bulk minus", rated_V=450.0)


@pytest.mark.long
def test_delay_and_hold_up_over_load_come_from_one_go_and_bounces_are_told(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """A contact that opens twice within 3.1 ms of its first make: the delay counts from the first, and that is said.
    What a meter at the bulk capacitor reads before each start stands with the figure. Hold-up is that of its closed
    form, roughly inverse to load (trade check, common practice, no source)."""
    meter = Instrument("node_voltmeter", "simulated", "Fennhollow", "M7", port="bulk", most={"voltage_V": 1000.0},
                       accuracy=(Accuracy("node_voltage", 600.0, 0.1, 0.1),))  # fmt: skip
    with_it = replace(rig, instruments=(*rig.instruments, meter))
    inside = replace(unit, nameplate=replace(unit.nameplate, nodes=(BULK,)))
    options = TurnOnOptions(lines=(LOW,), loads_percent=(50.0, 100.0), repeats=1, off_s=5.0, then_off=True)
    running = standin(faults=("bench,BOUNCE",))
    run = judged(Scene.set_up(tmp_path, inside, with_it, Plan("One go", (options,)), running.addresses))
    delays, lasts = of(run, "turn_on_delay"), of(run, "hold_up")
    assert [f.at.load_percent for f in delays] == [f.at.load_percent for f in lasts] == [50.0, 100.0]
    for one in delays:
        (bounced,) = [d for d in one.doubts if d.code == "switch_bounces"]
        assert "came 3 times within 3.1 ms" in bounced.text
        assert "input came 3 times, the first counts" in one.working.note
        left_V = float(one.working.note.split("bulk before ")[1].split(" ")[0])
        assert left_V < 60.0
    # 280 and 154 ms at half and full current is such a pair; here each goes at a phase of its own.
    half, full = (f.number for f in lasts)
    assert 1.4 < half / full < 2.6
    titles = [c.title for c in all_curves(run.evidence)]
    assert {"Turn-on delay over load", "Hold-up over load"} <= set(titles)
    over = next(c for c in all_curves(run.evidence) if c.title == "Hold-up over load")
    assert over.lines[0][1:] == ([50.0, 100.0], [pytest.approx(1e3 * half), pytest.approx(1e3 * full)])


@pytest.mark.parametrize("hertz", [50.0, 60.0, 0.0])
@pytest.mark.parametrize("opens", [(), ((0.2e-3, 0.7e-3),), ((1e-3, 2e-3), (6e-3, 6.8e-3), (30e-3, 31e-3))])
def test_makes_of_a_contact_are_counted(hertz: float, opens: tuple[tuple[float, float], ...]) -> None:
    """Of alternating and of direct current, with a fifth of distortion and noise, begun near its crest."""
    t = np.arange(-2_000, 18_000) * 1e-5
    turn = 2.0 * np.pi * (hertz or 50.0) * t + 1.2
    course = 325.0 * np.sin(turn) + 8.0 * np.sin(5.0 * turn) if hertz else np.full(len(t), 325.0)
    closed = (t >= 0.0) & ~np.any([(t >= a) & (t < b) for a, b in opens] or [np.zeros(len(t), bool)], axis=0)
    seen = np.where(closed, course, 0.0) + 0.5 * np.random.default_rng(4).standard_normal(len(t))
    found = makes_of(seen, 1e-5, 0.02)
    if not opens:
        assert found is None
    else:
        assert found is not None
        assert found.stays_s - 0.02 == pytest.approx(opens[-1][1], abs=0.2e-3)
        assert found.count == len(opens) + 1 or hertz, "near a passage of zero an open contact hides"


def test_inrush_is_that_of_the_circuit_at_the_crest_cold_and_hot(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    options = InrushOptions(lines=(Line(240.0, 50.0),), repeats=8, off_s=20.0, runs_s=900.0)
    run = judged(Scene.set_up(tmp_path, unit, rig, Plan("Inrush", (options,)), standin().addresses))
    # Closed form (stand-in: thermistor 8 ohm cold and 1 ohm hot, source 0.4 ohm, bridge of the physics file):
    # at the crest nothing but resistance stands against it.
    volts = math.sqrt(2.0) * 240.0 - 2.0 * PHYSICS["mains"]["diode_V"]
    for name, thermistor in (("inrush", 8.0), ("inrush_hot", 1.0)):
        (peak,) = of(run, name)
        most = volts / (thermistor + 0.4 + PHYSICS["mains"]["series_ohm"])
        assert peak.u is not None
        assert 0.93 * most <= peak.number <= most + 2.0 * peak.u
        assert len(peak.working.rows) == 2, "a quarter of the times is enough at the crest"
        assert not {d.code for d in peak.doubts}
        assert "0.4 ohm" in peak.working.note
    (heat,) = of(run, "inrush_i2t")
    assert heat.unit == "A2s"


@pytest.mark.long
def test_at_whatever_phase_it_happens_the_largest_counts_and_what_was_not_tried_is_doubted(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """A source that cannot be told the phase."""
    blind = replace(
        rig, instruments=tuple(
            replace(i, sets_phase=None, output_ohm=None, limit_A=10.0) if i.role == "ac_source" else i
            for i in rig.instruments
        )
    )  # fmt: skip
    parts = (
        InrushOptions(lines=(HIGH,), repeats=3, off_s=20.0, hot=False),
        HoldUpOptions(lines=(LOW,), repeats=2, on_s=2.0, record_s=0.2),
    )
    run = judged(Scene.set_up(tmp_path, unit, blind, Plan("Blind", parts), standin().addresses))
    (peak,), (held,) = of(run, "inrush"), of(run, "hold_up")
    values = [float(row["value"]) for row in peak.working.rows]
    assert len(values) == 3
    assert peak.number == max(values)
    assert {"source_impedance_unknown", "source_limits_inrush"} <= {d.code for d in peak.doubts}
    assert "the least of 2" in held.working.formula
    assert "phases_not_searched" in {d.code for d in held.doubts}
    assert not any("phases" in c.source for c in held.contributions)


# What goes wrong


def test_ripple_rides_on_every_step_of_a_grid(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    """It is the ripple of a part of its own at the same place, with the background that was taken there; the grid
    finds what it found."""
    loads = (100.0, 50.0)
    grid = GridOptions(lines=(LOW,), loads_percent=loads, warm_up_s=10.0, ripple=True)
    alone = RippleOptions(lines=(LOW,), loads_percent=loads, long_s=0.0, settle_s=2.0)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("rides", (alone, grid)), standin().addresses)
    run = judged(scene)
    found = of(run, "ripple")
    assert len(found) == 4  # first those of its own part
    for a, b in zip(*(sorted(some, key=lambda f: f.at.load_percent) for some in (found[:2], found[2:])), strict=True):
        assert (a.value or 0.0) == pytest.approx(b.value or 0.0, rel=0.1)
        assert a.at == b.at
    assert all("background rms" in f.working.note for f in of(run, "ripple_rms"))
    assert of(run, "efficiency")
    ridden = next(p for p in run.evidence.points if p.part == 1 and p.captures)
    assert {r.quantity for r in ridden.readings} >= {"input_power", "output_voltage"}
    without = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "scope"))
    assert "no scope" in grid.unmet(Facts(unit, without, (LOW,), ()))


def test_what_a_long_ground_lead_picks_up_is_told_from_the_ripple(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Three ways: unit off, unit on with tip and ground at one node, the probe as it is. The stand-in's long lead makes
    six times of its spikes, so nearly all of the peak to peak is picked up, and little of the rms."""
    scope = rig.need("scope")
    first = scope.channels[0]
    long = replace(first, probe=replace(first.probe, ground="long lead"))
    joined = replace(scope, channels=(long, *scope.channels[1:]))
    poor = replace(rig, instruments=tuple(joined if i.role == "scope" else i for i in rig.instruments))
    options = RippleOptions(lines=(HIGH,), loads_percent=(100.0,), settle_s=1.0, long_s=0.0, pick_up=True)
    running = start_standin(poor.standin, tmp_path / "bench.log", probes=probes_of(poor))  # type: ignore[arg-type]
    scene = Scene.set_up(tmp_path, unit, poor, Plan("Picked up", (options,)), running.addresses)
    with telling_the_standin() as tell:

        def says(state: State, _calls: int) -> list[Command]:
            titles = [w.event.title for w in scene.events(GateOpened)]
            if state is State.GATE and titles and titles[-1].startswith("Ti"):
                tell("FAUL bench,TIP" if titles[-1].startswith("Tip and") else "FAUL bench,TIPBACK")
            return []

        closed = scene.run(Actor(says))
    running.stop()
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
    (whole,), (picked,) = of(run, "ripple_full"), of(run, "ripple_pick_up")
    (rms,), (picked_rms,) = of(run, "ripple_rms"), of(run, "ripple_pick_up_rms")
    assert f"tip and ground at one node show {picked.number:.3g} V" in whole.working.note
    assert picked.number > 0.3 * whole.number
    assert picked_rms.number < 0.5 * rms.number
    assert "pick_up_dominates" not in {d.code for d in rms.doubts}
    assert "spikes_from_ground_lead" in {d.code for d in whole.doubts}


@pytest.mark.parametrize("fault", first(1, "RUBBISH", "SILENT", "DROP"))
def test_a_scope_that_fails_ends_the_run_safe_and_is_named(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, fault: str
) -> None:
    monkeypatch.setattr("zincsmith.bench.link.BLOCK_MS", 1_500)  # how long a silent one is waited for, each time
    options = RippleOptions(lines=(HIGH,), loads_percent=(0.0, 100.0), settle_s=1.0, background=False)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Ripple", (options,)), standin().addresses)
    broken: list[str] = []
    with telling_the_standin() as tell:

        def says(state: State, _calls: int) -> list[Command]:
            if not broken and state is State.RUNNING and scene.events(PointTaken):
                broken.append(fault)
                tell(f"FAUL scope,{fault}")
            return []

        closed = scene.run(Actor(says))
    assert (closed.outcome, closed.safe) == ("failed", True)
    assert "scope" in closed.why
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_a_scope_without_the_channel_is_refused_before_anything_is_live(unit: Unit, rig: Rig) -> None:
    scope = rig.instrument("scope")
    assert scope is not None
    alone = replace(scope, channels=scope.channels[:1])
    poor = replace(rig, instruments=tuple(alone if i.role == "scope" else i for i in rig.instruments))
    with pytest.raises(InputError, match="differential probe"):
        rehearse(unit, poor, Plan("Off", (HoldUpOptions(lines=(LOW,)),)))
    rehearse(unit, poor, Plan("Ripple", (RippleOptions(lines=(HIGH,)),)))
    none = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "scope"))
    with pytest.raises(InputError, match="no channel of a scope"):
        rehearse(unit, none, Plan("Ripple", (RippleOptions(lines=(HIGH,)),)))


def test_what_captures_add_to_a_book_is_told_and_bounded(unit: Unit, rig: Rig) -> None:
    one = rehearse(unit, rig, Plan("Off", (HoldUpOptions(lines=(LOW,), repeats=4, closer=2),)))
    assert one.capture_bytes == pytest.approx(8 * 2 * 400_000 * 1.2)
    with pytest.raises(InputError, match="MB to the book"):
        rehearse(unit, rig, Plan("Off", tuple(HoldUpOptions(lines=(LOW, HIGH), repeats=20) for _ in range(5))))


def test_a_run_that_is_stopped_between_captures_goes_on(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    options = LoadTransientOptions(lines=(HIGH,), steps_percent=((10.0, 90.0),), settle_s=0.5)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Steps", (options,)), standin().addresses)

    def after_one(state: State, _calls: int) -> bool:
        return state is State.RUNNING and len(scene.events(PointTaken)) >= 1

    assert scene.run(Actor(Once(after_one, MakeSafe("enough")))).outcome == "made safe"
    before = [w.event.point for w in scene.events(PointTaken)]
    closed = scene.resume(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True)
    points = [w.event.point for w in scene.events(PointTaken)]
    assert points[: len(before)] == before
    assert [p.at.load_percent for p in points] == [90.0, 10.0]


# With a scope that nobody reaches


def told_at_the_prompt(scene: Scene, answers: list[str]) -> Actor:
    """Passes gates; where a record is wanted, says the next answer."""

    def says(state: State, _calls: int) -> list[Command]:
        if state is not State.GATE:
            return []
        last = scene.events(HandSetting, GateOpened)[-1].event
        wanted = isinstance(last, HandSetting) and bool(last.wants)
        return [Pass(answers.pop(0))] if wanted and answers else [Pass()]

    return Actor(says)


def test_figures_read_off_a_screen_say_how_closely(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    options = RippleOptions(lines=(HIGH,), loads_percent=(100.0,), settle_s=1.0, background=False, long_s=0.0)
    hand = by_hand(rig, "scope")
    scene = Scene.set_up(tmp_path, unit, hand, Plan("Ripple", (options,)), standin().addresses)
    nonsense = ["", "lots", "pp", "pp 52m", "pp 52 V div 10m 7", "/nowhere/x.csv"]
    closed = scene.run(told_at_the_prompt(scene, [*nonsense, "pp 52m, rms 11m, div 10m"]))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    refused = [w.event.reason for w in scene.events(EntryRefused)]
    assert len(refused) == len(nonsense), "what makes no sense is asked again, and nothing is lost"
    assert any("size of a division" in r for r in refused)
    assert any("there is no file" in r for r in refused)
    asked = [w.event.text for w in scene.events(HandSetting) if w.event.wants]
    assert "AC coupled" in asked[0]
    assert "spring or coax" in asked[0]
    assert "sample rate 1 GS/s, or the most it has\nbandwidth all it has" in asked[0]
    assert "why: ten periods of the switching" in asked[0], "span, rate and bandwidth come with their reason"
    assert ": record 200 µs\nchannel 1, output volts" in asked[0], "a heading, then a line each"
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
    (found,) = [j for j in run.judged if j.finding.name == "ripple" and j.finding.value is not None]
    assert found.finding.value == pytest.approx(0.052)
    reading = 2.0**0.5 * 0.1 * 0.010 / 3.0**0.5
    assert found.finding.u == pytest.approx(math.hypot(reading, 0.02 * 0.052 / 3.0**0.5))
    assert found.verdict is Verdict.HOLDS
    assert "read_off_screen" in {d.code for d in found.finding.doubts}


def test_times_read_off_a_screen_are_understood_as_people_write_them(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """The source is told the phases, and the worst of what was typed is looked at more closely."""
    options = HoldUpOptions(lines=(LOW,), repeats=2, closer=1, on_s=1.0, record_s=0.2)
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "scope"), Plan("Off", (options,)), standin().addresses)
    typed = ["hold 18 ms, tdiv 5ms", "hold 16,5m tdiv 5m", "hold=0.0170 s; tdiv 5 ms", "hold 15.5ms tdiv 5ms"]
    closed = scene.run(told_at_the_prompt(scene, ["hold 18 V tdiv 5m", "hold", *typed]))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert len(scene.events(EntryRefused)) == 2
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
    (held,) = of(run, "hold_up")
    assert held.value == pytest.approx(0.0155)
    assert [row["value"] for row in held.working.rows] == pytest.approx([0.018, 0.0165, 0.017, 0.0155])
    assert held.u == pytest.approx(2.0**0.5 * 0.1 * 0.005 / 3.0**0.5)
    tried = [
        w.event.body["phase_deg"] for w in scene.events(Effected)
        if w.event.action == "SetSource" and "phase_deg" in w.event.body
    ]  # fmt: skip
    assert tried == [0.0, 90.0, 45.0, 135.0], "on either side of the worst of the first two"


def test_the_file_that_a_scope_saved_is_dropped_at_the_prompt(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    options = HoldUpOptions(lines=(LOW,), repeats=2, closer=0, on_s=1.0, record_s=0.2)
    hand = by_hand(rig, "scope")
    scene = Scene.set_up(tmp_path, unit, hand, Plan("Off", (options,)), standin().addresses)
    one = hold_up_file(tmp_path / "first.csv", 0.019, 60.0)
    two = tmp_path / "second one.csv"
    rows = hold_up_file(tmp_path / "plain.csv", 0.016, 60.0).read_text().splitlines()
    swapped = [f"{t},{o},{i}" for t, i, o in (row.split(",") for row in rows[1:])]
    two.write_text("\n".join(["Time (s),CH1 (V),CH3 (V)", *swapped]))  # output first, as the channels were asked for
    closed = scene.run(told_at_the_prompt(scene, [f"'{one}'", f"file://{two}".replace(" ", "%20")]))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
        captures = [c for p in run.evidence.points for c in p.captures]
        assert [c.file for c in captures] == ["first.csv", "second one.csv"]
        assert reader.source(captures[1].said["source"])[1] == two.read_bytes()
        (held,) = [j.finding for j in run.judged if j.finding.name == "hold_up" and j.finding.value is not None]
    assert held.value == pytest.approx(0.016, abs=2e-4)
    assert [row["value"] for row in held.working.rows] == pytest.approx([0.019, 0.016], abs=2e-4)
    armed = [w.event.text for w in scene.events(HandSetting) if w.event.text.endswith("it waits for its trigger")]
    assert len(armed) == 2
    assert "single, on output volts falling through 12 V" in armed[0]
