"""Ripple of made records against what they were made of: closed forms, handbook values, and what must not be seen."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import butter, freqz

from zincsmith.analysis.ripple import (
    clipped_share,
    corrected_rms,
    limited_peak_to_peak,
    line_part,
    low_passed,
    packets_of,
    percentile_span,
    ripple_of,
    switching_frequency,
)

Array = NDArray[np.float64]
FS = 500e6
SWITCHES_HZ = 213_457.0


def triangle(times: Array, hertz: float, duty: float = 0.4) -> Array:
    """Of height 1 about zero."""
    phase = (times * hertz) % 1.0
    return np.where(phase < duty, phase / duty, (1.0 - phase) / (1.0 - duty)) - 0.5


def record(samples: int = 200_000, noise_V: float = 0.001, seed: int = 1) -> tuple[Array, Array]:
    times = np.arange(samples) / FS
    noise = noise_V * np.random.default_rng(seed).standard_normal(samples)
    return times, 12.0 + 0.020 * triangle(times, SWITCHES_HZ) + noise


def test_a_triangle_is_told_by_height_and_frequency_and_has_no_spikes() -> None:
    times, volts = record()
    found = ripple_of(volts, 1.0 / FS)
    assert found.switching is not None
    assert found.switching.frequency_Hz == pytest.approx(SWITCHES_HZ, rel=2e-5)
    assert found.switching.peak_to_peak_V == pytest.approx(0.020, rel=0.02)
    assert found.spike_V is None, "a corner is no spike"
    assert found.dc_level_V == pytest.approx(12.0, abs=1e-4)
    assert found.rms_V == pytest.approx(
        math.hypot(0.020 / math.sqrt(12.0), 0.001), rel=0.01
    )  # rms of a triangle: h / sqrt 12
    assert found.peak_to_peak_V == pytest.approx(float(np.ptp(volts)))
    assert len(times) == found.samples


@pytest.mark.parametrize(("duty", "within"), [(0.1, 0.14), (0.25, 0.06), (0.5, 0.06), (0.7, 0.06)])
def test_rings_at_the_edges_are_spikes_and_not_ripple(duty: float, within: float) -> None:
    """The ring is taken away before the smooth part is told; what is left at the edges is the ring. Where it lasts as
    long as a flank there is little left to carry on from."""
    times = np.arange(1_000_000) / FS
    _, noise = record(len(times), 0.0005)
    volts = 12.0 + 0.020 * triangle(times, SWITCHES_HZ, duty) + (noise - 12.0 - 0.020 * triangle(times, SWITCHES_HZ))
    for edge, height in ((0.0, 0.060), (duty, -0.040)):
        since = (((times * SWITCHES_HZ) - edge) % 1.0) / SWITCHES_HZ
        volts = volts + height * np.exp(-since / 30e-9) * np.cos(2.0 * math.pi * 40e6 * since)
    found = ripple_of(volts, 1.0 / FS)
    assert found.switching is not None
    assert found.switching.peak_to_peak_V == pytest.approx(0.020, rel=within)
    assert found.spike_V is not None
    assert found.spike_V == pytest.approx(0.100, rel=max(0.08, within))


def test_the_ripple_of_a_buck_is_that_of_the_handbook() -> None:
    """Erickson: dI / (8 f C), 12 to 5 V, 10 uH, 100 uF, 200 kHz: 1.4583 A and 9.115 mV. The volts are the integral of a
    triangular current, two parabolas."""
    frequency, farad, henry = 200e3, 100e-6, 10e-6
    duty = 5.0 / 12.0
    swing = (12.0 - 5.0) * duty / (henry * frequency)
    assert swing == pytest.approx(1.4583, rel=1e-4)
    times = np.arange(400_000) / 100e6
    volts = np.cumsum(swing * triangle(times, frequency, duty)) / 100e6 / farad
    found = ripple_of(5.0 + volts - volts.mean(), 1e-8)
    assert found.switching is not None
    assert found.switching.peak_to_peak_V == pytest.approx(9.115e-3, rel=0.02)
    assert found.switching.frequency_Hz == pytest.approx(frequency, rel=1e-4)


def test_orders_of_the_line_are_told_apart_from_the_switching() -> None:
    rng = np.random.default_rng(3)
    times = np.arange(400_000) / 1e6
    line = 0.05 * np.cos(2.0 * math.pi * 100.0 * times + 0.3) + 0.01 * np.cos(2.0 * math.pi * 200.0 * times)
    volts = 12.0 + line + 0.02 * ((times * 65_123.0) % 1.0 - 0.5) + 0.002 * rng.standard_normal(len(times))
    found = ripple_of(volts, 1e-6, 50.0)
    assert found.line is not None
    assert found.line.peak_to_peak_V == pytest.approx(float(np.ptp(line)), rel=0.01)
    assert found.switching is not None
    assert found.switching.frequency_Hz == pytest.approx(65_123.0, rel=1e-5)
    assert found.switching.peak_to_peak_V == pytest.approx(0.02, rel=0.03), "the jump of a sawtooth is whole"
    assert found.limited_V is None, "a megasample a second says nothing of 20 MHz"


def test_noise_has_no_frequency_and_a_short_record_no_line() -> None:
    noise = np.random.default_rng(5).standard_normal(100_000)
    assert switching_frequency(noise, 1e-8) is None
    assert ripple_of(noise, 1e-8).switching is None
    assert line_part(noise[:1000], 1e-6, 50.0) is None
    with pytest.raises(ValueError, match="16 samples"):
        ripple_of(noise[:15], 1e-8)


def test_the_limit_of_the_bandwidth_is_the_recursion_of_its_definition() -> None:
    """A step answers 1 - exp(-n T / tau); a sine at the limit comes through with 0.7071 where the samples are many."""
    step = np.concatenate([np.zeros(1), np.ones(4000)])
    tau = 1.0 / (2.0 * math.pi * 20e6)
    assert tau == pytest.approx(7.958e-9, rel=1e-4)
    dt = 1e-10
    found = low_passed(step, dt, 20e6)
    dropped = len(step) - len(found)
    assert dropped == math.ceil(5.0 * tau / dt)
    n = np.arange(dropped, len(step))
    assert found == pytest.approx(1.0 - np.exp(-n * dt / tau), abs=1e-9)
    times = np.arange(200_000) * dt
    limited = limited_peak_to_peak(np.sin(2.0 * math.pi * 20e6 * times), dt, 20e6)
    _, analog = freqz(*butter(1, 20e6, fs=1.0 / dt), worN=[20e6], fs=1.0 / dt)
    assert limited == pytest.approx(2.0 * abs(analog[0]), rel=0.01)
    assert limited_peak_to_peak(np.sin(times), 1.01e-8, 20e6) is None


def test_a_background_is_taken_off_in_quadrature() -> None:
    """610 with 560 uV of background leave 242 uV (the trade's own check)."""
    found = corrected_rms(610e-6, 560e-6)
    assert found is not None
    assert found == pytest.approx(242e-6, rel=1e-3)
    assert corrected_rms(500e-6, 560e-6) is None


def test_packets_are_told_with_their_rate() -> None:
    times = np.arange(1_000_000) / 10e6
    working = (times * 312.0) % 1.0 < 0.2
    about = 0.02 * triangle(times, 100e3) * working + 1e-4 * np.random.default_rng(2).standard_normal(len(times))
    found = packets_of(about, 1e-7, 100e3)
    assert found is not None
    assert found.rate_Hz == pytest.approx(312.0, rel=0.05)
    assert found.share == pytest.approx(0.2, abs=0.02)
    assert packets_of(0.02 * triangle(times, 100e3), 1e-7, 100e3) is None


def test_what_stands_at_the_end_of_the_range_is_clipped() -> None:
    times, volts = record()
    cut = np.clip(volts, 11.995, 12.005)
    at_an_end = float(np.mean((cut == 11.995) | (cut == 12.005)))  # those that stand there alone are not counted
    assert 0.85 * at_an_end < clipped_share(cut) <= at_an_end
    assert clipped_share(volts) == 0.0
    swing = 0.01 * np.round(100.0 * np.exp(-times / times[-1]) * np.sin(6.0 * times / times[-1]))
    assert clipped_share(swing) == 0.0, "a slow round top of few steps"
    assert clipped_share(np.minimum(swing, 0.4)) > 0.1


@settings(max_examples=20)
@given(st.floats(-100.0, 100.0), st.floats(0.1, 50.0), st.booleans(), st.booleans())
def test_figures_go_with_the_record(shift: float, scale: float, negative: bool, backwards: bool) -> None:
    """Shifted nothing changes but the level; scaled everything scales; sign and direction of time change nothing."""
    _, volts = record(20_000)
    first = ripple_of(volts, 1.0 / FS)
    made = (-scale if negative else scale) * volts + shift
    other = ripple_of(made[::-1].copy() if backwards else made, 1.0 / FS)
    for name in ("peak_to_peak_V", "percentile_V", "rms_V"):
        assert getattr(other, name) == pytest.approx(scale * getattr(first, name), rel=1e-6)
    assert first.switching is not None
    assert other.switching is not None
    assert other.switching.frequency_Hz == pytest.approx(first.switching.frequency_Hz, rel=1e-6)
    assert other.switching.peak_to_peak_V == pytest.approx(scale * first.switching.peak_to_peak_V, rel=0.1)


def test_the_percentile_span_is_that_of_its_quantiles() -> None:
    values = np.random.default_rng(4).permutation(np.arange(20_001, dtype=np.float64))
    assert percentile_span(values) == pytest.approx(19_980.0, abs=1.0)


@settings(max_examples=60)
@given(st.integers(16, 90_000), st.integers(0, 1000), st.sampled_from(["noise", "steps", "flat", "bursts"]))
def test_the_percentile_span_is_exactly_that_of_the_sorted_record(samples: int, seed: int, kind: str) -> None:
    """Also where every few samples something stands that a look at the record here and there does not see."""
    rng = np.random.default_rng(seed)
    values = rng.standard_normal(samples)
    if kind == "steps":
        values = np.round(values)
    elif kind == "flat":
        values[:] = 5.0
    elif kind == "bursts":
        values[1::4] *= 1000.0
    ranked = np.sort(values)
    low, high = ranked[int(0.0005 * (samples - 1))], ranked[math.ceil(0.9995 * (samples - 1))]
    assert percentile_span(values) == high - low


@pytest.mark.parametrize("ring_share", [0.15, 0.19, 0.24, 0.26, 0.45])
def test_a_ring_far_above_the_switching_is_not_taken_for_it(ring_share: float) -> None:
    """Between a tenth and half of the sample rate, where what is averaged before the spectrum folds back."""
    times, volts = record()
    phase = (times * SWITCHES_HZ) % 1.0
    ring = np.exp(-40.0 * phase) * np.sin(2.0 * math.pi * ring_share * FS / SWITCHES_HZ * phase)
    found = switching_frequency(volts - 12.0 + 0.060 * ring, 1.0 / FS)
    assert found == pytest.approx(SWITCHES_HZ, rel=1e-4)
