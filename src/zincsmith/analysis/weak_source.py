"""A source that gives way - a cell, a port, a long lead - and a converter that takes what its load asks for.

Where both meet, whether the unit comes up there with its load, and how long a cell lasts. The source is an open voltage
behind a resistance, with a current that it does not exceed; of the unit the watts that it was measured to take over its
input volts. Closed forms: a constant power P meets V0 behind R where V (V0 - V) = P R, up to V0^2 / (4 R).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

Watts = Callable[[float], float]
SCANNED = 2000  # volts at which source and unit are held against each other
SLICES = 400  # of a discharge


@dataclass(frozen=True)
class WeakSource:
    """``open_V`` without a load, ``ohm`` with leads and contacts, ``limit_A`` what it does not exceed."""

    open_V: float
    ohm: float
    limit_A: float = math.inf

    def current_A(self, voltage_V: float) -> float:
        """What it gives at a voltage."""
        free = math.inf if self.ohm == 0.0 else (self.open_V - voltage_V) / self.ohm
        return max(0.0, min(free, self.limit_A))

    @property
    def most_W(self) -> float:
        """The greatest power that can be had of it: at half its open volts, or where its limit begins."""
        if self.ohm == 0.0:
            return self.open_V * self.limit_A
        current = min(self.limit_A, self.open_V / (2.0 * self.ohm))
        return (self.open_V - current * self.ohm) * current


@dataclass(frozen=True)
class Meeting:
    """Where source and unit stand together."""

    voltage_V: float
    current_A: float


def meeting(source: WeakSource, watts: Watts, least_V: float) -> Meeting | None:
    """The highest input at which the source gives what the unit takes, no lower than ``least_V``: the one that is
    stable. None where there is none."""
    if source.open_V < least_V:
        return None
    volts = np.linspace(source.open_V, least_V, SCANNED)
    spare = np.array([v * source.current_A(float(v)) - watts(float(v)) for v in volts])
    enough = np.flatnonzero(spare >= 0.0)
    if not len(enough):
        return None
    first = int(enough[0])
    low, high = float(volts[first]), float(volts[max(0, first - 1)])
    for _ in range(60):
        middle = 0.5 * (low + high)
        if middle * source.current_A(middle) >= watts(middle):
            low = middle
        else:
            high = middle
    return Meeting(low, watts(low) / low)


def comes_up(source: WeakSource, watts: Watts, starts_V: float, stops_V: float) -> bool:
    """Whether it starts with its load: the source reaches the volts it starts at, and carries it above those at which
    it stops. A unit that runs may stand where it would not come up."""
    return source.open_V >= starts_V and meeting(source, watts, stops_V) is not None


def run_time_h(
    cell: Sequence[tuple[float, float]], capacity_Ah: float, ohm: float, watts: Watts, stops_V: float
) -> tuple[float, float]:
    """(hours, share of the capacity that is used) of a cell from full until the unit stops. ``cell`` are (share left,
    open volts), straight lines between; hours are the sum of C dq / I. ValueError for a cell that is none."""
    left = sorted(cell)
    falls = any(more[1] < less[1] for less, more in pairwise(left))
    if len(left) < 2 or left[0][0] < 0.0 or left[-1][0] > 1.0 or falls:
        raise ValueError("a cell is its open volts over the share left, rising with it, at two shares at least")
    shares, volts = np.array(left).T
    hours, used, step = 0.0, 0.0, (shares[-1] - shares[0]) / SLICES
    for n in range(SLICES):
        share = shares[-1] - (n + 0.5) * step
        at = meeting(WeakSource(float(np.interp(share, shares, volts)), ohm), watts, stops_V)
        if at is None:
            break
        hours += capacity_Ah * step / at.current_A
        used += step
    return hours, used
