"""Rails that pull on each other and ports that share: by wire against closed forms of the stand-in, and by hand."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import pytest
from scipy.optimize import brentq
from tests.engine.scripted import Actor, by_hand
from tests.several.conftest import EXAMPLES, Went, stands_zeros

from zincsmith.analysis.envelope import Envelope
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.events import Effected, EntryAsked, HandSetting, PointTaken
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.label import Mode
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED
from zincsmith.model.rig import Rig
from zincsmith.planning.composer import compose
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.cross_regulation.options import CrossOptions, rails_together
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.port_sharing.options import SharingOptions
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.procedures.usb_modes.options import ModesOptions, ports_with_modes
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.world import World

MAINS, DC = Line(230.0, 50.0), Line(18.0, 0.0)


def standing(loads: dict[str, float]) -> dict[str, float]:
    """Volts of the open frame as they are, warm, under these amps."""
    world = World(read_physics(EXAMPLES / "standins" / "brindlow-of45.toml"), seed=1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
    world.advance(5.0)
    for port, amps in loads.items():
        world.loads[port].current_A, world.loads[port].on = amps, amps > 0.0
    world.advance(120.0)
    return {port: world.output_of(port)[0] for port in world.ports}


def converting(name: str, loads: dict[str, float]) -> float:
    """Watts that the converter of a unit takes off its bulk capacitor under these amps."""
    world = World(read_physics(EXAMPLES / "standins" / f"{name}.toml"), seed=1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
    world.advance(5.0)
    for port, amps in loads.items():
        world.loads[port].current_A, world.loads[port].on = amps, amps > 0.0
    world.advance(2.0)
    return world.true_value("input_power")


def of(run: JudgedRun, name: str, output: str) -> list[Finding]:
    return [j.finding for j in run.judged if j.finding.name == name and j.finding.output == output]


@pytest.mark.long
def test_what_the_load_of_one_rail_does_to_the_others(goes: Callable[..., Went]) -> None:
    """Pulled by a stated number of volts an ampere of the others: the change is that times how their amps change."""
    scene, closed, run = goes("brindlow-of45", "simulated-three-rails", (CrossOptions(line=MAINS, warm_up_s=60.0),))
    stands_zeros(run)
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    envelope = Envelope(scene.unit.nameplate)
    least, full = ({p: envelope.load_A(share, p) for p in ("+5 V", "+12 V", "-12 V")} for share in (0.0, 100.0))
    least["+5 V"] = 0.4
    for port, pulled in (("+12 V", 0.115), ("-12 V", 0.09)):
        others = sum(full[p] - least[p] for p in full if p != port)
        changes = of(run, "cross_regulation", port)
        assert [round(f.at.draw.share_percent or 0.0) for f in changes] == [0, 50, 100]
        for one in changes:  # the bus, which all of them load, falls by some 0.4 % meanwhile
            assert one.value == pytest.approx(pulled * others / 12.0, abs=0.007)
        held = {**least, port: full[port]}, full
        true = [abs(standing(loads)[port]) for loads in held]
        at_full = changes[-1]
        assert at_full.value == pytest.approx((true[1] - true[0]) / 12.0, abs=3.0 * (at_full.u or 0.0))
    (master,) = {math.copysign(1.0, f.value or 0.0) for f in of(run, "cross_regulation", "+5 V")}
    assert master == -1.0, "what is regulated falls a little: its wires carry what makes the others"
    verdicts = {j.verdict for j in run.judged if j.claim is not None and j.claim.figure == "cross_regulation"}
    assert verdicts == {Verdict.HOLDS}
    highest = [j for j in run.judged if j.finding.name == "output_voltage_max" and j.finding.output == "+12 V"]
    assert [j.verdict for j in highest] == [Verdict.FAILS], "with nothing on it while the others are full"
    for port in ("+5 V", "+12 V", "-12 V"):
        (needed,) = of(run, "least_load_for_all", port)
        assert needed.value is not None
        assert "needs none" in needed.working.note or needed.number > 0.0
    section = procedure("cross_regulation").section([j.finding for j in run.judged])
    assert section is not None
    assert len(section.rows) == 9
    points = [w.event.point for w in scene.events(PointTaken) if w.event.point.at.step is None]
    loads = [tuple(sorted((d.port, d.level) for d in p.at.draws)) for p in points]
    assert len(set(loads)) == len(loads) == 21, "each set of loads once: 3 x 9 less what two rails have in common"
    changed = [sum(a != b for a, b in zip(one, other, strict=True)) for one, other in pairwise(loads)]
    assert sum(changed) <= 1.6 * len(changed), "few loads change from one to the next"


def test_a_dual_module_is_told_both_ways(goes: Callable[..., Went]) -> None:
    """Fed with direct current; the rail that follows rises with the other's amps, and high with nothing on it."""
    _, closed, run = goes("skerrow-sd15", "simulated-dual", (CrossOptions(line=DC, warm_up_s=20.0),))
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    for one in of(run, "cross_regulation", "-15 V"):
        assert one.value == pytest.approx(2.4 * 0.33 / 15.0, abs=0.002)
    assert len(of(run, "cross_regulation", "+15 V")) == 3
    (alone,) = of(run, "least_load_for_all", "+15 V")
    assert (alone.value, [d.code for d in alone.doubts]) == (None, ["never_good"])
    (needed,) = of(run, "least_load_for_all", "-15 V")
    bus = 15.0 * 0.995 + 900e-6 * (18.0 - 24.0)

    def above(amps: float) -> float:
        return 0.994 * bus - 2.1 * amps + 0.9 * math.exp(-amps / 0.012) - 1.03 * 15.0

    assert needed.value == pytest.approx(brentq(above, 1e-4, 0.1), abs=2.0 * (needed.u or 0.0))


def test_a_table_is_filled_by_hand(goes: Callable[..., Went]) -> None:
    """Loads set and volts read by a person: gates say which load, prompts which rail, and the change is worked out."""
    typed = []
    for own, others in ((0.0, 0.0), (0.33, 0.0), (0.33, 0.33), (0.0, 0.33)):
        typed += ["14.90", f"{-(15.2 + 2.0 * own - 1.0 * others):.3f}", f"{own}", f"{others}"]

    def hands(rig: Rig) -> Rig:
        return by_hand(rig, "load", "voltmeter")

    part = CrossOptions(line=DC, levels_percent=(0.0, 100.0), least_load=False, warm_up_s=1.0, settle_s=1.0)
    scene, closed, run = goes("skerrow-sd15", "simulated-dual", (part,), Actor(entries=typed), change=hands)
    assert closed.outcome == "complete", closed.why
    asked = [w.event.what for w in scene.events(EntryAsked)]
    assert asked[0].startswith("Output volts, +15 V")
    assert asked[1].startswith("Output volts, -15 V")
    said = [w.event.text for w in scene.events(HandSetting) if w.event.role == "load@-15 V"]
    assert any("0.33" in text for text in said), said
    changes = {round(f.at.draw.share_percent or 0.0): f.value for f in of(run, "cross_regulation", "-15 V")}
    assert changes == {0: pytest.approx(2.0 * 0.33 / 15.0, abs=1e-6), 100: pytest.approx(2.0 * 0.33 / 15.0, abs=1e-6)}


def test_ports_are_asked_for_their_modes_and_share(goes: Callable[..., Went]) -> None:
    """The label says 30 W for the second of three ports; the stand-in has 18 W for it, and tells others anew in 0.7 s.
    A mode that nobody has is not seen, which is not absent."""
    unit = read_unit(EXAMPLES / "units" / "hartsop-u90.toml")
    first, second, third = unit.nameplate.outputs
    second = replace(second, modes=(*second.modes, Mode(28.0, 0.9)))
    unit = replace(unit, nameplate=replace(unit.nameplate, outputs=(first, second, third)))
    parts = (ModesOptions(line=MAINS, settle_s=2.0), SharingOptions(line=MAINS, settle_s=5.0))
    scene, closed, run = goes("hartsop-u90", "simulated-usb", parts, unit=unit)
    stands_zeros(run)
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    for port, watts, seen in (("C1", 90.0, 4.0), ("C2", 45.0, 4.0)):
        assert [f.value for f in of(run, "offered_power", port)] == [watts]
        (modes,) = of(run, "modes_seen", port)
        assert modes.value == seen
        assert [d.code for d in modes.doubts] == (["mode_not_seen"] if port == "C2" else [])
        (bare,) = of(run, "volts_before_attach", port)
        assert bare.number < 0.1
        assert "at most 0.8 V" in bare.working.note
    volts = {(f.at.mode(), round(f.at.draw.share_percent or 0.0)): f for f in of(run, "mode_voltage", "C1")}
    assert volts["20 V", 100].value == pytest.approx(20.0 * 1.012 - 0.045 * 4.5, abs=0.02)
    assert volts["9 V", 0].value == pytest.approx(9.0 * 1.012, abs=0.01)
    never = [f for f in of(run, "mode_voltage", "C2") if f.at.mode() == "28 V"]
    assert {d.code for f in never for d in f.doubts} == {"mode_out_of_limits"}
    refused = [w.event.body for w in scene.events(Effected) if "refused" in w.event.body]
    assert [one["mode"] for one in refused][:1] == ["28 V"]
    shared = {(j.claim.condition_text, j.finding.output): j for j in run.judged
              if j.claim is not None and j.claim.figure == "shared_power"}  # fmt: skip
    assert {key: j.verdict for key, j in shared.items()} == {
        ("with C1 + C2 in use", "C1"): Verdict.HOLDS, ("with C1 + C2 in use", "C2"): Verdict.HOLDS,
        ("with A + C1 + C2 in use", "C1"): Verdict.HOLDS, ("with A + C1 + C2 in use", "C2"): Verdict.FAILS,
        ("with A + C1 + C2 in use", "A"): Verdict.HOLDS,
    }  # fmt: skip
    away = of(run, "neighbour_away", "C1")
    assert all(f.value == pytest.approx(0.7, abs=0.15) for f in away)
    assert len(away) == 5
    assert {d.code for f in of(run, "neighbour_lowest", "C1") for d in f.doubts} == {"neighbour_interrupted"}


def test_by_hand_somebody_takes_everything_off_a_port(goes: Callable[..., Went]) -> None:
    def hands(rig: Rig) -> Rig:
        return replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "sink_controller"))

    part = ModesOptions(line=MAINS, settle_s=1.0, loaded=False)
    scene, closed, run = goes("hartsop-u90", "simulated-usb", (part,), change=hands)
    assert closed.outcome == "complete", closed.why
    said = [w.event.text for w in scene.events(HandSetting) if w.event.role == "sink_controller@C2"]
    assert said[0] == "Take everything off the port at C2: nothing is plugged in."
    assert "Ask for 20 V at C2, with whatever asks the port for a mode." in said
    (bare,) = of(run, "volts_before_attach", "C1")
    assert bare.number > 4.0, "nobody did as the gate said: five volts are told as they were read"
    assert "beyond_allowed" in {d.code for d in bare.doubts}


def test_who_is_plugged_in_decides_what_a_port_is_rated_for() -> None:
    plate = read_unit(EXAMPLES / "units" / "hartsop-u90.toml").nameplate
    modes = {"C1": "20 V", "C2": "20 V"}
    assert Envelope(plate, modes).full_A("C1") == pytest.approx(45.0 / 20.0)
    assert Envelope(plate, {**modes, "A": UNPLUGGED}).full_A("C1") == pytest.approx(60.0 / 20.0)
    assert Envelope(plate, {"C1": "20 V", "C2": UNPLUGGED, "A": UNPLUGGED}).full_A("C1") == 4.5
    assert rails_together(plate) != ""
    assert ports_with_modes(read_unit(EXAMPLES / "units" / "brindlow-of45.toml").nameplate) != ""


def test_what_is_about_all_ports_comes_last_at_what_they_are_rated_for(goes: Callable[..., Went]) -> None:
    """Power factor of a corrector that works from 46 W: at five volts of every port it would never be reached."""
    unit = read_unit(EXAMPLES / "units" / "maristow-m90c.toml")
    rig = read_rig(EXAMPLES / "rigs" / "simulated-usb-two.toml")
    plan, left = compose(unit, rig)
    assert left == []
    order = [(p.procedure, getattr(p, "ports", getattr(p, "mode", ""))) for p in plan.parts]
    whole = [
        order.index(one)
        for one in (("static_grid", "rated"), ("power_factor_regimes", "rated"), ("harmonics", "rated"))
    ]
    assert min(whole) > max(n for n, (name, _) in enumerate(order) if name in ("standby", "usb_modes", "port_sharing"))
    part = next(p for p in plan.parts if p.procedure == "power_factor_regimes")
    _, closed, run = goes("maristow-m90c", "simulated-usb-two", (replace(part, settle_s=2.0),))  # type: ignore[call-arg]
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    (found,) = [j.finding for j in run.judged if j.finding.name == "correction_in"]
    assert found.value is not None
    assert 30.0 < found.number < 60.0, "46 W of converter power are about half of 90 W"


def test_a_programmable_range_is_set_over_its_length_and_holds_its_current(goes: Callable[..., Went]) -> None:
    """C1 stands 0.9 % above what it is set to, in steps of 20 mV, and lets 40 mA more through than its limit; its own
    0.04 ohm drops under half its amps. Drawn so in its physics."""
    _, closed, run = goes("quillfen-q65", "simulated-usb", (ModesOptions(line=MAINS, loaded=False),))
    assert (closed.outcome, closed.safe) == ("complete", True)
    off = of(run, "set_voltage_error", "C1")
    assert len(off) == 10
    for one in off:
        to = one.at.set_point("")
        assert to is not None
        drop = 0.04 * 1.5 if one.at.draw.level else 0.0
        assert one.value == pytest.approx(0.009 * to.voltage_V - drop, abs=3 * (one.u or 0.0)), one.at.words
        assert f"at most {max(0.05 * to.voltage_V, 0.05):.4g} V" in one.working.note
    (step,) = of(run, "set_step", "C1")
    assert step.value == pytest.approx(0.0202, abs=3 * (step.u or 0.0))
    (limit,) = of(run, "set_current_error", "C1")
    assert limit.value == pytest.approx(0.04, abs=3 * (limit.u or 0.0))
    assert not limit.doubts
    assert not of(run, "set_voltage_error", "C2"), "a port without a range is set to nothing"


def scoped(rig: Rig) -> Rig:
    """As it is: its scope is joined to all three outputs and to the input."""
    assert {c.port for i in rig.instruments for c in i.channels} == {"+5 V", "+12 V", "-12 V", ""}
    return rig


@pytest.mark.long
def test_outputs_come_and_go_in_their_order(goes: Callable[..., Went]) -> None:
    """Drawn: +12 V comes 4 ms after the bus, -12 V 9 ms; each goes once its own capacitor has given a tenth of its
    volts, C dV / I."""
    part = TurnOnOptions(lines=(MAINS,), repeats=1, then_off=True, off_s=5.0)
    _, closed, run = goes("brindlow-of45", "simulated-three-rails", (part,), change=scoped)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    for port, after_s in (("+12 V", 4e-3), ("-12 V", 9e-3)):
        (one,) = of(run, "comes_after", port)
        assert one.value == pytest.approx(after_s, abs=2 * (one.u or 0.0))
        assert one.title == f"Comes after +5 V, {port}"
    farad, amps = {"+5 V": 3.3e-3, "+12 V": 1e-3, "-12 V": 470e-6}, {"+5 V": 3.846, "+12 V": 1.442, "-12 V": 0.2885}
    volts = {"+5 V": 5.0, "+12 V": 12.0, "-12 V": 12.0}
    stood = {port: abs(of(run, "turn_on_delay", port)[0].at.line_V) and v for port, v in volts.items()}
    falls = {port: farad[port] * 0.1 * v / amps[port] for port, v in stood.items()}
    for port in ("+12 V", "-12 V"):
        (one,) = of(run, "goes_after", port)
        assert one.value == pytest.approx(falls[port] - falls["+5 V"], abs=3 * (one.u or 0.0) + 2e-4)


@pytest.mark.long
def test_power_good_comes_after_the_outputs_and_goes_before_them(goes: Callable[..., Went]) -> None:
    """Drawn: 0.25 s after the last output is up, and low once the bulk capacitor is down to 230 V: the warning is what
    it holds between that and what the converter stops at, C (V1^2 - V2^2) / 2 P."""
    coming = TurnOnOptions(lines=(MAINS,), repeats=1, record_s=1.0)
    going = HoldUpOptions(lines=(MAINS,), repeats=1, closer=0)
    scene, closed, run = goes("ferrowby-px350", "simulated-five-rails", (coming, going))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    (delay,) = of(run, "power_good_delay", "")
    ends = 0.02 * (1.0 - 0.9)  # the output counts from nine tenths of its soft start
    assert delay.value == pytest.approx(0.25 + ends, abs=3 * (delay.u or 0.0) + 1e-4)
    (level,) = of(run, "power_good_level", "")
    assert level.value == pytest.approx(5.0, abs=3 * (level.u or 0.0))
    (warning,) = of(run, "power_good_warning", "")
    loads = {
        p: Envelope(scene.unit.nameplate).load_A(100.0, p) for p in ("+12 V", "+5 V", "+3.3 V", "-12 V", "+5 V SB")
    }
    drawn_W = converting("ferrowby-px350", loads)
    lasts = 470e-6 * (230.0**2 - 2.0 * 135.0**2) / (2.0 * drawn_W)
    empties = min(1e-3 * 0.1 * v / loads[p] for p, v in (("+12 V", 12.0), ("+5 V", 5.0)))
    assert warning.value == pytest.approx(lasts + empties, rel=0.03)
    verdicts = {j.claim.figure: j.verdict for j in run.judged if j.claim is not None}
    assert verdicts["power_good_delay"] is Verdict.HOLDS
    assert verdicts["power_good_warning"] is Verdict.HOLDS


def test_ripple_of_each_output_has_the_background_of_its_own(goes: Callable[..., Went]) -> None:
    """A record of another output says nothing of it. With the same capacitor and current all three show the same."""
    part = RippleOptions(lines=(MAINS,), loads_percent=(100.0,), long_s=0.0)
    _, closed, run = goes("brindlow-of45", "simulated-three-rails", (part,), change=scoped)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert "procedure_broken" not in {d.code for j in run.judged for d in j.finding.doubts}
    found = {port: of(run, "ripple_full", port)[0].number for port in ("+5 V", "+12 V", "-12 V")}
    assert max(found.values()) == pytest.approx(min(found.values()), rel=0.1)
    assert min(found.values()) > 5e-3, "clear of what the probe picks up"


@pytest.mark.long
def test_a_step_of_one_rail_shows_in_the_others(goes: Callable[..., Went]) -> None:
    """Most of it is that the rail then stands elsewhere, which is told by its own closed form; nothing of it is taken
    for a step of that rail itself."""
    part = LoadTransientOptions(lines=(MAINS,), steps_percent=((10.0, 90.0),))
    _, closed, run = goes("brindlow-of45", "simulated-three-rails", (part,), change=scoped)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    light = {p: Envelope(read_unit(EXAMPLES / "units" / "brindlow-of45.toml").nameplate).load_A(10.0, p)
             for p in ("+5 V", "+12 V", "-12 V")}  # fmt: skip
    heavy = {**light, "+5 V": 9.0 * light["+5 V"]}
    moved = {p: standing(heavy)[p] - standing(light)[p] for p in ("+12 V", "-12 V")}
    seen = {(f.output, f.title.partition(" step of ")[2]): f for f in (j.finding for j in run.judged)
            if f.name == "cross_dip"}  # fmt: skip
    for port, change in moved.items():
        one = seen[port, "+5 V"]
        swing = 0.1 * 0.12 * 8.0 * light["+5 V"]  # at most: its share of what the bus dips by an ampere
        assert abs(change) - 3 * (one.u or 0.0) < one.number < abs(change) + swing + 3 * (one.u or 0.0)
    steps = [f for f in (j.finding for j in run.judged) if f.name == "load_step" and f.value is not None]
    assert {f.output for f in steps} <= {"+5 V", "+12 V", "-12 V"}
    assert len({(f.output, f.at) for f in steps}) == len(steps), "each rail answers for its own steps alone"
