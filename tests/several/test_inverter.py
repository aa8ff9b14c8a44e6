"""An inverter over sockets, against the closed forms of its physics and a spectrum that NumPy takes of its shape; and
with a person at a bank of resistors."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.several.conftest import EXAMPLES, Goes, stands_zeros

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import claims_of
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.errors import LimitError
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Instrument
from zincsmith.planning.composer import compose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.catalogue import procedure
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
