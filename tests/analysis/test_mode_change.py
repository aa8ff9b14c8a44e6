"""Ports that change their mode: records drawn here, from straight lines and exponentials of known times."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from zincsmith.analysis.mode_change import beside, emptied, mode_change, restart

STEP_S = 10e-6
Array = NDArray[np.float64]


def ramped(t: Array, begin_s: float, before: float, after: float, slope: float) -> Array:
    way = after - before
    return before + way * np.clip((t - begin_s) * slope / abs(way), 0.0, 1.0)


def noisy(volts: Array, seed: int, size: float = 0.03) -> Array:
    return np.round((volts + size * np.random.default_rng(seed).standard_normal(len(volts))) / 0.11) * 0.11


@given(
    st.sampled_from([(5.0, 9.0), (9.0, 15.0), (15.0, 20.0), (20.0, 5.0), (5.0, 20.0)]),
    st.floats(300.0, 20e3), st.integers(0, 999),
)  # fmt: skip
def test_a_straight_way_takes_as_long_as_its_slope_says(way: tuple[float, float], slope: float, seed: int) -> None:
    """Closed form: from leaving to the near limit of 5 % it goes |way| less 5 % at its slope."""
    before, after = way
    t = np.arange(40_000) * STEP_S
    limits = (0.95 * after, 1.05 * after)
    one = mode_change(noisy(ramped(t, 0.05, before, after, slope), seed), STEP_S, limits)
    near = limits[0] if after > before else limits[1]
    assert one.time_s == pytest.approx(abs(near - before) / slope, abs=0.6e-3)
    assert one.level_V == pytest.approx(after, abs=0.06)
    if slope < 5e3:  # a way that is over within a few times 0.2 ms has its slope flattened by it
        assert one.slew == pytest.approx(slope, rel=0.25)
    assert one.past_V < 0.1


def test_it_goes_past_its_volts_and_comes_back() -> None:
    """A ring of 1 V at 900 Hz: with its first crest, less what the mean of 0.2 ms takes of it."""
    t = np.arange(40_000) * STEP_S
    late = np.maximum(t - 0.06, 0.0)
    ring = np.exp(-0.3 * 2 * math.pi * 900.0 * late) * np.sin(2 * math.pi * 900.0 * late)
    volts = ramped(t, 0.05, 5.0, 15.0, 1000.0) + np.where(t > 0.06, ring, 0.0)
    angle = math.atan(1.0 / 0.3)  # where exp(-0.3 x) sin x has its first crest
    crest = math.exp(-0.3 * angle) * math.sin(angle)
    assert mode_change(volts, STEP_S, (14.25, 15.75)).past_V == pytest.approx(crest, rel=0.08)


@given(st.floats(0.01, 0.3), st.integers(0, 999))
def test_it_empties_as_its_resistor_lets_it(tau_s: float, seed: int) -> None:
    """Closed form: 20 V are below 0.8 V after tau ln(25)."""
    t = np.arange(200_000) * STEP_S
    volts = noisy(np.where(t < 0.1, 20.0, 20.0 * np.exp(-(t - 0.1) / tau_s)), seed)
    assert emptied(volts, STEP_S, 0.8).time_s == pytest.approx(tau_s * math.log(25.0), rel=0.06, abs=2e-3)


def test_it_starts_anew_or_does_not() -> None:
    t = np.arange(250_000) * STEP_S
    gone = np.where(t < 0.3, 20.0, 20.0 * np.exp(-(t - 0.3) / 0.05))
    volts = np.where(t < 1.1, gone, ramped(t, 1.1, 0.0, 5.0, 500.0))
    one = restart(volts, STEP_S, 0.8, (4.75, 5.5))
    assert one.gone_s == pytest.approx(0.3 + 0.05 * math.log(25.0), abs=1e-3)
    assert one.time_s == pytest.approx(0.8 + 4.75 / 500.0, abs=2e-3)
    assert restart(gone, STEP_S, 0.8, (4.75, 5.5)).time_s is None  # it stays away
    assert restart(np.full(1000, 5.0), STEP_S, 0.8, (4.75, 5.5)).gone_s is None  # it never goes


def test_one_beside_is_out_of_its_volts_or_stays() -> None:
    t = np.arange(200_000) * STEP_S
    volts = np.where((t > 0.2) & (t < 0.8), 5.0, 20.0)
    one = beside(volts, STEP_S, (19.0, 21.0))
    assert one.out_s == pytest.approx(0.6, abs=0.5e-3)
    assert one.lowest_V == pytest.approx(5.0)
    assert beside(np.full(1000, 20.0), STEP_S, (19.0, 21.0)).out_s == 0.0
    assert beside(np.where(t > 0.2, 5.0, 20.0), STEP_S, (19.0, 21.0)).out_s is None
