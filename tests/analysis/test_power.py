"""Power from records: what must not matter does not, and energy is kept."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_groups import window_groups
from zincsmith.analysis.periodic import fundamental, harmonics
from zincsmith.analysis.power import Power, power_of, window_words

Array = NDArray[np.float64]


def mains(
    f: float,
    rate: float,
    seconds: float,
    phase: float = 0.3,
    angle: float = 0.6,
    third: float = 0.3,
    offset: float = 0.0,
) -> tuple[Array, Array]:
    """A distorted voltage and a current with third and ninth order."""
    t = np.arange(round(rate * seconds)) / rate
    w = 2.0 * np.pi * f * t + phase
    volts = 325.0 * np.sin(w) + 6.5 * np.sin(5 * w + 1.0) + offset
    amps = 2.0 * np.sin(w - angle) + 2.0 * third * np.sin(3 * w) + 0.1 * np.sin(9 * w + 0.4)
    return volts, amps


def figures(p: Power) -> Array:
    return np.array(
        [
            p.voltage_rms,
            p.current_rms,
            p.real_power,
            p.power_factor,
            p.displacement_factor,
            p.current_thd,
            p.voltage_thd,
        ],
        dtype=float,
    )


TRUE = np.array(
    [
        np.sqrt((325.0**2 + 6.5**2) / 2),
        np.sqrt((2.0**2 + 0.6**2 + 0.1**2) / 2),
        325.0 * np.cos(0.6),
        325.0 * np.cos(0.6) / np.sqrt((325.0**2 + 6.5**2) / 2) / np.sqrt((2.0**2 + 0.6**2 + 0.1**2) / 2),
        np.cos(0.6),
        np.sqrt(0.6**2 + 0.1**2) / 2.0,
        6.5 / 325.0,
    ]
)


@given(
    f=st.floats(45.0, 66.0),
    rate=st.sampled_from([8_000.0, 12_345.6, 50_000.0]),
    periods=st.floats(2.05, 23.0),
    phase=st.floats(0.0, 6.3),
)
def test_no_whole_number_of_periods_is_needed(f: float, rate: float, periods: float, phase: float) -> None:
    volts, amps = mains(f, rate, periods / f, phase)
    p = power_of(volts, amps, 1.0 / rate)
    assert p.frequency == pytest.approx(f, rel=1e-7)
    assert figures(p) == pytest.approx(TRUE, rel=3e-5, abs=1e-6)
    assert p.apparent_power == pytest.approx(p.voltage_rms * p.current_rms)
    assert p.current_order(9) == pytest.approx(0.1 / np.sqrt(2), rel=1e-6)


@settings(max_examples=40)
@given(a=st.floats(1e-3, 1e3), b=st.floats(1e-3, 1e3))
def test_scale_goes_through(a: float, b: float) -> None:
    volts, amps = mains(50.0, 10_000.0, 0.2137)
    one, other = power_of(volts, amps, 1e-4), power_of(a * volts, b * amps, 1e-4)
    assert other.real_power == pytest.approx(a * b * one.real_power, rel=1e-9)
    assert figures(other)[3:] == pytest.approx(figures(one)[3:], rel=1e-8)


@settings(max_examples=40)
@given(offset=st.floats(-30.0, 30.0))
def test_an_offset_is_in_the_rms_and_in_nothing_that_speaks_of_periods(offset: float) -> None:
    volts, amps = mains(50.0, 20_000.0, 0.31, offset=offset)
    p = power_of(volts, amps, 5e-5)
    assert p.voltage_rms**2 == pytest.approx(TRUE[0] ** 2 + offset**2, rel=1e-5)
    assert p.voltage_thd == pytest.approx(0.02, rel=1e-6)
    assert p.displacement_factor == pytest.approx(np.cos(0.6), rel=1e-6)
    assert p.real_power == pytest.approx(TRUE[2], rel=1e-5), "amps without a mean take no power from it"


def test_reversed_amps_give_negative_power_and_positive_factors() -> None:
    volts, amps = mains(50.0, 20_000.0, 0.2)
    p = power_of(volts, -amps, 5e-5)
    assert p.real_power == pytest.approx(-TRUE[2], rel=1e-6)
    assert p.reversed
    assert figures(p)[3:5] == pytest.approx(TRUE[3:5], rel=1e-6)


@pytest.mark.parametrize("noise", [0.0, 0.01])
def test_eight_bits_and_noise_move_it_by_what_they_are_worth(noise: float) -> None:
    """Quantization over n independent samples: its spread is a step over sqrt(12 n), a mean of products likewise."""
    rng = np.random.default_rng(3)
    volts, amps = mains(50.07, 20_000.0, 0.5)
    coarse_volts = np.round((volts + noise * 325.0 * rng.normal(size=len(volts))) / 400.0 * 127.0) / 127.0 * 400.0
    coarse_amps = np.round((amps + noise * 2.0 * rng.normal(size=len(amps))) / 4.0 * 127.0) / 127.0 * 4.0
    p = power_of(coarse_volts, coarse_amps, 5e-5)
    worth = 400.0 / 127.0 * TRUE[1] + 4.0 / 127.0 * TRUE[0] + noise * (325.0 * TRUE[1] + 2.0 * TRUE[0])
    assert abs(p.real_power - TRUE[2]) < 4.0 * worth / np.sqrt(len(volts))
    assert p.frequency == pytest.approx(50.07, rel=1e-5)
    assert p.current_thd == pytest.approx(TRUE[5], rel=0.01)


def test_on_dc_power_is_the_mean_of_the_product() -> None:
    """A buck input at 40 % duty: rms times rms overstates by 1.58."""
    t = np.arange(100_000) * 1e-7
    amps = np.where(np.mod(t * 61_237.0, 1.0) < 0.4, 5.0, 0.0)
    p = power_of(np.full(len(t), 12.0), amps, 1e-7)
    assert p.is_dc
    assert p.real_power == pytest.approx(24.0, rel=2e-3)
    assert p.apparent_power / p.real_power == pytest.approx(1.5811, rel=2e-3)
    assert (p.power_factor, p.displacement_factor, p.current_thd, p.current_order(1)) == (None, None, None, None)


def test_what_the_rate_does_not_reach_is_not_made_up() -> None:
    volts, amps = mains(50.0, 3_000.0, 0.4)
    p = power_of(volts, amps, 1.0 / 3_000.0)
    assert p.current_thd is None
    assert p.current_order(29) == pytest.approx(0.0, abs=1e-6)
    assert p.current_order(30) is None
    assert p.real_power == pytest.approx(TRUE[2], rel=1e-4)


def test_energy_is_kept_between_orders_and_time() -> None:
    """Parseval: the squares of all orders make the square of the rms, and their products the power."""
    volts, amps = mains(50.0, 20_000.0, 0.2)
    p = power_of(volts, amps, 5e-5)
    assert p.current is not None
    assert p.voltage is not None
    assert float(np.sum(np.abs(p.current) ** 2)) == pytest.approx(p.current_rms**2, rel=1e-9)
    assert float(np.real(np.sum(p.voltage * np.conj(p.current)))) == pytest.approx(p.real_power, rel=1e-9)


@pytest.mark.parametrize(
    ("f", "seconds", "words"), [(50.0, 0.45, "2 of 10"), (60.0, 0.21, "1 of 12"), (60.0, 0.1, "short")]
)
def test_windows_are_taken_where_they_fit(f: float, seconds: float, words: str) -> None:
    volts, amps = mains(f, 20_000.0, seconds)
    p = power_of(volts, amps, 5e-5)
    assert words in window_words(p)
    rows = window_groups(amps, 5e-5, p)
    if words == "short":
        assert rows is None
        return
    assert rows is not None
    assert rows[:, 3] == pytest.approx(0.6 / np.sqrt(2), rel=1e-6)


@pytest.mark.parametrize(
    ("volts", "why"),
    [
        (np.sin(2 * np.pi * 50 * np.arange(260) / 20_000.0), "periods"),
        (np.random.default_rng(1).normal(size=4000), "nothing in them repeats"),
    ],
)
def test_what_has_no_period_is_refused(volts: Array, why: str) -> None:
    with pytest.raises(ValueError, match=why):
        power_of(volts, np.ones(len(volts)), 5e-5)


def test_harmonics_refuse_what_lies_beyond_the_record() -> None:
    volts, _ = mains(50.0, 2_000.0, 0.2)
    with pytest.raises(ValueError, match="half the sample rate"):
        harmonics(volts, 5e-4, 50.0, 20)
    with pytest.raises(ValueError, match="shorter than one period"):
        harmonics(volts[:30], 5e-4, 50.0, 5)
    assert fundamental(np.zeros(100), 1.0) is None
