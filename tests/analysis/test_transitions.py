"""Load steps, turn-on, hold-up and collapse against closed forms, and what must not change what is found."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zincsmith.analysis.inrush import inrush_of
from zincsmith.analysis.levels import level_at_end, noise_of, state_levels
from zincsmith.analysis.load_step import edges_of, ringing_of
from zincsmith.analysis.turn_on_off import collapse, departure_from_rest, hold_up, phase_at, turn_on

STEP_S = 1e-6
BEFORE = 2000


def second_order(zeta: float, omega: float, samples: int = 32_000) -> tuple[Any, Any]:
    """(times, answer) of a second-order system to a unit step at zero: the closed form."""
    t = np.arange(-BEFORE, samples - BEFORE) * STEP_S
    damped = omega * math.sqrt(1.0 - zeta**2)
    late = np.maximum(t, 0.0)
    wave = np.cos(damped * late) + zeta * omega / damped * np.sin(damped * late)
    return t, np.where(t >= 0.0, 1.0 - np.exp(-zeta * omega * late) * wave, 0.0)


# Ogata, Modern Control Engineering: overshoot in percent, last entry into 2 %, rise 10 to 90 %; value from memory.
SECOND_ORDER = [(0.2, 52.66, 19.60, 1.203), (0.5, 16.30, 8.076, 1.638), (0.7, 4.60, 5.979, 2.126)]


@pytest.mark.parametrize(("zeta", "overshoot", "settles", "rise"), SECOND_ORDER)
def test_second_order_steps(zeta: float, overshoot: float, settles: float, rise: float) -> None:
    omega = 2000.0
    t, answer = second_order(zeta, omega)
    source = np.where(t >= 0.0, 10.0, 0.0)
    one = turn_on(5.0 * answer, STEP_S, 4.5, source)
    assert one.overshoot is not None
    assert 100.0 * one.overshoot == pytest.approx(overshoot, abs=0.006)
    assert one.rise_s is not None
    assert one.rise_s * omega == pytest.approx(rise, rel=1e-3)
    (edge,) = edges_of(5.0 * answer, STEP_S, source, 5.0, 0.1)
    assert edge.recovery_s is not None
    assert edge.recovery_s * omega == pytest.approx(settles, rel=1e-3)
    assert edge.over_V == pytest.approx(5.0 * overshoot / 100.0, abs=5e-4)
    ring = ringing_of(5.0 * answer[BEFORE:], STEP_S, 5.0)
    assert ring is not None
    assert ring.damping == pytest.approx(zeta, rel=0.06)  # its first arc begins at the step, not at a turning point
    assert ring.frequency_Hz == pytest.approx(omega * math.sqrt(1.0 - zeta**2) / 2.0 / math.pi, rel=0.1)


def test_a_single_pole_rises_in_2197_time_constants() -> None:
    # IEEE 181-2011 has the 10 to 90 % transition; of a single pole ln 9, closed form
    t = np.arange(-1000, 40_000) * STEP_S
    one = turn_on(np.where(t > 0.0, 12.0 * -np.expm1(-np.maximum(t, 0.0) / 2e-3), 0.0), STEP_S, 10.8)
    assert one.rise_s == pytest.approx(math.log(9.0) * 2e-3, rel=1e-4)
    assert (one.monotonic, one.delay_s, one.overshoot) == (True, None, pytest.approx(0.0, abs=1e-6))


def test_a_load_step_on_an_ideal_filter_dips_by_current_times_characteristic_impedance() -> None:
    # closed form: dI sqrt(L / C), 10 A, 2.2 uH, 220 uF: 1.000 V
    inductance, capacitance, step_A = 2.2e-6, 220e-6, 10.0
    t = np.arange(-4000, 9000) * 1e-8
    omega = 1.0 / math.sqrt(inductance * capacitance)
    impedance = math.sqrt(inductance / capacitance)
    swing = step_A * impedance * np.exp(-np.maximum(t, 0.0) / 3e-3) * np.sin(omega * np.maximum(t, 0.0))
    edges = edges_of(12.0 - swing, 1e-8, np.where(t > 0.0, 10.0, 0.0), 12.0, 2.0)
    assert 12.0 - edges[0].after_V + edges[0].under_V == pytest.approx(1.000, abs=0.012)
    assert edges[0].recovery_s == 0.0, "a band that is never left"


def steps(noise_V: float = 0.0, seed: int = 0) -> tuple[Any, Any]:
    t = np.arange(-3000, 27_000) * STEP_S
    late, later = np.maximum(t, 0.0), np.maximum(t - 12e-3, 0.0)
    volts = 12.0 - 0.5 * (t > 0) * np.exp(-late / 3e-4) + 0.4 * (t > 12e-3) * np.exp(-later / 4e-4)
    amps = np.where((t > 0) & (t <= 12e-3), 5.0, 0.5)
    return volts + noise_V * np.random.default_rng(seed).standard_normal(len(t)), amps


@pytest.mark.parametrize("with_amps", [True, False])
def test_both_edges_are_found_with_a_current_and_without(with_amps: bool) -> None:
    volts, amps = steps(0.002)
    edges = edges_of(volts, STEP_S, amps if with_amps else None, 12.0, 0.12)
    assert [e.time_s for e in edges] == pytest.approx([3e-3, 15e-3], abs=5e-6)
    assert [e.rises for e in edges] == ([True, False] if with_amps else [None, None])
    assert edges[0].under_V == pytest.approx(0.5, abs=0.01)
    assert edges[1].over_V == pytest.approx(0.4, abs=0.01)
    assert edges[0].recovery_s == pytest.approx(3e-4 * math.log(0.5 / 0.12), abs=3e-5)
    assert edges[1].recovery_s == pytest.approx(4e-4 * math.log(0.4 / 0.12), abs=3e-5)


def test_what_does_not_stay_in_the_band_has_not_recovered() -> None:
    volts, amps = steps()
    short = edges_of(volts[:3100], STEP_S, amps[:3100], 12.0, 0.12)
    assert [e.recovery_s for e in short] == [None]
    about_final = edges_of(volts + 0.2, STEP_S, amps, 12.0, 0.12, "final")
    assert all(e.recovery_s is not None for e in about_final)
    assert all(e.recovery_s is None for e in edges_of(volts + 0.2, STEP_S, amps, 12.0, 0.12))


@settings(max_examples=25, deadline=None)
@given(st.floats(0.1, 40.0), st.integers(0, 500), st.integers(1, 3))
def test_scale_shift_and_sampling_change_nothing_else(scale: float, shift: int, every: int) -> None:
    volts, amps = steps()
    told = edges_of(volts, STEP_S, amps, 12.0, 0.12)
    other = edges_of(scale * volts[shift::every], every * STEP_S, amps[shift::every], 12.0 * scale, 0.12 * scale)
    assert len(other) == len(told)
    for a, b in zip(told, other, strict=True):
        assert b.time_s == pytest.approx(a.time_s - shift * STEP_S, abs=1.1 * every * STEP_S)
        assert b.under_V == pytest.approx(scale * a.under_V, rel=0.01, abs=1e-3 * scale)
        assert b.recovery_s == pytest.approx(a.recovery_s, abs=1.1 * every * STEP_S)


# Hold-up


def removed(hertz: float, phase_deg: float, after: str, noise_V: float, seed: int = 3) -> tuple[Any, Any, float]:
    """(input, output, s of the removal): the mains with a third order, opened at a phase, and 30 ms of hold-up that
    fall on at 600 V/s. ``after``: what the terminals do then."""
    t = np.arange(12_000) * 1e-5

    def mains(at: Any) -> Any:
        return 325.0 * np.sin(2.0 * np.pi * hertz * at) + 6.0 * np.sin(6.0 * np.pi * hertz * at)

    at = 0.0401 + (phase_deg / 360.0 - (0.0401 * hertz) % 1.0) % 1.0 / hertz
    late = np.maximum(t - at, 0.0)
    left = {"nothing": 0.0 * t, "kept": mains(at) + 0.0 * t, "bled": mains(at) * np.exp(-late / 2e-3)}[after]
    source = np.where(t < at, mains(t), left)
    if noise_V:  # and the steps of an 8-bit converter
        source = 3.0 * np.round((source + noise_V * np.random.default_rng(seed).standard_normal(len(t))) / 3.0)
    return source, np.maximum(0.0, 12.0 - 600.0 * np.maximum(0.0, late - 0.03)), at


@pytest.mark.parametrize("after", ["nothing", "kept", "bled"])
@pytest.mark.parametrize(("hertz", "phase_deg"), [(50.0, 0.0), (50.0, 90.0), (60.0, 120.0), (60.0, 270.0)])
def test_hold_up_begins_where_the_input_leaves_its_continued_sine(hertz: float, phase_deg: float, after: str) -> None:
    for noise_V, within_s in ((0.0, 25e-6), (1.5, 250e-6)):
        source, volts, at = removed(hertz, phase_deg, after, noise_V)
        one = hold_up(volts, source, 1e-5, 10.8)
        assert one.removed_s == pytest.approx(at, abs=within_s)
        assert one.time_s == pytest.approx(0.032, abs=within_s + 1e-6)
        assert one.phase_deg is not None
        assert abs((one.phase_deg - phase_deg + 180.0) % 360.0 - 180.0) < 6.0
        assert 0.0 < one.removed_u_s < 500e-6


def test_direct_current_may_be_taken_away_too() -> None:
    t = np.arange(20_000) * 1e-6
    source = np.where(t < 5e-3, 24.0, 24.0 * np.exp(-np.maximum(t - 5e-3, 0.0) / 1e-3))
    source = source + 0.01 * np.random.default_rng(1).standard_normal(len(t))
    one = hold_up(np.where(t < 12e-3, 5.0, 0.0), source, 1e-6, 4.5)
    assert one.time_s == pytest.approx(7e-3, abs=30e-6)
    assert one.phase_deg is None
    assert hold_up(np.full(len(t), 5.0), np.full(len(t), 24.0), 1e-6, 4.5).time_s is None


def test_a_threshold_counts_once_it_stays_crossed() -> None:
    t = np.arange(40_000) * 1e-6
    source = np.where(t < 5e-3, 24.0, 0.0)
    volts = np.where(t < 20e-3, 5.0, 0.0)
    volts[10_000:10_005] = 4.0  # 5 us: not for good
    assert hold_up(volts, source, 1e-6, 4.5).time_s == pytest.approx(15e-3, abs=2e-6)
    volts[10_000:10_015] = 4.0
    assert hold_up(volts, source, 1e-6, 4.5).time_s == pytest.approx(5e-3, abs=2e-6)


# Turn-on


@pytest.mark.parametrize("phase", [0.0, 0.7, 1.57, 3.5])
def test_turn_on_starts_at_any_phase_of_the_input(phase: float) -> None:
    t = np.arange(-0.03, 0.15, 1e-5)
    rng = np.random.default_rng(2)
    source = np.where(t >= 0.0, 325.0 * np.sin(100.0 * np.pi * t + phase), 0.0) + 0.5 * rng.standard_normal(len(t))
    volts = np.where(t > 0.05, 12.0 * -np.expm1(-np.maximum(t - 0.05, 0.0) / 3e-3), 0.0)
    one = turn_on(volts, 1e-5, 10.8, source)
    assert one.start_s == pytest.approx(0.03, abs=60e-6)
    assert one.delay_s == pytest.approx(0.05 + 3e-3 * math.log(10.0), abs=80e-6)
    known = turn_on(volts, 1e-5, 10.8, start_s=0.03)
    assert known.delay_s == pytest.approx(0.05 + 3e-3 * math.log(10.0), abs=2e-6)


def test_glitches_and_falling_back_are_told() -> None:
    t = np.arange(-1e-3, 20e-3, 1e-6)
    volts = 12.0 * np.clip(t / 8e-3, 0.0, 1.0)
    volts[1000:1100] = -1.2  # trade notes: -1.2 V for a moment at switch-on
    one = turn_on(volts, 1e-6, 10.8)
    assert (one.minimum_V, one.glitch_s) == (-1.2, pytest.approx(100e-6, abs=2e-6))
    assert one.monotonic is True
    volts[5000:6000] -= np.linspace(0.0, 2.0, 1000)
    assert turn_on(volts, 1e-6, 10.8).monotonic is False
    assert departure_from_rest(np.full(100, 3.0)) is None


# Collapse


def test_a_capacitor_shorted_collapses_in_ln_10_time_constants() -> None:
    # closed form: RC collapse to 10 %: 2.3026 RC
    t = np.arange(-1000, 9000) * 1e-7
    volts = np.where(t < 0.0, 5.0, 5.0 * np.exp(-np.maximum(t, 0.0) / 1e-4))
    one = collapse(volts, 1e-7, 5.0, 0.5, np.where(t < 0.0, 1.0, 20.0))
    assert one.time_s == pytest.approx(2.302585e-4, abs=2e-7)
    without = collapse(volts, 1e-7, 5.0, 0.5, None)
    assert without.time_s == pytest.approx((math.log(10.0) - math.log(1.0 / 0.9)) * 1e-4, abs=2e-7)


def test_a_ring_crosses_earlier_and_a_hiccup_comes_back_later() -> None:
    t = np.arange(-1000, 30_000) * 1e-7
    late = np.maximum(t, 0.0)
    volts = np.where(t < 0.0, 5.0, 5.0 * np.exp(-late / 2e-4) * np.cos(2.0 * np.pi * 2e4 * late))
    one = collapse(np.abs(volts), 1e-7, 5.0, 0.5, np.where(t < 0.0, 1.0, 20.0))
    assert one.time_s is not None
    assert 3.5e-4 < one.time_s < 4.7e-4, "not the first zero of the ring at 12.5 us"
    volts = np.where(t < 0.0, 5.0, 0.0)
    volts[20_000:22_000] = 5.0  # a restart 1.9 ms later
    assert collapse(volts, 1e-7, 5.0, 0.5, None).time_s == pytest.approx(0.0, abs=2e-7)


# Inrush


def test_inrush_into_a_capacitor_heats_as_the_closed_form_says() -> None:
    # closed form: 325.27 V, 10 ohm, 100 uF: 32.53 A, I2t 0.5290 A2s to infinity, 0.5237 to a tenth of the peak
    t = np.arange(-2000, 30_000) * 1e-6
    amps = np.where(t >= 0.0, -32.527 * np.exp(-np.maximum(t, 0.0) / 1e-3), 0.0)
    one = inrush_of(amps, 1e-6)
    assert one is not None
    assert (one.peak_A, one.squares_A2s) == (pytest.approx(32.53, abs=0.01), pytest.approx(0.5237, rel=1e-3))
    assert one.time_s == pytest.approx(math.log(10.0) * 1e-3, rel=2e-3)
    assert (one.begin_s, one.spike_A) == (pytest.approx(2e-3, abs=2e-6), None)
    amps[1500:1520] = 50.0  # what X capacitors take, and a pulse that charges on in the next half cycle
    amps[12_000:13_000] = 8.0
    other = inrush_of(amps, 1e-6)
    assert other is not None
    assert (other.peak_A, other.spike_A) == (pytest.approx(32.53, abs=0.01), 50.0)
    assert other.squares_A2s == pytest.approx(0.5237, rel=0.03)
    assert inrush_of(0.01 * np.random.default_rng(1).standard_normal(5000), 1e-6) is None


@pytest.mark.parametrize("phase_deg", [0.0, 40.0, 90.0, 200.0])
def test_the_phase_of_the_mains_is_told_by_what_follows(phase_deg: float) -> None:
    t = np.arange(-5000, 35_000) * 1e-6
    wave = 325.0 * np.sin(100.0 * np.pi * t + math.radians(phase_deg)) * (t >= 0.0)
    wave = wave + 2.0 * np.random.default_rng(1).standard_normal(len(t))
    found = phase_at(wave, 1e-6, 50.0, 5e-3)
    assert found is not None
    assert abs((found - phase_deg + 180.0) % 360.0 - 180.0) < 0.5


# Levels


def test_levels_are_the_modes_of_the_histogram() -> None:
    rng = np.random.default_rng(5)
    values = np.concatenate([np.full(7000, 1.0), np.linspace(1.0, 9.0, 400), np.full(3000, 9.0)])
    low, high = state_levels(values + 0.01 * rng.standard_normal(len(values)))
    assert (low, high) == (pytest.approx(1.0, abs=0.02), pytest.approx(9.0, abs=0.02))
    assert noise_of(np.linspace(0.0, 5.0, 5000) + 0.01 * rng.standard_normal(5000)) == pytest.approx(0.01, rel=0.06)
    assert level_at_end(np.arange(10.0)) == 8.5
