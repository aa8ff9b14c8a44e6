"""Final temperatures and lowest inputs, against closed forms and a general-purpose library."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import curve_fit

from zincsmith.analysis.dropout import lowest_inputs
from zincsmith.analysis.heating import by_three, reaches_s, warming_of
from zincsmith.analysis.leads import adiabatic_degC


@given(st.floats(30.0, 120.0), st.floats(5.0, 60.0), st.floats(60.0, 6000.0), st.floats(0.3, 2.0))
def test_three_readings_tell_an_exponential(final: float, rise: float, tau: float, apart: float) -> None:
    """Closed form: of an exponential the formula is exact."""
    t = np.array([0.0, apart, 2.0 * apart]) * tau
    first, second, third = (final - rise * np.exp(-t / tau)).tolist()
    found = by_three(first, second, third)
    assert found == pytest.approx(final, rel=1e-6)
    assert by_three(1.0, 2.0, 3.0) is None


@pytest.mark.parametrize("seed", range(8))
def test_a_final_value_is_told_before_it_is_reached(seed: int) -> None:
    """The value and its U against the truth, the fit against SciPy's own from the same readings."""
    dice = np.random.default_rng(seed)
    final, tau = dice.uniform(50.0, 90.0), dice.uniform(600.0, 2400.0)
    t = np.arange(0.0, 2.0 * tau, 20.0)
    seen = final - (final - 23.0) * np.exp(-t / tau) + 0.1 * dice.standard_normal(len(t))
    found = warming_of(t, seen)
    assert found.final_degC is not None
    assert found.final_u is not None
    assert abs(found.final_degC - final) <= 2.5 * found.final_u
    assert found.tau_s == pytest.approx(tau, rel=0.15)
    inside = t >= 0.4 * t[-1]
    known, _ = curve_fit(lambda x, f, s, q: f - (f - s) * np.exp(-x / q), t[inside] - t[inside][0], seen[inside],
                         p0=(final, 40.0, tau))  # fmt: skip
    assert found.final_degC == pytest.approx(float(known[0]), abs=0.05)
    limit = final - 5.0
    expected = tau * math.log((final - 23.0) / 5.0)
    assert reaches_s(found, t, seen, limit) == pytest.approx(expected, rel=0.1)
    assert reaches_s(found, t, seen, final + 20.0) is None


def test_what_warms_in_two_stages_is_no_surer_than_it_is() -> None:
    """A part of 90 s on a case of 40 min: what the fit misses lies inside its own U."""
    t = np.arange(0.0, 4800.0, 10.0)
    seen = 23.0 + 15.0 * -np.expm1(-t / 90.0) + 30.0 * -np.expm1(-t / 2400.0)
    seen = seen + 0.05 * np.random.default_rng(1).standard_normal(len(t))
    found = warming_of(t, seen)
    assert found.final_degC is not None
    assert found.final_u is not None
    assert abs(found.final_degC - 68.0) <= 2.0 * found.final_u
    assert not found.steady


@pytest.mark.parametrize(("drift_K_h", "steady"), [(0.5, True), (6.0, False)])
def test_steady_is_a_kelvin_in_half_an_hour(drift_K_h: float, steady: bool) -> None:
    t = np.arange(0.0, 3600.0, 30.0)
    seen = 60.0 + drift_K_h * t / 3600.0 + 0.02 * np.random.default_rng(2).standard_normal(len(t))
    assert warming_of(t, seen).steady is steady
    assert warming_of(t[:20], seen[:20]).drift_K is None, "ten minutes tell nothing of half an hour"
    with pytest.raises(ValueError, match="at least"):
        warming_of(t[:4], seen[:4])


def sweeps(edges: dict[float, tuple[float, float]], hunts: bool = False) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """By load (falling edge, rising edge): down and up again in steps of 0.1 V, 12 V while it holds."""
    rows = []
    for amps, (down, up) in edges.items():
        for volts in np.arange(16.0, 12.95, -0.1):
            holds = volts >= down - 1e-9 or (hunts and abs(volts - down + 0.2) < 0.01)
            rows.append((volts, 12.0 if holds else 9.0, amps if holds else 0.7 * amps))
        for volts in np.arange(13.0, 16.05, 0.1):
            holds = volts >= up - 1e-9
            rows.append((volts, 12.0 if holds else 0.0, amps if holds else 0.0))
    return tuple(np.array(column) for column in zip(*rows, strict=True))  # type: ignore[return-value]


def test_the_lowest_good_input_by_load_from_both_sides() -> None:
    """A 12 V buck that needs 14.0 V at 1 A and 14.5 V at 2 A (trade check, common practice, no source)."""
    found = lowest_inputs(*sweeps({2.0: (14.5, 15.1), 1.0: (14.0, 14.4)}), 12.0, 0.05)
    assert [one.load_A for one in found] == [1.0, 2.0], "numbered as they rise"
    assert [one.falling_V for one in found] == pytest.approx([14.0, 14.5])
    assert [one.rising_V for one in found] == pytest.approx([14.4, 15.1])
    assert [one.hysteresis_V for one in found] == pytest.approx([0.4, 0.6])
    assert [one.not_good_V for one in found] == pytest.approx([13.9, 14.4])
    assert not any(one.hunting for one in found)
    hunting = lowest_inputs(*sweeps({1.0: (14.0, 14.4)}, hunts=True), 12.0, 0.05)
    assert hunting[0].hunting
    assert hunting[0].falling_V == pytest.approx(14.0)
    down = tuple(column[:31] for column in sweeps({1.0: (14.0, 14.4)}))
    assert lowest_inputs(*down, 12.0, 0.05)[0].hysteresis_V is None
    with pytest.raises(ValueError, match="no row"):
        lowest_inputs(np.array([5.0, 4.0]), np.array([1.0, 1.0]), np.array([1.0, 1.0]), 12.0, 0.05)


def test_a_wire_heats_as_published_tables_of_short_circuits_say() -> None:
    """The factor k of copper in common insulation, 115 A s^0.5 / mm2 from 70 to 160 degC, 143 from 90 to 250 degC
    (IEC 60364-5-54, values from memory); and I^2 rho t / c for a small rise, copper 3.45 J/(cm3 K)."""
    for k, begin, end in ((115.0, 70.0, 160.0), (143.0, 90.0, 250.0)):
        assert adiabatic_degC(k * 2.5, 2.5, 1.0, begin) == pytest.approx(end, abs=1.5)
    small = adiabatic_degC(10.0, 1.5, 1.0, 20.0) - 20.0
    assert small == pytest.approx((10.0 / 1.5e-6) ** 2 * 1.7241e-8 / 3.45e6, rel=0.01)
