"""Standby power after IEC 62301:2011 (from memory): is it stable, and what is its mean.

*Sampling*: the first third is discarded; stable when the least-squares slope over the rest is below 10 mW/h (up to
1 W) or 1 % of the power per hour (above); the mean is that of the rest. *Average*: after settling, two comparison
periods of equal length; stable when their means differ, per time between their middles, by less than the same limit;
the mean is that of both. Where the power comes in bursts, whole bursts are taken.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Method = Literal["sampling", "average"]

HOUR_S = 3600.0
LEAST_S, LEAST_INTERVAL_S = 900.0, 1.0  # of the sampling method
SETTLES_S, COMPARED_S = 1800.0, 600.0  # of the average method
SMALL_W, SMALL_SLOPE_W = 1.0, 0.010  # an hour
LARGE_SHARE = 0.01  # of the power, an hour
BURST = 0.3  # of the mean: swing from which a record is looked at for bursts
LEAST_BURSTS = 4
UNEVEN = 0.25  # relative spread of the time between bursts that are still regular

# The uncertainty wanted, at 95 %: the 2011 edition, from memory.
ALLOWED_W, ALLOWED_SHARE, MCR_FROM, MCR_SLOPE = 0.02, 0.02, 10.0, 0.08


@dataclass(frozen=True)
class Standby:
    """``mean_W``; ``slope_W_per_h``, signed; ``limit_W_per_h`` it is held against. ``stable_from_s`` is the end of
    what was discarded, None unless stable. ``bursts`` counts whole bursts that were taken, 0 without any.
    ``short`` says what the record lacks for the method, empty when nothing.
    """

    mean_W: float
    slope_W_per_h: float
    limit_W_per_h: float
    stable: bool
    stable_from_s: float | None
    bursts: int
    burst_s: float | None
    used_s: tuple[float, float]
    short: str
    spread_W: float  # of what was used, experimental standard deviation
    count: int


def cut_bursts(used_W: Array, bursts: int) -> bool:
    """Whether power comes in bursts of which no whole ones were found: the mean hangs on where the record was cut."""
    if bursts or len(used_W) < 4 * LEAST_BURSTS:
        return False
    low, high = np.percentile(used_W, [5.0, 95.0])
    return bool(high - low > BURST * abs(float(np.mean(used_W))))


def limit_W_per_h(power_W: float) -> float:
    """The greatest drift of a stable power, absolute, in W per hour."""
    return SMALL_SLOPE_W if power_W <= SMALL_W else LARGE_SHARE * power_W


def allowed_W(power_W: float, mcr: float | None = None) -> float:
    """The expanded uncertainty a standby measurement may have, W: the standard relaxes it where crest factor over power
    factor (``mcr``) is above 10, as the current is hard to measure then. Below 1 W the greater of both counts."""
    share = ALLOWED_SHARE * (1.0 + MCR_SLOPE * max(0.0, (mcr or 0.0) - MCR_FROM))
    return max(ALLOWED_W, share * power_W) if power_W < SMALL_W else share * power_W


def standby(times_s: Array, power_W: Array, method: Method = "sampling") -> Standby:
    """Both (n,), finite, times rising. Raises ValueError for fewer than six samples."""
    if len(times_s) < 6:
        raise ValueError("six samples at least are needed")
    return _sampling(times_s, power_W) if method == "sampling" else _average(times_s, power_W)


def _sampling(t: Array, p: Array) -> Standby:
    span = float(t[-1] - t[0])
    begin = float(t[0]) + span / 3.0
    found = _whole_bursts(t, p, int(np.searchsorted(t, begin, side="left")), len(t))
    first, last = found.first, found.last
    slope = _slope(*_burst_means(t, p, found)) * HOUR_S
    mean = mean_of(t[first:last], p[first:last])
    limit = limit_W_per_h(mean)
    interval = float(np.median(np.diff(t)))
    short = []
    if span < LEAST_S - 1.5 * interval:
        short.append(f"the record lasts {span / 60.0:.1f} min, 15 min at least are asked for")
    if interval > LEAST_INTERVAL_S * 1.001:
        short.append(f"a sample comes every {interval:.3g} s, one second at most is asked for")
    stable = abs(slope) < limit and span >= LEAST_S - 1.5 * interval
    return Standby(
        mean, slope, limit, stable, begin if stable else None, found.count, found.period_s,
        (float(t[first]), float(t[last - 1])), "; ".join(short), _spread(p[first:last]), last - first,
    )  # fmt: skip


def _average(t: Array, p: Array) -> Standby:
    """The settling takes 30 min where the record allows, else what the two comparison periods leave."""
    span = float(t[-1] - t[0])
    interval = float(np.median(np.diff(t)))
    settle = min(SETTLES_S, max(span - 2.0 * COMPARED_S, span / 3.0))
    begin = float(t[0]) + settle
    middle = begin + (span - settle) / 2.0
    cut = [int(np.searchsorted(t, x, side="left")) for x in (begin, middle)]
    halves = [_whole_bursts(t, p, cut[0], cut[1] + 1), _whole_bursts(t, p, cut[1], len(t))]
    means = [mean_of(t[h.first : h.last], p[h.first : h.last]) for h in halves]
    middles = [0.5 * float(t[h.first] + t[h.last - 1]) for h in halves]
    slope = (means[1] - means[0]) / (middles[1] - middles[0]) * HOUR_S
    mean = 0.5 * (means[0] + means[1])
    limit = limit_W_per_h(mean)
    short = []
    if span - settle < 2.0 * COMPARED_S - 1.5 * interval:
        short.append("two comparison periods of 10 min at least are asked for")
    if settle < SETTLES_S - 1.5 * interval:
        short.append(f"it settled for {settle / 60.0:.1f} min, about 30 min are asked for")
    stable = abs(slope) < limit and span - settle >= 2.0 * COMPARED_S - 1.5 * interval
    first, last = halves[0].first, halves[1].last
    bursts = halves[0].count + halves[1].count
    return Standby(
        mean, slope, limit, stable, begin if stable else None, bursts, halves[1].period_s,
        (float(t[first]), float(t[last - 1])), "; ".join(short), _spread(p[first:last]), last - first,
    )  # fmt: skip


def mean_of(t: Array, p: Array) -> float:
    """Mean over time by trapezoids, so that uneven samples weigh as long as they stand."""
    if len(t) < 2:
        return float(np.mean(p))
    return float(np.trapezoid(p, t) / (t[-1] - t[0]))


def _spread(p: Array) -> float:
    return float(np.std(p, ddof=1)) if len(p) > 1 else 0.0


def _slope(t: Array, p: Array) -> float:
    """Least-squares slope in W/s."""
    away = t - np.mean(t)
    square = float(np.dot(away, away))
    return float(np.dot(away, p)) / square if square else 0.0


@dataclass(frozen=True)
class _Part:
    """What is used of a record, ``first:last``; ``begins`` of bursts in it, empty where the power comes steadily."""

    first: int
    last: int
    begins: tuple[int, ...] = ()
    period_s: float | None = None

    @property
    def count(self) -> int:
        return max(0, len(self.begins) - 1)


def _burst_means(t: Array, p: Array, part: _Part) -> tuple[Array, Array]:
    """Times and powers to draw a line through: one for each burst, as within a burst the power falls or rises by its
    own; the samples as they are where there are none."""
    if not part.count:
        return t[part.first : part.last], p[part.first : part.last]
    pairs = list(pairwise(part.begins))
    middles = np.array([0.5 * float(t[a] + t[b]) for a, b in pairs])
    return middles, np.array([mean_of(t[a : b + 1], p[a : b + 1]) for a, b in pairs])


def _whole_bursts(t: Array, p: Array, first: int, last: int) -> _Part:
    """The part of ``first:last`` between two begins of a burst, where the power comes in regular bursts; else all."""
    part = p[first:last]
    low, high = np.percentile(part, [5.0, 95.0])
    mean = float(np.mean(part))
    if high - low <= BURST * abs(mean) or len(part) < 4 * LEAST_BURSTS:
        return _Part(first, last)
    level, slack = 0.5 * (low + high), 0.15 * (high - low)  # hysteresis, so that noise begins no burst
    state, begins = bool(part[0] > level), []
    above, below = part > level + slack, part < level - slack
    for n in np.flatnonzero(above | below):
        if above[n] and not state:
            begins.append(int(n))
        state = bool(above[n])
    if len(begins) < LEAST_BURSTS + 1:
        return _Part(first, last)
    gaps = np.diff(t[first:last][begins])
    if float(np.std(gaps)) > UNEVEN * float(np.mean(gaps)):
        return _Part(first, last)
    begun = tuple(first + n for n in begins)
    return _Part(begun[0], begun[-1] + 1, begun, float(np.mean(gaps)))
