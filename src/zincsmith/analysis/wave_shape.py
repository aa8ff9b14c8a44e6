"""The shape of volts that alternate: orders, what is no order, halves that differ, tops that are cut.

THD is the root of the squares of orders 2 to 40 over the first (IEC 61000-4-7, value from memory); THD+N everything but
the first order and the direct part, over the first, as far up as the record reaches.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.periodic import fundamental, harmonics, whole_periods

Array = NDArray[np.float64]

ORDERS = 40
NEAR_TOP = 0.95  # of the crest
SINE_NEAR_TOP = 2.0 * math.acos(NEAR_TOP) / math.pi  # of the time a sine is nearer to its crest than that
STEADY = 3  # periods at least
A_PERIOD = 2000  # stretches that a period is folded into
A_HALF = 20  # stretches of half a period that begin within each


@dataclass(frozen=True)
class Shape:
    """V, Hz, and shares of the first order; ``orders`` (41,) are rms, the direct part first. ``top`` is the time spent
    near the crest over that of a sine, ``halves`` what the upper crest is beyond the lower, over their mean."""

    frequency_Hz: float
    rms_V: float
    orders: Array
    thd: float
    thd_n: float
    even: float
    odd: float
    crest: float
    top: float
    halves: float
    periods: int

    @property
    def dc_V(self) -> float:
        return float(self.orders[0])


def shape_of(volts: Array, step_s: float, hertz: float | None = None) -> Shape | None:
    """``volts`` (n,) in V; ``hertz`` where it is known already. None where fewer than three periods repeat."""
    hertz = hertz or fundamental(volts, step_s)
    if hertz is None:
        return None
    periods, length = whole_periods(len(volts), step_s, hertz)
    orders = min(ORDERS, math.floor(0.49 / (hertz * step_s)))
    if periods < STEADY or orders < 2:
        return None
    lines = harmonics(volts, step_s, hertz, orders)
    rms = np.zeros(ORDERS + 1)
    rms[: orders + 1] = np.abs(lines)
    rms[0] = float(np.real(lines[0]))
    whole = volts[: round(length)]
    square = float(np.mean(whole**2))
    first = float(rms[1])
    period = folded(whole - rms[0], step_s, hertz)
    upper, lower = float(np.max(period)), -float(np.min(period))
    most = max(upper, lower)
    near = float(np.mean(np.abs(period) >= NEAR_TOP * most))
    rest = max(0.0, square - rms[0] ** 2 - first**2)
    return Shape(
        hertz, math.sqrt(square), rms, _root(rms[2:]) / first, math.sqrt(rest) / first, _root(rms[2::2]) / first,
        _root(rms[3::2]) / first, most / math.sqrt(max(1e-30, square - rms[0] ** 2)), near / SINE_NEAR_TOP,
        2.0 * (upper - lower) / (upper + lower), periods,
    )  # fmt: skip


def _root(rms: Array) -> float:
    return math.sqrt(float(np.sum(rms**2)))


def folded(volts: Array, step_s: float, hertz: float) -> Array:
    """All periods laid over one another: what does not repeat averages out of it."""
    places = min(A_PERIOD, max(16, int(1.0 / (hertz * step_s))))
    at = np.floor((np.arange(len(volts)) * hertz * step_s % 1.0) * places).astype(int)
    counts = np.bincount(at, minlength=places)
    sums = np.bincount(at, weights=volts, minlength=places)
    return np.asarray(sums[counts > 0] / counts[counts > 0])


def half_periods(volts: np.ndarray, step_s: float, hertz: float) -> tuple[np.ndarray, np.ndarray]:
    """(rms, the moment it begins in s from the first sample) of stretches of half a period that overlap, ``A_HALF`` of
    them begun in each; the rms over half a period of a sine does not depend on where in it the stretch begins."""
    length = round(0.5 / (hertz * step_s))
    total = np.concatenate([[0.0], np.cumsum(volts**2)])
    begins = np.arange(0, len(volts) - length + 1, max(1, length // A_HALF))
    return np.sqrt((total[begins + length] - total[begins]) / length), begins * step_s
