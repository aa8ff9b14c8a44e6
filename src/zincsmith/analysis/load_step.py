"""What an output does at steps of its load: dip, rise, recovery into a band, change of level, ringing."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import crossing, level_at_end, middle_crossings, noise_of, passed

Array = NDArray[np.float64]
About = Literal["nominal", "final"]

QUIET_SHARE = 0.03  # of the record: so long it has to stand before an edge, where only the volts tell of edges
FAR = 6.0  # times the noise: the volts have left their level
LARGE = 0.15  # of the largest excursion: less is no edge
STILL = 0.03  # of the largest excursion: what moves by less in a stretch stands still
MOST_EDGES, TELLS = 64, 65_536  # samples that tell the noise


@dataclass(frozen=True)
class Edge:
    """One step of the load. Times in s from the first sample, volts; ``over_V`` and ``under_V`` are what the record
    goes beyond the level it finally reaches, positive. ``recovery_s`` is None where it does not stay in the band."""

    time_s: float
    rises: bool | None  # the load; None where no current tells
    before_V: float
    after_V: float
    over_V: float
    under_V: float
    recovery_s: float | None
    slew_A_per_s: float | None = None


def edges_of(
    volts: Array, step_s: float, amps: Array | None, nominal_V: float, band_V: float, about: About = "nominal"
) -> list[Edge]:
    """The edges of a record of volts (n,), in order of time, both directions. An edge is where ``amps`` (n,) passes the
    middle of its step; without amps where the volts begin to change. Volts of a negative output are turned round by the
    caller."""
    places = middle_crossings(amps) if amps is not None else [(at, None) for at in onsets(volts)]
    bounds = [0.0, *(at for at, _ in places), float(len(volts))]
    found = []
    for k, (at, rises) in enumerate(places[:MOST_EDGES], 1):
        first, end = math.ceil(at), int(bounds[k + 1])
        ahead = volts[math.ceil(bounds[k - 1]) : max(first, math.ceil(bounds[k - 1]) + 1)]
        after = volts[first:end]
        if not len(after):
            continue
        level = level_at_end(after)
        centre = nominal_V if about == "nominal" else level
        found.append(
            Edge(
                at * step_s, rises, level_at_end(ahead), level,
                max(0.0, float(np.max(after)) - level), max(0.0, level - float(np.min(after))),
                _recovery_s(volts, at, first, end, centre, band_V, step_s),
                _slew(amps, at, step_s) if amps is not None else None,
            )
        )  # fmt: skip
    return found


def _recovery_s(
    volts: Array, at: float, first: int, end: int, centre: float, band_V: float, step_s: float
) -> float | None:
    """From the edge to the last entry into the band; 0 where it is never left."""
    outside = np.abs(volts[first:end] - centre) > band_V
    left = np.flatnonzero(outside)
    if not len(left):
        return 0.0
    last = first + int(left[-1])
    if last == end - 1:
        return None
    side = centre + math.copysign(band_V, float(volts[last]) - centre)
    return max(0.0, passed(volts, last + 1, side, noise_of(volts[:TELLS])) - at) * step_s


def _slew(amps: Array, at: float, step_s: float) -> float | None:
    """Slew of a step between 10 and 90 % of it, A/s; None where there is none. Of a step that is done within a sample
    it is the least that it can be."""
    k = math.ceil(at)
    before, after = _sides(amps, k)
    first, last = before + 0.1 * (after - before), before + 0.9 * (after - before)
    share = (amps - before) / (after - before) if after != before else np.zeros(0)
    behind, beyond = np.flatnonzero(share[:k] <= 0.1), np.flatnonzero(share[k:] >= 0.9)
    if not len(behind) or not len(beyond):
        return None
    begin, end = int(behind[-1]) + 1, k + int(beyond[0])
    took = crossing(amps, end, last) - crossing(amps, begin, first)
    return 0.8 * abs(after - before) / (took * step_s) if took > 0.0 else None


def _sides(amps: Array, at: int) -> tuple[float, float]:
    """The levels on either side of a step: medians of as much as a fiftieth of the record."""
    reach = max(4, len(amps) // 50)
    gap = max(1, reach // 4)
    left, right = amps[max(0, at - gap - reach) : max(1, at - gap)], amps[at + gap : at + gap + reach]
    return float(np.median(left)), float(np.median(right)) if len(right) else float(amps[-1])


def onsets(volts: Array) -> list[float]:
    """Where the volts begin to change after they stood still, in samples."""
    count = len(volts)
    quiet = max(8, round(QUIET_SHARE * count))
    if count < 3 * quiet:
        return []
    ahead = volts[:quiet]
    ripple = float(np.max(ahead) - np.min(ahead))
    noise = max(noise_of(volts), 1e-12)
    reach = float(np.max(np.abs(volts - np.median(ahead))))
    if reach <= 2.0 * max(FAR * noise, ripple):
        return []
    far, still_V = max(FAR * noise, LARGE * reach, 1.5 * ripple), 1.5 * ripple + STILL * reach
    found: list[float] = []
    at = 0
    while len(found) < MOST_EDGES:
        base = float(np.median(volts[at : at + quiet]))
        off = np.abs(volts[at:] - base)
        beyond = np.flatnonzero(off > far)
        if not len(beyond):
            break
        k = at + int(beyond[0])
        # Told from what stood right before it: a level may have crept since.
        since = max(at, k - quiet)
        stood = float(np.median(volts[since : max(since + 1, k - quiet // 8)]))
        near = np.flatnonzero(np.abs(volts[since : k + 1] - stood) <= max(2.0 * noise, ripple / 2.0))
        begin = since + int(near[-1]) if len(near) else k
        found.append(float(begin))
        still = _still_from(volts, begin + 1, quiet, still_V)
        if still is None:
            break
        at = still
    return found


def _still_from(volts: Array, begin: int, quiet: int, still_V: float) -> int | None:
    """The first stretch of ``quiet`` samples from ``begin`` on that keeps within ``still_V``; None where the record
    ends before."""
    step = max(1, quiet // 4)
    for start in range(begin, len(volts) - quiet, step):
        piece = volts[start : start + quiet]
        if float(np.max(piece) - np.min(piece)) < still_V:
            return start
    return None


@dataclass(frozen=True)
class Ringing:
    """Frequency in Hz and damping (share of critical) of what rings after an edge."""

    frequency_Hz: float
    damping: float


def ringing_of(after: Array, step_s: float, level: float) -> Ringing | None:
    """From the turning points on either side of the level reached, by logarithmic decrement; None below three of them
    clear of the noise. ``after`` (n,) begins at the edge."""
    about = after - level
    noise = noise_of(after)
    sides = np.sign(about)
    turns = np.flatnonzero(np.diff(sides) != 0.0) + 1
    if len(turns) < 3:
        return None
    bounds = [0, *turns.tolist(), len(about)]
    clear: list[tuple[int, float]] = []
    for a, b in pairwise(bounds):
        k = a + int(np.argmax(np.abs(about[a:b])))
        size = abs(float(about[k]))
        if size < max(6.0 * noise, 1e-12) or (clear and size > clear[-1][1]):
            break
        clear.append((k, size))
    if len(clear) < 3:
        return None
    halves = len(clear) - 1
    period_s = 2.0 * (clear[-1][0] - clear[0][0]) * step_s / halves
    decrement = 2.0 * math.log(clear[0][1] / clear[-1][1]) / halves
    if period_s <= 0.0:
        return None
    return Ringing(1.0 / period_s, decrement / math.hypot(2.0 * math.pi, decrement))
