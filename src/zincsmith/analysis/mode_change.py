"""A port that goes from one voltage to another: how long, how fast, how far past; emptied; starting anew; and what a
port beside it does meanwhile.

Volts are of one record, (n,), ``step_s`` apart; times in s from the first sample or as spans. None where the record
does not show it. All go by the mean over 0.2 ms: what is shorter is told elsewhere.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import first_stretch, level_at_end, noise_of

Array = NDArray[np.float64]
Limits = tuple[float, float]

AHEAD = 0.05  # of a record: its mean is where it stood
CLEAR = 6.0  # times the noise: it has left
LEFT_SHARE = 0.02  # of the way: so far it has surely left
MEAN_S = 0.2e-3  # noise, ripple and spikes are told elsewhere; common practice, no source
PIECES = 5  # of the time from a tenth to nine tenths of the way: the slope over one of them is no noise
LEAST_GLITCH = 0.005  # of the level: hum and noise; common practice, no source
FIRST_THIRD = 0.05, 0.35  # of a way: where nothing of what it stood at is in it any more, and it is no end yet
BARE_S = 1e-3  # below its limit for so long it is taken to be off


@dataclass(frozen=True)
class ModeChange:
    """``time_s`` from where it leaves to where it stays within the limits; ``past_V`` how far beyond ``level_V``, which
    it ends at; ``slew`` the steepest, V/s."""

    before_V: float
    level_V: float
    left_s: float | None
    settled_s: float | None
    past_V: float
    slew: float | None

    @property
    def time_s(self) -> float | None:
        return _span(self.left_s, self.settled_s)


@dataclass(frozen=True)
class Restart:
    """``gone_s`` where it is below what counts as nothing, ``back_s`` where it is within its limits again for good."""

    left_s: float | None
    gone_s: float | None
    back_s: float | None

    @property
    def time_s(self) -> float | None:
        return _span(self.left_s, self.back_s)


@dataclass(frozen=True)
class Beside:
    """``lowest_V`` that a port was at; ``out_s`` from where it leaves its limits to where it is back for good, zero
    where it stays within them."""

    lowest_V: float
    out_s: float | None


def mode_change(volts: Array, step_s: float, allowed: Limits) -> ModeChange:
    """From where it stood to where it stays within ``allowed``."""
    volts = _mean(volts, step_s)
    before, level = _before(volts), level_at_end(volts)
    left = _left(volts, step_s, abs(level - before))
    outside = np.flatnonzero((volts < allowed[0]) | (volts > allowed[1]))
    last = int(outside[-1]) + 1 if len(outside) else 0
    settled = last * step_s if last < len(volts) else None
    way = 1.0 if level >= before else -1.0
    past = max(0.0, float(np.max(way * (volts - level))))
    return ModeChange(before, level, left, settled, past, _steepest(volts, step_s, before, level))


def emptied(volts: Array, step_s: float, below_V: float) -> ModeChange:
    """The same to nothing: to where it stays below ``below_V``."""
    return mode_change(volts, step_s, (-below_V, below_V))


def restart(volts: Array, step_s: float, below_V: float, allowed: Limits) -> Restart:
    """A port that lets go, stands below ``below_V`` for a while, and comes back within ``allowed``."""
    volts = _mean(volts, step_s)
    left = _left(volts, step_s, abs(_before(volts)))
    gone = first_stretch(np.abs(volts) < below_V, math.ceil(BARE_S / step_s))
    outside = np.flatnonzero((volts < allowed[0]) | (volts > allowed[1]))
    last = int(outside[-1]) + 1 if len(outside) else len(volts)
    back = last * step_s if gone is not None and gone < last < len(volts) else None
    return Restart(left, gone * step_s if gone is not None else None, back)


def beside(volts: Array, step_s: float, allowed: Limits) -> Beside:
    """What a port does that nobody asked for anything."""
    volts = _mean(volts, step_s)
    outside = np.flatnonzero((volts < allowed[0]) | (volts > allowed[1]))
    if not len(outside):
        return Beside(float(np.min(volts)), 0.0)
    last = int(outside[-1]) + 1
    return Beside(float(np.min(volts)), (last - int(outside[0])) * step_s if last < len(volts) else None)


def corner(volts: Array, step_s: float, band_V: float, over_s: float) -> ModeChange:
    """An output that goes from one level to another at once, and swings less than it goes: where it leaves by its own
    slope carried back, where it is within ``band_V`` of its last level in the middle of its passages. What is
    shorter than ``over_s`` does not count."""
    smooth = _mean(volts, step_s, over_s)
    before, level = _before(volts), level_at_end(volts)
    left = _began(volts, smooth, before, level)
    outside = np.abs(smooth - level) > band_V
    last = int(np.flatnonzero(outside)[-1]) + 1 if outside.any() else 0
    settled = None
    if last < len(volts):  # noise lets a slope pass the band several times: the first is too early, the last too late
        far = np.flatnonzero(np.abs(smooth[:last] - level) > band_V + CLEAR * noise_of(volts))
        begin = int(far[-1]) if len(far) else 0
        first = begin + int(np.argmin(outside[begin : last + 1]))
        settled = 0.5 * (first + last) * step_s
    way = 1.0 if level >= before else -1.0
    past = max(0.0, float(np.max(way * (smooth - level))))
    return ModeChange(before, level, left * step_s if left is not None else None, settled, past, None)


def _began(volts: Array, smooth: Array, before: float, level: float) -> float | None:
    """Where a way begins, in samples: a parabola through its first third, carried back to where it stood."""
    if abs(level - before) < CLEAR * noise_of(volts):
        return None
    share = (smooth - before) / (level - before)
    ends = [first_stretch(share > size, 3) for size in FIRST_THIRD]
    if ends[0] is None or ends[1] is None:
        return None
    begin, end = ends[0], max(ends[1], ends[0] + 4)
    half = max(1.0, 0.5 * (end - begin))
    places = (np.arange(begin, min(end, len(volts))) - begin) / half
    if len(places) < 4:
        return float(begin)
    bend, slope, here = np.polyfit(places, (volts[begin : begin + len(places)] - before) / (level - before), 2)
    inside = slope * slope - 4.0 * bend * here
    if slope <= 0.0 or inside < 0.0:
        return float(begin)
    return float(max(0.0, begin - half * 2.0 * here / (slope + math.sqrt(inside))))


def _span(begin: float | None, end: float | None) -> float | None:
    return max(0.0, end - begin) if begin is not None and end is not None else None


def highest(volts: Array, step_s: float, over_s: float = MEAN_S) -> float:
    """The highest, in the mean over so long."""
    return float(np.max(_mean(volts, step_s, over_s)))


def beyond(volts: Array, step_s: float, level_V: float) -> float:
    """How long it is above a level by more than half of the most that it goes beyond it; zero where that is
    noise, or less than counts as a glitch."""
    volts = _mean(volts, step_s)
    past = float(np.max(volts)) - level_V
    if past <= max(CLEAR * noise_of(volts), LEAST_GLITCH * abs(level_V)):
        return 0.0
    return float(np.count_nonzero(volts > level_V + 0.5 * past)) * step_s


def _mean(volts: Array, step_s: float, over_s: float = MEAN_S) -> Array:
    """Around each sample; at either end over what there is."""
    width = max(1, round(over_s / step_s))
    padded = np.concatenate([np.full(width // 2, volts[0]), volts, np.full(width - 1 - width // 2, volts[-1])])
    total = np.concatenate([[0.0], np.cumsum(padded)])
    return np.asarray((total[width:] - total[:-width]) / width)


def _before(volts: Array) -> float:
    return float(np.mean(volts[: max(1, round(AHEAD * len(volts)))]))


def _left(volts: Array, step_s: float, way: float) -> float | None:
    """Where it has moved so far, and three times as far: a straight line through both says where it began."""
    away = np.abs(volts - _before(volts))
    least = max(CLEAR * noise_of(volts), LEFT_SHARE * way)
    near, far = (first_stretch(away > size, math.ceil(MEAN_S / step_s)) for size in (least, 3.0 * least))
    if near is None:
        return None
    back = 0.5 * (far - near) if far is not None and far > near else 0.0
    return max(0.0, near - back) * step_s


def _steepest(volts: Array, step_s: float, before: float, level: float) -> float | None:
    """Over a fifth of the time that it takes from a tenth to nine tenths of the way."""
    share = (volts - before) / (level - before) if level != before else np.zeros(len(volts))
    passed = np.flatnonzero(share >= 0.9)
    begun = np.flatnonzero(share[: int(passed[0])] < 0.1) if len(passed) else passed
    if not len(begun):
        return None
    apart = max(1, (int(passed[0]) - int(begun[-1])) // PIECES)
    return float(np.max(np.abs(volts[apart:] - volts[:-apart]))) / (apart * step_s)
