"""The stand-in's waveforms against ngspice (general-purpose circuit simulator) and closed forms."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from tests.reference.test_circuits import spice

from zincsmith.simbench import scope
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import Event, World

STANDINS = Path(__file__).parents[2] / "examples" / "standins"


@pytest.fixture
def world() -> World:
    one = World(Adapter.read(STANDINS / "tarnbrook-tb2425.toml"), seed=1)
    one.source.voltage_V, one.source.frequency_Hz, one.source.on = 230.0, 50.0, True
    one.changed()
    one.advance(5.0)
    one.load.current_A, one.load.on = 2.5, True
    one.changed()
    one.advance(1.0)
    return one


def an_event(world: World, **changes: object) -> Event:
    assert world.last_event is not None
    return replace(world.last_event, **changes)  # type: ignore[arg-type]


def test_inrush_is_that_of_the_circuit(world: World, tmp_path: Path) -> None:
    """Switched at the crest into an empty bulk capacitor, ngspice measures the peak and the charge."""
    unit = world.unit
    event = an_event(
        world, kind="input", input_before_V=0.0, input_after_V=230.0, phase=math.pi / 2.0, cold=True, amps_before=0.0
    )
    ohm = unit.inrush.cold_ohm + unit.inrush.source_ohm + unit.mains.series_ohm
    deck = f"""crest of the mains into a rectifier and an empty capacitor
V1 a 0 SIN(0 {math.sqrt(2.0) * 230.0} 50 0 0 90)
R1 a b {ohm}
D1 b p D
C1 p 0 {unit.mains.bulk_F} IC=0
R2 p 0 100MEG
.model D D(IS=1e-9 N=1.35 RS=1m)
.options reltol=1e-4
.tran 1u 5m 0 1u UIC
.control
run
let current = -i(V1)
meas tran peak MAX current from=0 to=5m
meas tran charge INTEG current from=0 to=4m
let i2 = current*current
meas tran joules INTEG i2 from=0 to=4m
quit
.endc
.end
"""
    found = spice(deck, tmp_path)
    t = np.arange(-1000, 5000) * 1e-6
    amps = np.abs(scope.input_amps(world, t, event))
    assert amps.max() == pytest.approx(found["peak"], rel=0.01)
    assert np.sum(amps[1000:]) * 1e-6 == pytest.approx(found["charge"], rel=0.02)
    assert np.sum(amps[1000:] ** 2) * 1e-6 == pytest.approx(found["joules"], rel=0.02)


def test_ripple_is_that_of_a_current_through_resistance_and_capacitor(world: World, tmp_path: Path) -> None:
    """A triangular current into ESR and C: ngspice measures the swing; spikes and pick-up are left out of it."""
    unit, r = world.unit, world.unit.ripple
    quiet = replace(r, spike_V=0.0, noise_V=0.0, esr_ohm=0.004)
    unit.ripple = quiet
    unit.output = replace(unit.output, capacitor_F=40e-6)
    half = 0.5 / r.switching_Hz
    share = 0.3 + 0.7 * min(1.0, unit.current_A / unit.output.limit_A)
    swing = 0.5 * share * r.current_A
    deck = f"""triangular current into a real capacitor
I1 0 o PULSE({-swing} {swing} 0 {half} {half} 1n {2.0 * half})
R1 o c {quiet.esr_ohm}
C1 c 0 {unit.output.capacitor_F} IC=0
R2 o 0 1MEG
.tran 20n {60.0 * half} 0 20n UIC
.control
run
meas tran high MAX v(o) from={40.0 * half} to={60.0 * half}
meas tran low MIN v(o) from={40.0 * half} to={60.0 * half}
quit
.endc
.end
"""
    found = spice(deck, tmp_path)
    t = np.arange(40_000) * 4e-9
    drawn = scope._looked_up(scope._period(world, "SPR"), t, r.switching_Hz, 0.0)
    assert np.ptp(drawn) == pytest.approx(found["high"] - found["low"], rel=0.02)


def test_the_answer_to_a_ramp_is_the_mean_of_those_to_steps(world: World) -> None:
    """Closed form of one step, added up numerically over the time that the load takes."""
    event = an_event(world, kind="load", amps_before=0.5, amps_after=2.5)
    world.load_slew_A_per_s = 0.04e6  # so slow that it shows
    took = scope.slew_s(world, event)
    assert took == pytest.approx(50e-6)
    t = np.arange(-20, 400) * 1e-6
    begins = (np.arange(2000) + 0.5) / 2000.0 * took
    summed = [np.mean([scope.dip(world, x - b, 2.0) for b in begins]) for x in t]
    assert scope._answer(world, t, event) == pytest.approx(summed, abs=2e-4)
    current = scope.output_amps(world, t, event)
    assert (current[0], current[-1]) == (0.5, 2.5)
    world.load_slew_A_per_s, world.lead_H = 1e9, 30e-6  # now the leads allow no more: L di / dt
    assert scope.slew_s(world, event) == pytest.approx(30e-6 * 2.0 / 12.0)


def test_hold_up_is_the_energy_that_was_left(world: World) -> None:
    """C (V1^2 - V2^2) / 2 P: longest when it goes at the crest, shortest just before the next one."""
    unit = world.unit
    held = [
        scope.hold_up_s(world, an_event(world, kind="input", input_before_V=115.0, input_after_V=0.0, input_Hz=60.0,
                                        phase=phase, output_before_V=24.0, amps_before=2.5))
        for phase in np.linspace(math.pi / 2.0, 1.5 * math.pi - 0.9, 40)
    ]  # fmt: skip
    watts = 60.0 + unit.loss_W(115.0, 2.5, unit.core_degC)
    lowest = math.sqrt(2.0) * unit.start.stop_V
    most = unit.mains.bulk_F * (2.0 * 115.0**2 - lowest**2) / (2.0 * watts)
    assert held[0] == pytest.approx(most, rel=1e-3)
    assert all(a >= b - 1e-9 for a, b in pairwise(held)), "the later, the less is left"
    assert held[0] - held[-1] == pytest.approx((math.pi - 0.9) / (2.0 * math.pi * 60.0), rel=0.02)


def test_grounds_and_a_limit_do_what_they_should(world: World) -> None:
    t = np.arange(200_000) * 1e-9
    spans = {ground: np.ptp(scope.output_volts(world, t, None, ground)) for ground in ("COAX", "SPR", "LONG")}
    assert spans["COAX"] < spans["SPR"] < 0.6 * spans["LONG"]
    dice = np.random.default_rng(1)
    values = scope.output_volts(world, t, None, "LONG")
    full = scope.codes_of(values, 1.0, 24.0, 1e9, 200e6, dice)
    limited = scope.codes_of(values, 1.0, 24.0, 1e9, 20e6, dice)
    assert np.ptp(limited) < 0.7 * np.ptp(full)
    # First order: a step is at 1 - 1/e after one time constant (closed form).
    step = np.where(np.arange(4000) < 1000, 0.0, 1.0)
    answer = scope._limited(step, 1e9, 20e6)
    tau = 1.0 / (2.0 * math.pi * 20e6)
    at = 1000 + round(tau * 1e9)
    assert answer[at] == pytest.approx(1.0 - math.exp(-(at - 999) * 1e-9 / tau), abs=1e-3)
    clipped = scope.codes_of(values, 0.02, 24.0, 1e9, 200e6, dice)
    assert (clipped.min(), clipped.max()) == (-128, 127)
