"""What the stand-in bench adds, against closed forms: none of it comes from the program that is to find it."""

from __future__ import annotations

import math

import pytest
from tests.conftest import ROOT

from zincsmith.simbench.imperfect import STEPS, Imperfections, drawn, reactive_W
from zincsmith.simbench.instruments import METERS
from zincsmith.simbench.meter import Meter
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

PHYSICS = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"


def fed(imperfect: Imperfections, seed: int = 1) -> World:
    world = World(Adapter.read(PHYSICS), seed, imperfect=imperfect)
    world.source.voltage_V, world.source.on = 230.0, True
    world.changed()
    world.advance(5.0)
    world.load.current_A, world.load.on = 2.5, True
    world.changed()
    world.advance(5.0)
    return world


@pytest.mark.parametrize("degrees", [0.0, 30.0, 60.0, 90.0])
def test_the_lagging_part_of_a_sine_is_known(degrees: float) -> None:
    """V I sin(phi) of a sine: closed form."""
    n, phi = 400, math.radians(degrees)
    half = [math.sqrt(2.0) * 0.5 * math.sin(math.pi * (k + 0.5) / n - phi) for k in range(n)]
    assert reactive_W(230.0, half) == pytest.approx(230.0 * 0.5 * math.sin(phi), abs=1e-6)


def test_the_watts_at_the_meter_are_those_of_unit_leads_shunt_and_phase() -> None:
    plain, full = fed(Imperfections()), fed(Imperfections(0.055, 0.010))
    amps = full.unit.intake.current_A
    assert full.true_value("input_power") - full.unit.intake.power_W == pytest.approx(0.065 * amps**2)
    assert plain.true_value("input_power") == plain.unit.intake.power_W
    turned = fed(Imperfections(phase_rad=1e-3))
    lagging = reactive_W(230.0, turned.unit.input_half_cycle(230.0, 50.0))
    assert turned.true_value("input_power") - turned.unit.intake.power_W == pytest.approx(1e-3 * lagging)
    assert abs(lagging) < 230.0 * amps, "no more than the apparent power"


def test_a_load_is_set_a_little_off_and_a_display_shows_whole_steps() -> None:
    world = fed(Imperfections(load_set=1e-3, apart=True))
    assert world.unit.current_A == pytest.approx(2.5025)
    function = METERS["power_meter"][2]
    meter = Meter("power_meter", function, world)
    meter.set_range(70.0)
    shown = meter.read()
    assert shown / (meter.range / STEPS) == pytest.approx(round(shown / (meter.range / STEPS)), abs=1e-6)
    limit = function.reading_percent / 100.0 * shown + function.range_percent / 100.0 * meter.range
    assert abs(shown - world.true_value("input_power")) <= limit + 5.0 * function.noise_percent / 100.0 * meter.range


def test_benches_differ_by_their_seed_and_stay_within_what_the_rig_states() -> None:
    made = [drawn(seed, 0.0552) for seed in range(50)]
    assert len({m.phase_rad for m in made}) == 50
    assert all(abs(math.degrees(m.phase_rad)) <= 0.02 for m in made)
    assert all(0.9 * 0.0552 <= m.input_lead_ohm <= 1.1 * 0.0552 for m in made)
    assert drawn(7, 0.0552) == drawn(7, 0.0552)
