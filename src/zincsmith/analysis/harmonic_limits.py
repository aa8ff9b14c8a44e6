"""Orders of a current against limits such as those of IEC 61000-3-2."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

SMALL_A, SMALL_SHARE = 0.005, 0.006  # components below are disregarded
MOST_SMOOTHED = 1.5  # of the limit, each smoothed value


@dataclass(frozen=True)
class JudgedOrders:
    """``worst`` is the order nearest to its limit (0: none counts), ``share`` of it; ``exceeded`` the orders beyond."""

    holds: bool
    worst: int
    share: float
    exceeded: tuple[int, ...]


def judge_orders(
    average_A: NDArray[np.float64],
    windows_A: NDArray[np.float64] | None,
    limits_A: Mapping[int, float],
    current_A: float,
) -> JudgedOrders:
    """``average_A`` (orders + 1,) against the limits by order, ``windows_A`` (windows, orders + 1) against one and a
    half of them; ``current_A`` is the rms of the whole."""
    small = max(SMALL_A, SMALL_SHARE * current_A)
    worst, share, exceeded = 0, 0.0, []
    for order in range(2, len(average_A)):
        limit = limits_A.get(order)
        if limit is None or limit <= 0.0 or average_A[order] < small:
            continue
        here = float(average_A[order]) / limit
        if windows_A is not None:
            here = max(here, float(np.max(windows_A[:, order])) / (MOST_SMOOTHED * limit))
        if here > share:
            worst, share = order, here
        if here > 1.0:
            exceeded.append(order)
    return JudgedOrders(not exceeded, worst, share, tuple(exceeded))
