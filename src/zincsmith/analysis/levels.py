"""Levels and crossings of a record: what its states are, and when it passes from one to another.

State levels by the mode of a histogram after IEEE 181-2011 (value from memory); times between samples by a straight
line between the two on either side.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

BINS = 256
LAST_SHARE = 0.2  # of a stretch: its mean is the level that it ends at
HYSTERESIS = 0.2  # of a step, on either side of its middle: what stays within is no further crossing


def state_levels(values: Array) -> tuple[float, float]:
    """(low, high): the most frequent value of the lower and of the upper half of the span of ``values`` (n,)."""
    low, high = float(np.min(values)), float(np.max(values))
    if high <= low:
        return low, high
    count, at = np.histogram(values, bins=BINS, range=(low, high))
    half = BINS // 2
    k, m = int(np.argmax(count[:half])), half + int(np.argmax(count[half:]))
    return _mean_around(values, at[k], at[k + 1]), _mean_around(values, at[m], at[m + 1])


def _mean_around(values: Array, begin: float, end: float) -> float:
    """The mean of what lies in a bin and the halves of its neighbours: the place of a mode within its bin."""
    half = (end - begin) / 2.0
    return float(np.mean(values[(values >= begin - half) & (values <= end + half)]))


def noise_of(values: Array) -> float:
    """The standard deviation of what is random from sample to sample, from second differences: steps, slopes and slow
    ripple are not in it. 0 below 8 samples."""
    if len(values) < 8:
        return 0.0
    second = values[2:] - 2.0 * values[1:-1] + values[:-2]
    return 1.4826 * float(np.median(np.abs(second))) / math.sqrt(6.0)


def level_at_end(values: Array) -> float:
    """The mean of the last fifth."""
    return float(np.mean(values[-max(1, round(LAST_SHARE * len(values))) :]))


def crossing(values: Array, at: int, level: float) -> float:
    """Where between the samples ``at - 1`` and ``at`` a level is passed, in samples; ``at`` itself where they are on
    one side of it."""
    before, after = float(values[at - 1]) if at > 0 else level, float(values[at])
    if at == 0 or before == after or (before - level) * (after - level) > 0.0:
        return float(at)
    return at - 1 + (level - before) / (after - before)


WIDE_ENOUGH, WIDEST, TURNS = 6.0, 0.05, 3  # noises that a window passes on either side; of the record; times


def passed(values: Array, at: int, level: float, noise: float) -> float:
    """Where a level is passed near sample ``at``, in samples. Where the noise lets a slope pass it several times, the
    first of them is too early and the last too late: there a parabola through as many samples as it takes to be clear
    of the noise tells it, moved to where it says a few times. Elsewhere ``crossing``."""
    plain = crossing(values, at, level)
    told, most = plain, int(WIDEST * len(values))
    for _ in range(TURNS):
        half = 2
        while half <= most:
            begin, end = max(0, round(told) - half), min(len(values), round(told) + half + 1)
            places = np.arange(begin, end) - told
            if end - begin < 4:
                return plain
            middle = float(places.mean())
            slope = float(np.dot(places - middle, values[begin:end]) / np.dot(places - middle, places - middle))
            if abs(slope) * half >= WIDE_ENOUGH * noise:
                break
            half *= 2
        if half <= 2 or half > most:
            return plain
        bend, slope, here = _parabola(places / half, values[begin:end] - level, half)
        root = slope * slope - 4.0 * bend * here
        if root < 0.0 or slope == 0.0:
            return plain
        step = -2.0 * here / (slope + math.copysign(math.sqrt(root), slope))  # the root near by
        if not abs(step) <= half:
            return plain
        told += step
    return told


def _parabola(x: Array, y: Array, unit: float) -> tuple[float, float, float]:
    """(square, slope, value at zero) by least squares through ``y`` over ``x``, which is in units of ``unit``."""
    powers = np.stack([x * x, x, np.ones(len(x))])
    square, slope, here = np.linalg.solve(powers @ powers.T, powers @ y)
    return float(square) / unit**2, float(slope) / unit, float(here)


def first_stretch(inside: NDArray[np.bool_], least: int, begin: int = 0) -> int | None:
    """The first sample from ``begin`` on of a stretch of True that lasts ``least`` samples, or to the end; None."""
    for start, end in stretches(inside, begin):
        if end - start >= least or end == len(inside):
            return start
    return None


def stretches(inside: NDArray[np.bool_], begin: int = 0) -> list[tuple[int, int]]:
    """(first, one past the last) of each stretch of True from ``begin`` on."""
    change = np.flatnonzero(np.diff(np.concatenate([[False], inside[begin:], [False]]).astype(np.int8)))
    return [(begin + int(a), begin + int(b)) for a, b in zip(change[::2], change[1::2], strict=True)]


def middle_crossings(values: Array) -> list[tuple[float, bool]]:
    """(sample, whether it rises) of each step between the two states of a record, at half the step. Empty where the
    two states are not clear of the noise."""
    low, high = state_levels(values)
    if high - low <= 8.0 * noise_of(values):
        return []
    middle, half = (low + high) / 2.0, HYSTERESIS * (high - low)
    side = np.where(values > middle + half, 1, np.where(values < middle - half, -1, 0))
    told = np.flatnonzero(side)
    turns = np.flatnonzero(np.diff(side[told]))
    found = []
    for k in turns:
        begin, end = int(told[k]), int(told[k + 1])
        rises = side[end] > 0
        beyond = values[begin : end + 1] > middle if rises else values[begin : end + 1] < middle
        found.append((crossing(values, begin + int(np.argmax(beyond)), middle), bool(rises)))
    return found
