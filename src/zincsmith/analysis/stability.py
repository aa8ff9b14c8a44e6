"""Whether a live quantity has settled."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def drift_over_window(
    times_s: NDArray[np.float64], values: NDArray[np.float64], window_s: float
) -> tuple[float, float] | None:
    """(drift over ``window_s``, mean) from the least-squares slope of the last ``window_s``.

    None while the record does not span the window or has fewer than four samples in it.
    """
    if len(times_s) < 4 or times_s[-1] - times_s[0] < window_s * 0.999:
        return None
    inside = times_s >= times_s[-1] - window_s * 1.001
    t, y = times_s[inside], values[inside]
    if len(t) < 4:
        return None
    centred = t - np.mean(t)
    slope = float(np.sum(centred * y) / np.sum(centred**2))
    return slope * window_s, float(np.mean(y))


def settled(
    times_s: NDArray[np.float64], values: NDArray[np.float64], window_s: float, percent: float, floor: float
) -> bool:
    """True when the drift over the window is under ``percent`` of the mean, or under ``floor`` in any case."""
    found = drift_over_window(times_s, values, window_s)
    if found is None:
        return False
    drift, mean = found
    return abs(drift) < max(percent / 100.0 * abs(mean), floor)


def mean_and_spread(
    times_s: NDArray[np.float64], values: NDArray[np.float64], begin_s: float, end_s: float
) -> tuple[float, float] | None:
    """(mean, experimental standard deviation) from ``begin_s`` to ``end_s``, both included; the spread of one sample
    is 0. None where there is no sample."""
    inside = values[(times_s >= begin_s) & (times_s <= end_s)]
    if not len(inside):
        return None
    return float(np.mean(inside)), float(np.std(inside, ddof=1)) if len(inside) > 1 else 0.0
