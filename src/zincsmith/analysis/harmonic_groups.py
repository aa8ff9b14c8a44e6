"""Groups of a current after IEC 61000-4-7 (values from memory), window by window, and their smoothing with 1.5 s.

A window holds 10 periods of 50 Hz or 12 of 60 Hz, so that its lines stand 5 Hz apart. A group of an order is its own
line with those nearer to it than to the next order; the two halfway lines count half. The fundamental and its multiples
are fitted, and what is left is looked at line by line: a window need not hold a whole number of samples.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.periodic import harmonics, lines_of, thin
from zincsmith.analysis.power import WINDOW, WINDOW_SLACK, Power

Array = NDArray[np.float64]

SMOOTHING_S = 1.5
A_PERIOD = 512  # samples a period that lines between orders are looked for in


def window_periods(power: Power) -> int | None:
    """Periods of a window at the frequency of a record; None where there is no window for it."""
    if power.frequency is None:
        return None
    f = power.frequency
    return next((p for n, p in WINDOW.items() if abs(f - n) <= WINDOW_SLACK * n), None)


def window_groups(amps: Array, step_s: float, power: Power) -> Array | None:
    """Rms of the groups of the current, A, in each whole window: (windows, orders + 1); None without one."""
    periods = window_periods(power)
    if periods is None or power.frequency is None or power.current is None or (power.periods or 0) < periods:
        return None
    length = periods / (power.frequency * step_s)
    orders, whole = len(power.current) - 1, math.ceil(length)
    begins = [round(k * length) for k in range((power.periods or 0) // periods)]
    windows = [amps[b : b + whole] for b in begins if b + whole <= len(amps)]
    if not windows:
        return None
    data = np.array(windows)
    exact = harmonics(data, step_s, power.frequency, orders)
    rest = data - _synthesis(exact, step_s, power.frequency, data.shape[-1])
    half = periods // 2
    few = thin(rest, step_s, power.frequency, A_PERIOD)  # what averaging takes from lines between orders is below 1 %
    between = np.abs(lines_of(few.values, orders * periods + half)) ** 2
    out = np.abs(exact)
    if between.shape[-1] <= orders * periods + half:  # too few samples for lines beside the highest orders
        return np.asarray(out)
    for order in range(1, orders + 1):
        at = order * periods
        near = between[:, at - half : at + half + 1].copy()
        near[:, [0, -1]] *= 0.5
        out[:, order] = np.sqrt(out[:, order] ** 2 + np.sum(near, axis=-1))
    return np.asarray(out)


def _synthesis(lines: NDArray[np.complex128], step_s: float, frequency_Hz: float, n: int) -> Array:
    """(windows, n) the current that the orders make together."""
    turn = np.exp(2j * math.pi * frequency_Hz * step_s * np.arange(n))
    out = np.repeat(np.real(lines[:, :1]), n, axis=1)
    power = np.ones_like(turn)
    for order in range(1, lines.shape[-1]):
        power = power * turn
        out += math.sqrt(2.0) * np.real(lines[:, order, None] * power)
    return np.asarray(out, dtype=np.float64)


def smoothed(windows_A: Array, window_s: float) -> Array:
    """(windows, orders + 1) through a first-order low pass of 1.5 s that begins at rest with the first window."""
    out = windows_A.copy()
    share = 1.0 - math.exp(-window_s / SMOOTHING_S)
    for n in range(1, len(out)):
        out[n] = out[n - 1] + share * (windows_A[n] - out[n - 1])
    return out
