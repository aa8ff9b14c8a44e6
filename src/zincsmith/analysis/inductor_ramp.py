"""The current of an inductor while the switch conducts: how high it gets, and whether it still climbs straight.

Volts across an inductance that stays what it is make a straight ramp; one whose core saturates bends upwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

PLACES = 64  # of the conducting time
EARLY, LATE = (0.2, 0.5), (0.7, 0.95)  # of it: after the spike at switch-on, before the edge of switch-off
LEAST_SAMPLES = 16  # of a conducting time
LEAST_RAMPS = 4
CLEAR = 4.0  # standard errors by which the early slope has to stand clear of nothing


@dataclass(frozen=True)
class Ramp:
    """``bend`` is the late slope over the early one, 1 for a straight ramp, with its standard uncertainty."""

    bend: float
    bend_u: float
    ramps: int


def ramp_of(current: Array, begins: Array, conducts: Array) -> Ramp | None:
    """``current`` (n,) in A; ``begins`` and ``conducts`` (cycles,) in samples, see ``switching.cycles_of``. None where
    a conducting time holds too few samples, or nothing ramps."""
    if len(begins) < LEAST_RAMPS or float(np.median(conducts)) < LEAST_SAMPLES:
        return None
    share = (np.arange(PLACES) + 0.5) / PLACES
    places = begins[:, None] + conducts[:, None] * share[None, :]
    inside = (places[:, 0] >= 0.0) & (places[:, -1] <= len(current) - 1)
    if int(np.sum(inside)) < LEAST_RAMPS:
        return None
    ramps = np.interp(places[inside], np.arange(len(current)), current)
    per_sample = conducts[inside]
    early, early_u = _slope(ramps, share, per_sample, EARLY)
    late, late_u = _slope(ramps, share, per_sample, LATE)
    if early <= CLEAR * early_u:
        return None
    bend = late / early
    return Ramp(bend, abs(bend) * math.hypot(early_u / early, late_u / late if late else 0.0), len(ramps))


def _slope(ramps: Array, share: Array, conducts: Array, between: tuple[float, float]) -> tuple[float, float]:
    """(mean, standard error) over the ramps of the least-squares slope of a stretch, in A a sample."""
    there = (share >= between[0]) & (share <= between[1])
    centred = share[there] - float(np.mean(share[there]))
    slopes = ramps[:, there] @ centred / float(np.sum(centred**2)) / conducts
    return float(np.mean(slopes)), float(np.std(slopes, ddof=1)) / math.sqrt(len(slopes))
