"""Outputs that are set: by wire and by a person at the knobs, against the closed forms of the stand-in's physics."""

from __future__ import annotations

import re
import socket
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import first
from tests.engine.scripted import Actor, Breaks, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES, Goes, stands_zeros

from zincsmith.analysis.expectation import expected
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.commands import Command, Pass
from zincsmith.model.events import Effected, HandSetting, PointTaken
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import OperatingPoint, SetPoint, operating_point
from zincsmith.model.plan import Line
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.planning.composer import compose
from zincsmith.procedures.crossover.options import CrossoverOptions
from zincsmith.procedures.cv_cc.options import SetOptions
from zincsmith.procedures.held_noise.options import HeldNoiseOptions
from zincsmith.procedures.overvoltage.options import OvervoltageOptions
from zincsmith.procedures.planning import Facts
from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.world import World

MAINS = Line(230.0, 50.0)
QUICK = SetOptions(lines=(MAINS, Line(207.0, 50.0)), warm_up_s=0.0, settle_s=2.0, average_s=2.0)
SUPPLY = ("lathom-lb303", "simulated-supply")


def of(run: JudgedRun, name: str) -> dict[SetPoint | None, Finding]:
    """The findings of a name by what was set."""
    return {j.finding.at.set_point(""): j.finding for j in run.judged if j.finding.name == name}


def set_up() -> tuple[World, BenchSupply]:
    world = World(read_physics(EXAMPLES / "standins" / "lathom-lb303.toml"), seed=1)
    assert isinstance(world.unit, BenchSupply)
    world.source.voltage_V, world.source.on = 230.0, True
    world.advance(5.0)
    world.unit.set_V, world.unit.set_A, world.unit.on = 12.0, 2.0, True
    return world, world.unit


def draws(world: World, mode: str, **to: float) -> tuple[float, float]:
    """(V, A) with the load set so."""
    world.load.mode, world.load.on = mode, True
    for name, value in to.items():
        setattr(world.load, name, value)
    world.changed()
    world.advance(1.0)
    return world.output_of("")


def test_the_stand_in_keeps_to_ohms_law_on_both_sides_of_its_corner() -> None:
    """Volts along their own resistance while the load wants less than the limit; beyond it the limit less what the
    conductance of its current source takes, and volts by the load alone. Kirchhoff on paper."""
    world, unit = set_up()
    s, o = unit.supply, unit.output
    aim = 12.0 * (1.0 + s.volts_share) + s.volts_offset_V
    volts, amps = draws(world, "RES", resistance_ohm=8.0)
    drift = o.drift_uV_per_K * 1e-6 * (unit.core_degC - 25.0)
    assert volts == pytest.approx((aim + drift) * 8.0 / (8.0 + o.resistance_ohm), rel=5e-6), "a kelvin is 60 uV"
    assert amps == pytest.approx(volts / 8.0, rel=1e-9)
    volts, amps = draws(world, "RES", resistance_ohm=3.0)
    held = 2.0 * (1.0 + s.amps_share) + s.amps_offset_A
    assert volts == pytest.approx(held * 3.0 / (1.0 + s.cc_S * 3.0), rel=1e-7)
    assert amps == pytest.approx(held - s.cc_S * volts, rel=1e-7)
    volts, amps = draws(world, "VOLT", voltage_V=5.0)
    assert amps == pytest.approx(held - s.cc_S * volts, rel=1e-6)
    assert draws(world, "CURR", current_A=2.5)[0] < 0.01, "two sources of current: the greater takes all the volts"
    loss = unit.intake.power_W
    raw = s.raw_V - s.raw_ohm * unit.current_A
    assert loss == pytest.approx(unit.losses.fixed_W + (raw + 1.6) * unit.current_A, rel=1e-6)


def test_by_wire_it_is_off_by_what_its_physics_says(goes: Goes) -> None:
    scene, closed, run = goes(*SUPPLY, (QUICK,))
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("complete", True, ())
    stands_zeros(run)
    off = of(run, "set_voltage_error")
    assert [to.voltage_V for to in off if to is not None] == [1.5, 7.5, 15.0, 22.5, 30.0]
    for to, one in off.items():
        assert to is not None
        assert one.value == pytest.approx(0.0004 * to.voltage_V + 0.003, abs=3 * (one.u or 0.0)), str(to)
    for to, one in of(run, "shown_voltage_error").items():
        assert to is not None
        assert one.value == pytest.approx(-0.0005 * to.voltage_V + 0.004, abs=3 * (one.u or 0.0)), str(to)
    for to, one in of(run, "set_current_error").items():
        assert to is not None
        low = 60e-6 * 0.5 * to.voltage_V
        assert one.value == pytest.approx(0.002 * to.current_A + 0.001 - low, abs=3 * (one.u or 0.0)), str(to)
    for to, one in of(run, "shown_current_error_percent").items():
        assert to is not None
        assert one.value == pytest.approx(0.003 + 0.002 / to.current_A, abs=3 * (one.u or 0.0)), str(to)
    for to, one in of(run, "current_regulation").items():
        assert to is not None
        assert one.value == pytest.approx(-60e-6 * 0.8 * to.voltage_V / to.current_A, abs=3 * (one.u or 0.0)), str(to)
    (line,) = of(run, "line_regulation").values()
    assert line.value == pytest.approx(22e-6 * 23.0 / 30.0, abs=3 * (line.u or 0.0))
    (held,) = of(run, "cc_line_effect").values()
    assert held.value == pytest.approx(8e-6 * 23.0, abs=3 * (held.u or 0.0))
    (lack,) = of(run, "crossover_lack").values()
    assert abs(lack.number) < 3 * (lack.u or 0.0), "its corner is that of an ideal diode"
    (heat,) = of(run, "heat_inside").values()
    amps, volts = 3.0 * 1.002 + 0.001, 3.0
    assert heat.value == pytest.approx(7.5 + (42.0 - 1.1 * amps - volts + 1.6) * amps, rel=0.01)
    points = [w.event.point for w in scene.events(PointTaken)]
    assert operating_point(points[0].at.conditions).set_point() == points[0].at.set_point()
    titles = {c.title for c in _plots(run)}
    assert titles == {"Volts off what was set", "Amps off what was set", "Where its limit takes over"}


def _plots(run: JudgedRun) -> list[object]:
    from zincsmith.procedures.catalogue import procedure

    return list(procedure("cv_cc").plots(run.evidence))


class Knobs:
    """A person who turns the knobs of the unit to what the gate says, and passes; ``says`` of an Actor."""

    def __init__(self) -> None:
        self.scene: Scene | None = None
        self.done = 0
        self.said: list[str] = []

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is not State.GATE or self.scene is None:
            return []
        asked = [w.event for w in self.scene.events(HandSetting) if w.event.role == "unit_interface"]
        for one in asked[self.done :]:
            self.turn(one.text)
        self.done = len(asked)
        return [Pass()]

    def turn(self, text: str) -> None:
        self.said.append(text)
        assert self.scene is not None
        host, port = self.scene.addresses["unit_interface"].split("::")[1:3]
        with socket.create_connection((host, int(port)), timeout=5.0) as line:
            if found := re.search(r"limit of its current to ([\d.]+) A", text):
                line.sendall(f"SOUR:CURR {found[1]}\n".encode())
            if found := re.search(r"its volts to ([\d.]+) V", text):
                line.sendall(f"SOUR:VOLT {found[1]};:OUTP 1\n".encode())
            line.sendall(b"*OPC?\n")
            assert line.recv(16)


def by_knobs(rig: Rig) -> Rig:
    """Nothing speaks to the unit."""
    return replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "unit_interface"))


def test_a_person_at_the_knobs_sets_what_the_gates_say(goes: Goes) -> None:
    part = replace(QUICK, lines=(MAINS,), volts_percent=(10.0, 100.0), amps_percent=(50.0,), crossover=False)
    knobs = Knobs()

    def there(scene: Scene) -> None:
        knobs.scene = scene

    _, closed, run = goes(*SUPPLY, (part,), actor=Actor(says=knobs), change=by_knobs, before=there)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert knobs.said[0] == (
        "Set the limit of its current to 3 A, as the unit itself shows it, then turn its volts to 30 V, by the "
        "voltmeter, with its output on."
    )
    assert knobs.said[1] == "Turn its volts to 3 V, by the voltmeter. The limit of its current stays as it is."
    assert sorted(to.voltage_V for to in of(run, "set_voltage_error") if to is not None) == [3.0, 30.0]
    (held,) = of(run, "set_current_error").values()
    assert held.value == pytest.approx(0.002 * 1.5 + 0.001 - 60e-6 * 15.0, abs=3 * (held.u or 0.0))
    assert not of(run, "shown_voltage_error"), "nobody read what it shows"


@pytest.mark.parametrize(
    "grid_mV", [10.0, pytest.param(0.0, marks=pytest.mark.long), pytest.param(400.0, marks=pytest.mark.long)]
)
def test_the_least_step_that_it_follows(goes: Goes, tmp_path: Path, grid_mV: float) -> None:
    """Volts that are set on a grid: below a step of it nothing, or a whole one, comes of what is asked. Without a grid
    the meter is what ends it, and that is said."""
    text = (EXAMPLES / "standins" / f"{SUPPLY[0]}.toml").read_text("utf-8")
    physics = tmp_path / "grid.toml"
    physics.write_text(text.replace("[supply]\n", f"[supply]\nset_step_V = {1e-3 * grid_mV}\n"), "utf-8")
    part = replace(QUICK, lines=(MAINS,), volts_percent=(50.0,), amps_percent=(50.0,), crossover=False, least_step=True)
    _, closed, run = goes(*SUPPLY, (part,), physics=physics)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    (made,) = of(run, "least_step").values()
    assert made.u is not None
    codes = {d.code for d in made.doubts}
    if grid_mV > 100.0:
        assert "no_step_followed" in codes
    elif grid_mV:
        assert "after 10 mV more" in made.working.formula
        assert made.number == pytest.approx(0.01, abs=2.0 * made.u)
    else:
        assert "meter_too_coarse" in codes
        assert made.number < 0.012


@pytest.mark.parametrize("share", [pytest.param(None, marks=pytest.mark.long), 0.3])
def test_the_noise_of_held_amps_is_that_of_the_volts_across_a_resistance(
    goes: Goes, tmp_path: Path, share: float | None
) -> None:
    """A sine: rms is peak to peak over 2 sqrt 2, whatever the resistance. A limit that acts elsewhere is told."""
    text = (EXAMPLES / "standins" / f"{SUPPLY[0]}.toml").read_text("utf-8")
    physics = tmp_path / "noisy.toml"
    told = re.search(r"amps_share = .*", text)
    assert told is not None
    acts = (told[0], told[0] if share is None else f"amps_share = {share}")
    physics.write_text(text.replace("[supply]\n", "[supply]\ncc_noise_A = 0.02\n").replace(*acts), "utf-8")
    part = HeldNoiseOptions(line=MAINS, settle_s=2.0)
    _, closed, run = goes(*SUPPLY, (part,), physics=physics)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    for name, value in (("held_noise", 0.02), ("held_noise_rms", 0.02 / 8.0**0.5)):
        made = of(run, name)
        assert sorted(to.current_A for to in made if to) == pytest.approx([0.3, 3.0])
        for one in made.values():
            assert one.u is not None
            assert ("limit_not_seen" in {d.code for d in one.doubts}) == (share is not None)
            assert one.number == pytest.approx(value, abs=3.0 * one.u, rel=0.03)


def through_its_corner(lag_s: float) -> tuple[float, float, float]:
    """Beyond what is set, V, back within 0.15 V after, s; and the charge of the capacitor on the way in, C: one
    capacitor integrated in time, with what its limit gives until its volts are held ``lag_s`` late, and Ohm's law."""
    farad, bleeder, held, aim = 220e-6, 1500.0, 1.5 * 1.002 + 0.001, 15.0 * 1.0004 + 0.003
    volts, t, step = held * 10.0 / 1.5, 0.0, 1e-7  # 15 V at 1.5 times 1.5 A are 6.67 ohm
    charge, there, peak, back = farad * (aim - volts), None, volts, 0.0
    while t < 0.04:
        there = t if there is None and volts >= aim else there
        gives = held if there is None or t < there + lag_s else 0.0
        if there is not None and t > there + lag_s and volts <= aim:
            break
        volts += step * (gives - volts / 20.0 - (0.0 if gives else volts / bleeder)) / farad
        t += step
        peak = max(peak, volts)
        back = t if abs(volts - aim) > 0.15 else back
    return peak - aim, back, charge


@pytest.mark.parametrize("lag_s", first(1, 300e-6, 1e-6, 1.5e-3))
def test_its_volts_swing_past_as_its_limit_lets_go(goes: Goes, tmp_path: Path, lag_s: float) -> None:
    text = (EXAMPLES / "standins" / f"{SUPPLY[0]}.toml").read_text("utf-8")
    physics = tmp_path / "late.toml"
    physics.write_text(text.replace("[supply]\n", f"[supply]\nvolts_lag_s = {lag_s}\n"), "utf-8")
    scene, closed, run = goes(*SUPPLY, (CrossoverOptions(line=MAINS, settle_s=1.0),), physics=physics)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    past, back, charge = through_its_corner(lag_s)
    for name, value, share in (
        ("crossover_overshoot", past, 0.05), ("crossover_back_time", back, 0.03), ("crossover_charge", charge, 0.03),
    ):  # fmt: skip
        (one,) = of(run, name).values()
        assert one.u is not None
        assert one.number == pytest.approx(value, rel=share, abs=3.0 * one.u + (1e-4 if name.endswith("time") else 0.0))
        assert not one.doubts, one.doubts
    assert {w.event.body["set_V"] for w in scene.events(Effected) if "set_V" in w.event.body} == {15.0, 30.0}


def test_a_limit_that_acts_elsewhere_is_not_taken_for_a_corner(goes: Goes, tmp_path: Path) -> None:
    text = (EXAMPLES / "standins" / f"{SUPPLY[0]}.toml").read_text("utf-8")
    physics = tmp_path / "elsewhere.toml"
    physics.write_text(re.sub("amps_share = .*", "amps_share = 0.8", text, count=1), "utf-8")
    _, closed, run = goes(*SUPPLY, (CrossoverOptions(line=MAINS, settle_s=1.0),), physics=physics)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    made = [j.finding for j in run.judged if j.finding.name.startswith("crossover_")]
    assert made
    assert all(f.value is None or {d.code for d in f.doubts} & {"limit_not_seen"} for f in made)


def test_a_unit_that_refuses_is_told_and_what_it_gives_is_measured(goes: Goes) -> None:
    """Its plate promises 32 V, it takes 30.3 and stays off: what never lived is no sign that anything is off."""
    unit = read_unit(EXAMPLES / "units" / "lathom-lb303.toml")
    more = replace(unit.nameplate.output, voltage_V=32.0, adjustable_V=(0.0, 32.0))
    unit = replace(unit, nameplate=replace(unit.nameplate, outputs=(more,)))
    part = replace(QUICK, lines=(MAINS,), volts_percent=(100.0,), amps_percent=(100.0,), crossover=False)
    scene, closed, run = goes(*SUPPLY, (part,), unit=unit)
    assert closed.outcome == "complete", closed.why
    assert [what for what in closed.unconfirmed if "output" in what]
    refused = [w.event.body["refused"] for w in scene.events(Effected) if w.event.body.get("refused")]
    assert refused
    assert "Data out of range" in str(refused[0])
    (off,) = [f for to, f in of(run, "set_voltage_error").items() if to is not None and to.voltage_V == 32.0]
    assert off.value is not None
    assert off.value < -30.0


def test_a_composed_plan_has_it_and_nothing_about_volts_that_hold_themselves() -> None:
    unit = read_unit(EXAMPLES / "units" / "lathom-lb303.toml")
    plan, *_ = compose(unit, read_rig(EXAMPLES / "rigs" / "simulated-supply.toml"))
    names = [p.procedure for p in plan.parts]
    assert "cv_cc" in names
    assert not {"dropout", "overcurrent", "short_circuit", "turn_on", "hold_up"} & set(names)
    fixed = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    assert SetOptions.suits(fixed.nameplate) == "nobody sets what its outputs give"


def test_volts_are_expected_anywhere_below_once_the_limit_is_met() -> None:
    """What a person is told to expect: near the volts that were set while less is drawn than the limit."""
    plate = read_unit(EXAMPLES / "units" / "lathom-lb303.toml").nameplate
    for amps, least in ((1.5, 0.0), (1.42, 28.5)):
        told = expected(plate, 230.0, {"": amps}, 23.0, {"": SetPoint(30.0, 1.5)})["output_voltage"]
        assert (told.low, told.high) == pytest.approx((least, 31.5))


def test_a_knob_has_no_least_step() -> None:
    unit, rig = read_unit(EXAMPLES / "units" / "lathom-lb303.toml"), read_rig(EXAMPLES / "rigs" / f"{SUPPLY[1]}.toml")
    turned = replace(rig, instruments=tuple(
        replace(one, how="by hand") if one.role == "unit_interface" else one for one in rig.instruments
    ))  # fmt: skip
    part = replace(QUICK, least_step=True)
    assert not part.unmet(Facts(unit, rig, (MAINS,), ()))
    assert "turned by hand" in part.unmet(Facts(unit, turned, (MAINS,), ()))
    assert not replace(part, least_step=False).unmet(Facts(unit, turned, (MAINS,), ()))


def test_what_was_set_is_covered_and_told_like_any_mode() -> None:
    to = SetPoint(12.0, 2.0)
    at = OperatingPoint(modes=(("", to),))
    assert at.covers(OperatingPoint(modes=(("", to),)))
    assert not at.covers(OperatingPoint(modes=(("", SetPoint(12.0, 1.0)),)))
    assert "12 V, at most 2 A" in at.words
    assert operating_point(at.conditions) == at


def test_a_unit_whose_interface_falls_silent_is_no_instrument_that_fails(goes: Goes) -> None:
    """What it says of itself is missing from then on; everything else is read as before."""
    part = replace(QUICK, lines=(MAINS,), volts_percent=(25.0, 100.0), amps_percent=(100.0,), crossover=False)
    actor = Actor()
    with telling_the_standin() as tell:

        def there(scene: Scene) -> None:
            actor.says = Breaks(scene, tell, "unit_interface,SILENT", lambda one: one.body.get("set_V") == 7.5)

        _, closed, _ = goes(*SUPPLY, (part,), actor=actor, before=there)
    assert isinstance(actor.says, Breaks)
    assert actor.says.broken
    assert closed.outcome == "failed", "what is to be set next nobody can set"
    assert closed.safe, "the bench itself is whole"
    assert "unit" in closed.why


@pytest.mark.parametrize("off", [0.0, 0.04])
def test_its_protection_lets_go_where_it_was_set_and_only_by_name(goes: Goes, tmp_path: Path, off: float) -> None:
    """Set to 18 V, acting 4 % above that or right there; no composed plan has it by itself."""
    unit, rig = (read_unit(EXAMPLES / "units" / f"{SUPPLY[0]}.toml"), read_rig(EXAMPLES / "rigs" / f"{SUPPLY[1]}.toml"))
    assert "overvoltage" not in {p.procedure for p in compose(unit, rig)[0].parts}
    physics = tmp_path / "physics.toml"
    text = (EXAMPLES / "standins" / "lathom-lb303.toml").read_text()
    physics.write_text(text.replace("raw_V = 42.0", f"raw_V = 42.0\ntrip_share = {off}"))
    part = OvervoltageOptions(line=MAINS, level_percent=60.0, step_percent=1.0)
    scene, closed, run = goes(*SUPPLY, (part,), physics=physics)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    (one,) = [j.finding for j in run.judged if j.finding.name == "overvoltage" and j.finding.value is not None]
    assert abs(one.number - 18.0 * (1.0 + off)) < 2.0 * (one.u or 0.0)
    assert one.u == pytest.approx(0.09 / 3**0.5, rel=0.3), "between two steps of 0.18 V nobody looked"
    told = [w.event.body for w in scene.events(Effected) if "set_V" in w.event.body]
    raised = [float(t["set_V"]) for t in told if t["set_V"] != 30.0]  # before and after it stands where others have it
    assert max(raised) < 18.0 * (1.0 + off) + 0.4, "never far beyond it"
    assert OvervoltageOptions.suits(read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml").nameplate)
