"""Records out of columns: even times, gaps, and two files of one moment."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import evenly, longest_gap_s
from zincsmith.recorded.joined import joined
from zincsmith.recorded.waveforms import pair_of_records


def columns(**values: np.ndarray) -> Columns:  # type: ignore[type-arg]
    return Columns(Path("record.csv"), values, {}, (), 2, ())


@given(st.integers(200, 600), st.floats(1e-5, 10.0), st.floats(0.0, 0.05), st.integers(0, 2**31))
def test_times_that_jitter_a_little_keep_every_sample(count: int, step: float, jitter: float, seed: int) -> None:
    """No sample is moved or made up: as many as there were, in their order, and the same span."""
    noise = np.random.default_rng(seed).uniform(-jitter, jitter, count)
    noise[0] = noise[-1] = 0.0
    times = step * (np.arange(count) + noise)
    samples = np.arange(count, dtype=float)
    even = evenly(columns(time_s=times), times, (samples,), "time_s")
    assert np.array_equal(even.columns[0], samples)
    assert even.step_s * (count - 1) == pytest.approx(times[-1] - times[0])
    assert bool(even.notes) == (float(np.max(np.abs(noise))) > 1e-3), "what is off by less is even"


@given(st.integers(1, 3), st.integers(10, 380))
def test_few_missing_samples_are_bridged_by_straight_lines_and_told(missing: int, at: int) -> None:
    """A straight line loses nothing by it: the bridge of one is the line itself."""
    times = np.arange(400) * 0.01
    line = 2.0 + 0.5 * times
    holed = line.copy()
    holed[at : at + missing] = np.nan
    even = evenly(columns(time_s=times), times, (holed,), "time_s")
    assert even.columns[0] == pytest.approx(line, abs=1e-9)
    assert any("bridged" in note for note in even.notes)


@pytest.mark.parametrize(
    ("times", "why"),
    [
        (np.r_[np.arange(50.0), np.arange(50.0)], "goes back from 49 to 0 s"),
        (np.r_[np.arange(50.0), np.arange(80.0, 130.0)], "nothing is recorded between 49 and 80 s"),
        (np.full(20, 3.0), "one and the same time"),
    ],
)
def test_what_cannot_be_told_is_refused_with_its_place(times: np.ndarray, why: str) -> None:  # type: ignore[type-arg]
    with pytest.raises(InputError, match=why):
        evenly(columns(time_s=times), times, (times,), "time_s")


def test_a_gap_is_one_that_stands_out() -> None:
    assert longest_gap_s(np.arange(20.0)) is None
    assert longest_gap_s(np.r_[np.arange(10.0), 60.0 + np.arange(10.0)]) == pytest.approx(51.0)


def test_two_files_are_joined_only_where_they_are_of_one_moment() -> None:
    """Samples are never shifted against each other: power of two moments is none."""
    times = np.arange(2000) / 10_000.0
    volts = columns(time_s=times, voltage_V=325.0 * np.sin(2.0 * np.pi * 50.0 * times))
    amps = columns(time_s=times, current_A=2.0 * np.sin(2.0 * np.pi * 50.0 * times - np.pi / 3.0))
    both = joined(volts, amps, "time_s")
    _, power = pair_of_records(both, "time_s", "voltage_V", "current_A")
    assert power.real_power == pytest.approx(325.0 * 2.0 / 2.0 * 0.5, rel=1e-6), "V I cos(60 degrees) of sines"
    later = columns(time_s=times + 0.5e-4, current_A=amps.values["current_A"])
    with pytest.raises(InputError, match="two moments"):
        joined(volts, later, "time_s")
