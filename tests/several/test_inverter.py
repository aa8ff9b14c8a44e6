"""An inverter over sockets, against the closed forms of its physics and a spectrum that NumPy takes of its shape; and
with a person at a bank of resistors."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.engine.scripted import Actor, Scene
from tests.several.conftest import EXAMPLES, Goes, stands_zeros

from zincsmith.bench.link import Link
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import claims_of
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.commands import Command, Enter, Pass
from zincsmith.model.errors import LimitError
from zincsmith.model.events import EntryAsked
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Instrument
from zincsmith.model.states import State
from zincsmith.planning.composer import compose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.display_accuracy.options import DisplayOptions
from zincsmith.procedures.inverter_output.options import InverterOptions
from zincsmith.procedures.surge_load.options import SurgeOptions
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.world import World

BATTERY = Line(12.0, 0.0)
UNIT = ("thornwade-tw300", "simulated-inverter")
PART = InverterOptions(lines=(BATTERY, Line(11.0, 0.0)), loads_percent=(0.0, 10.0, 100.0), warm_up_s=0.0, settle_s=2.0,
                       average_s=2.0)  # fmt: skip


def of(run: JudgedRun, name: str) -> dict[float | None, Finding]:
    found = (j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)
    return {f.at.draw.share_percent: f for f in found if f.at.line_V == 12.0} if name != "line_regulation" else {}


def standing(amps: float) -> Inverter:
    """The physics under this current of a resistance, on 12 V."""
    world = World(read_physics(EXAMPLES / "standins" / "thornwade-tw300.toml"), seed=1)
    world.dc_source.voltage_V, world.dc_source.on = 12.0, True
    world.advance(5.0)
    world.load.current_A, world.load.on = amps, amps > 0.0
    world.changed()
    world.advance(5.0)
    assert isinstance(world.unit, Inverter)
    return world.unit


@pytest.mark.parametrize("amps", [0.0, 0.6, 1.3])
def test_the_shape_of_the_stand_in_has_the_distortion_that_it_tells(amps: float) -> None:
    """Distortion and rms by NumPy's spectrum of a period; the crest of what it draws."""
    unit = standing(amps)
    shape = np.asarray(unit.shape()) - unit.offset_V
    orders = np.abs(np.fft.rfft(shape)) / len(shape) * 2.0
    assert np.sqrt(np.sum(orders[2:40] ** 2)) / orders[1] == pytest.approx(unit.thd, rel=1e-9)
    assert np.sqrt(np.mean(shape**2)) == pytest.approx(unit.output_V, rel=1e-9)
    assert float(np.max(np.abs(shape + unit.offset_V))) / unit.output_V == pytest.approx(unit.crest, rel=1e-9)
    assert float(np.max(np.abs(orders[2:40:2]))) < 1e-9, "half a wave is the other turned round: no even orders"


@pytest.mark.long
def test_over_its_load_and_its_input_it_is_what_its_physics_says(goes: Goes) -> None:
    _, closed, run = goes(*UNIT, (PART,))
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("complete", True, ()), closed.why
    stands_zeros(run)
    for percent, amps in ((0.0, 0.0), (10.0, 0.13), (100.0, 1.3)):
        truth = standing(amps)
        for name, value in (("voltage_thd", truth.thd), ("output_crest", truth.crest), ("output_dc", 0.18),
                            ("output_frequency", 50.0 * 1.0003)):  # fmt: skip
            one = of(run, name)[percent]
            assert one.value == pytest.approx(value, abs=3 * (one.u or 0.0)), (name, percent)
        if amps:
            share = of(run, "efficiency")[percent]
            real = truth.output_V * truth.current_A / truth.intake.power_W
            assert share.value == pytest.approx(real, abs=3 * (share.u or 0.0) + 0.002)
    judged = {(j.claim.figure, j.finding.at.draw.share_percent): j.verdict for j in run.judged if j.claim is not None}
    assert judged["voltage_thd", 0.0] is Verdict.HOLDS
    assert judged["efficiency", 100.0] is Verdict.FAILS
    stop, start = (
        next(j.finding for j in run.judged if j.finding.name == n) for n in ("stop_voltage", "start_voltage")
    )
    assert stop.value == pytest.approx(10.4, abs=2 * (stop.u or 0.0))
    assert start.value == pytest.approx(11.6, abs=2 * (start.u or 0.0))
    titles = {c.title for c in procedure("inverter_output").plots(run.evidence)}
    assert "Efficiency over the load" in titles


@pytest.mark.parametrize(("surge_W", "verdict"), [(640.0, None), (500.0, Verdict.FAILS)])
def test_a_surge_is_given_or_not(goes: Goes, tmp_path: Path, surge_W: float, verdict: Verdict | None) -> None:
    """The plate says 600 W for a second; the stand-in has so many before it shuts down."""
    physics = tmp_path / "physics.toml"
    text = (EXAMPLES / "standins" / "thornwade-tw300.toml").read_text()
    physics.write_text(text.replace("surge_W = 640.0", f"surge_W = {surge_W}"))
    _, closed, run = goes(*UNIT, (SurgeOptions(lines=(BATTERY,), repeats=1, rest_s=1.0),), physics=physics)
    assert closed.outcome == "complete", closed.why
    (one,) = [j for j in run.judged if j.finding.name == "surge_power"]
    if verdict is None:
        assert one.finding.value == pytest.approx(600.0, abs=3 * (one.finding.u or 0.0) + 1.0)
        assert one.verdict in (Verdict.HOLDS, Verdict.TOO_CLOSE)
    else:
        assert one.verdict is verdict
        assert "surge_not_held" in {d.code for d in one.finding.doubts}


def test_a_composed_plan_has_what_suits_it_and_every_claim_somebody_who_tests_it() -> None:
    unit, rig = read_unit(EXAMPLES / "units" / f"{UNIT[0]}.toml"), read_rig(EXAMPLES / "rigs" / f"{UNIT[1]}.toml")
    names = [p.procedure for p in compose(unit, rig)[0].parts]
    assert {"bring_up", "inverter_output", "standby"} <= set(names)
    assert not {"static_grid", "dropout", "surge_load", "harmonics"} & set(names)
    assert all(claim.procedure for claim in claims_of(unit.nameplate))
    too_much = replace(unit.nameplate.output, surge_W=None, surge_s=None)
    plain = replace(unit, nameplate=replace(unit.nameplate, outputs=(too_much,)))
    assert SurgeOptions.suits(plain.nameplate) == "its plate states no surge"
    small = replace(rig, instruments=tuple(_weak(i) if i.role == "load" else i for i in rig.instruments))
    with pytest.raises(LimitError, match="the most Osmary L8"):
        rehearse(unit, small, Plan("Surge", (SurgeOptions(lines=(BATTERY,)),)), 23.0)


def _weak(load: Instrument) -> Instrument:
    return replace(load, most={"current_A": 2.0, "power_W": 480.0})


def test_a_remote_panel_is_held_against_the_meter_with_the_least_it_shows_and_how_slow_it_is(
    goes: Goes, tmp_path: Path
) -> None:
    """Watts 4 % high, nothing below 20 W, which 5 % of 300 W is."""
    made = (EXAMPLES / "standins" / f"{UNIT[0]}.toml").read_text("utf-8")
    physics = tmp_path / f"{UNIT[0]}.toml"
    physics.write_text(made + "\n[display]\nwatts_error_percent = 4.0\nleast_W = 20.0\n", "utf-8")
    loads = (0.0, 5.0, 25.0, 100.0)
    part = DisplayOptions(line=BATTERY, loads_percent=loads, display="remote panel", lag=True, settle_s=4.0)
    panels = (Instrument("panel_voltmeter", "by hand"), Instrument("panel_wattmeter", "by hand"))
    actor = Actor()

    def there(scene: Scene) -> None:
        def says(state: State, _calls: int) -> list[Command]:
            if state is State.GATE:
                return [Pass()]
            if state is not State.ASKING:
                return []
            asked = scene.events(EntryAsked)[-1].event.quantity
            if asked.startswith("timed"):
                return [Enter("2.5")]
            place, query = {"panel_power": ("panel_wattmeter", "MEAS:POW?"),
                            "panel_voltage": ("panel_voltmeter", "MEAS:VOLT?")}[asked]  # fmt: skip
            shown = Link(place, scene.addresses[place])
            shown.open()
            try:
                return [Enter(f"{float(shown.query(query)):.1f}")]
            finally:
                shown.close()

        actor.says = says

    _, closed, run = goes(*UNIT, (part,), actor, physics=physics, before=there,
                          change=lambda rig: replace(rig, instruments=(*rig.instruments, *panels)))  # fmt: skip
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged}
    truth = {p: standing(p / 100.0 * 1.3) for p in loads}
    watts = {p: one.output_V * one.current_A for p, one in truth.items()}
    assert watts[5.0] < 20.0 < watts[25.0]
    error = found["display_power_error"]
    assert error.title == "Display, watts, remote panel"
    assert abs(error.number) == pytest.approx(max(0.04 * watts[100.0], watts[5.0]), abs=0.3), "what is not shown is off"
    assert found["display_least_shown"].number == pytest.approx(watts[25.0], rel=5e-3)
    assert found["display_lag"].value == 2.5
    assert {d.code for d in found["display_lag"].doubts} >= {"display_slow"}


@pytest.mark.parametrize(("ohms", "floats"), [("0.3", False), ("-", True)])
def test_one_that_looks_for_a_load_in_bursts_is_averaged_over_them_and_a_bond_is_told(
    goes: Goes, tmp_path: Path, ohms: str, floats: bool
) -> None:
    """On for 0.3 s every 2.37 s: the watts at rest are those of the bursts in their share."""
    made = (EXAMPLES / "standins" / f"{UNIT[0]}.toml").read_text("utf-8")
    physics = tmp_path / f"{UNIT[0]}.toml"
    more = "[alternating]\nsearch_below_W = 5.0\nsearch_s = 0.3\nsearch_period_s = 2.37\nsearch_rest_W = 0.8"
    physics.write_text(made.replace("[alternating]", more), "utf-8")
    part = replace(PART, lines=(BATTERY,), battery=False)
    meter = Instrument("multimeter", "by hand", kind="hand-held")
    actor = Actor(entries=[ohms])
    _, closed, run = goes(*UNIT, (part,), actor, physics=physics,
                          change=lambda rig: replace(rig, instruments=(*rig.instruments, meter)))  # fmt: skip
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged}
    assert found["search_period"].number == pytest.approx(2.37, abs=0.25)
    running = standing(0.0).intake.power_W
    assert found["search_power"].number == pytest.approx((0.3 * running + 2.07 * 0.8) / 2.37, rel=0.15)
    assert ("output_floats" in {d.code for d in found["neutral_earth"].doubts}) is floats
    assert found["output_voltage_min"].number > 200.0, "what it is between bursts is no output voltage"
