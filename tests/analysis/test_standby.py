"""Standby power: stability, bursts, and what a record is too short for."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.standby import allowed_W, limit_W_per_h, standby

T = np.arange(0.0, 1801.0)


@pytest.mark.parametrize("power", [0.2, 5.0])
@pytest.mark.parametrize(("share", "stable"), [(0.98, True), (1.02, False), (-0.98, True), (-1.02, False)])
def test_the_limit_of_the_slope_decides_on_both_sides(power: float, share: float, stable: bool) -> None:
    """IEC 62301:2011: 10 mW/h up to 1 W, 1 % of the power an hour above (values from memory)."""
    slope = share * (0.010 if power <= 1.0 else 0.01 * power)
    done = standby(T, power + slope * (T - 1200.0) / 3600.0)
    assert done.stable is stable
    assert done.slope_W_per_h == pytest.approx(slope, rel=1e-6)
    assert done.stable_from_s == (pytest.approx(600.0) if stable else None)
    assert done.mean_W == pytest.approx(power, abs=1e-6), "the middle of the last two thirds"


@pytest.mark.parametrize("method", ["sampling", "average"])
@given(period=st.floats(7.0, 40.0), duty=st.floats(0.15, 0.6), begin=st.floats(0.0, 1.0))
def test_whole_bursts_give_the_mean_of_a_burst(method: str, period: float, duty: float, begin: float) -> None:
    """A burst of 0.9 W over 0.05 W, at any phase of the record: its mean is that of one burst, whose edges are told to
    a sample."""
    t = np.arange(0.0, 3600.0, 0.5)
    power = np.where(np.mod(t / period + begin, 1.0) < duty, 0.9, 0.05)
    done = standby(t, power, method)  # type: ignore[arg-type]
    assert done.bursts > 10
    assert done.mean_W == pytest.approx(0.05 + 0.85 * duty, abs=0.85 * 0.5 / period)


def test_bursts_do_not_pass_for_drift() -> None:
    power = np.where(np.mod(T, 17.0) < 3.0, 0.9, 0.05)
    done = standby(T, power)
    assert done.stable
    assert done.mean_W == pytest.approx(0.05 + 0.85 * 3.0 / 17.0, rel=1e-9)


@given(shift=st.floats(-1e4, 1e4), scale=st.floats(0.1, 10.0))
def test_shift_in_time_and_scale_of_power_go_through(shift: float, scale: float) -> None:
    rng = np.random.default_rng(5)
    power = 3.0 + 0.01 * rng.normal(size=len(T))
    one, other = standby(T, power), standby(T + shift, scale * power)
    assert other.mean_W == pytest.approx(scale * one.mean_W, rel=1e-9)
    assert other.slope_W_per_h == pytest.approx(scale * one.slope_W_per_h, rel=1e-6, abs=1e-9)


def test_uneven_samples_weigh_as_long_as_they_stand() -> None:
    t = np.concatenate([np.arange(0.0, 1200.0), np.arange(1200.0, 1801.0, 0.1)])
    power = np.where(t < 1200.0, 2.0, 2.2)
    done = standby(t, power)
    assert done.mean_W == pytest.approx(2.1, abs=1e-3)


def test_a_short_or_slow_record_is_not_called_stable() -> None:
    short = standby(T[:600], np.full(600, 0.2))
    assert not short.stable
    assert "15 min" in short.short
    slow = standby(np.arange(0.0, 2000.0, 5.0), np.full(400, 0.2))
    assert "one second at most" in slow.short
    average = standby(T[:900], np.full(900, 0.2), "average")
    assert not average.stable
    assert "10 min" in average.short
    with pytest.raises(ValueError, match="six samples"):
        standby(T[:5], np.ones(5))


def test_the_average_method_compares_two_periods_after_settling() -> None:
    t = np.arange(0.0, 4801.0)
    settling = 5.0 + 0.5 * np.exp(-t / 300.0)
    done = standby(t, settling, "average")
    assert done.stable
    assert done.stable_from_s == pytest.approx(1800.0)
    assert done.mean_W == pytest.approx(5.0, abs=1e-3)
    assert not standby(t, 5.0 + 0.2 * t / 3600.0, "average").stable


def test_the_uncertainty_that_is_allowed_grows_with_the_current_ratio() -> None:
    """IEC 62301:2011 (from memory): 2 %, 0.02 W below 1 W; at 0.209 W, PF 0.033 and crest 5 MCR is 151.5 and 24.6 %
    are allowed, 51.5 mW."""
    assert allowed_W(0.209, 5.0 / 0.033) == pytest.approx(0.0515, abs=5e-4)
    assert allowed_W(0.209) == 0.02
    assert allowed_W(5.0) == pytest.approx(0.1)
    assert limit_W_per_h(1.0) == 0.010
