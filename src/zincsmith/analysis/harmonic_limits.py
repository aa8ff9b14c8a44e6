"""Orders of a current against limits such as those of IEC 61000-3-2 (clause 6; the rules from memory).

The mean of an order is held to its limit, each smoothed value to one and a half of it. Two reliefs: odd orders from 21
on may reach one and a half on average where together, as partial odd harmonic current, they stay below what the limits
make together; and class A may pass one and a half, up to twice the limit, for a tenth of the observation or ten
minutes, the lesser, where the mean stays below nine tenths.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SMALL_A, SMALL_SHARE = 0.005, 0.006  # components below are disregarded
MOST_SMOOTHED = 1.5  # of the limit, each smoothed value
MOST_BRIEFLY, BRIEF_SHARE, BRIEF_S, BRIEF_MEAN = 2.0, 0.1, 600.0, 0.9
PARTIAL_FROM, PARTIAL_MEAN = 21, 1.5


@dataclass(frozen=True)
class JudgedOrders:
    """``worst`` is the order nearest to what it may reach (0: none counts), ``share`` of that; ``exceeded`` the orders
    beyond; ``reliefs`` say in words which exception let an order pass."""

    holds: bool
    worst: int
    share: float
    exceeded: tuple[int, ...]
    reliefs: tuple[str, ...] = ()


def judge_orders(
    average_A: Array,
    windows_A: Array | None,
    limits_A: Mapping[int, float],
    current_A: float,
    window_s: float = 0.2,
    briefly: bool = False,
) -> JudgedOrders:
    """``average_A`` (orders + 1,) against the limits by order, ``windows_A`` (windows, orders + 1), smoothed, against
    one and a half of them; ``current_A`` is the rms of the whole. ``briefly``: the class may pass that for a while."""
    small = max(SMALL_A, SMALL_SHARE * current_A)
    worst, share, exceeded, reliefs = 0, 0.0, [], []
    partial = _partial_is_low(average_A, limits_A)
    for order in range(2, len(average_A)):
        limit = limits_A.get(order)
        if limit is None or limit <= 0.0 or average_A[order] < small:
            continue
        mean = float(average_A[order]) / limit
        here = mean
        if order >= PARTIAL_FROM and order % 2 and mean > 1.0 and partial:
            here = mean / PARTIAL_MEAN
            reliefs.append(f"order {order} by the partial odd harmonic current")
        if windows_A is not None:
            each = windows_A[:, order] / limit
            most = MOST_SMOOTHED
            above = float(np.count_nonzero(each > MOST_SMOOTHED)) * window_s
            if briefly and above and mean <= BRIEF_MEAN and above <= min(BRIEF_SHARE * len(each) * window_s, BRIEF_S):
                most = MOST_BRIEFLY
                reliefs.append(f"order {order} beyond 150 % for {above:.2g} s only")
            here = max(here, float(np.max(each)) / most)
        if here > share:
            worst, share = order, here
        if here > 1.0:
            exceeded.append(order)
    return JudgedOrders(not exceeded, worst, share, tuple(exceeded), tuple(reliefs))


def _partial_is_low(average_A: Array, limits_A: Mapping[int, float]) -> bool:
    """Whether odd orders from 21 to 39 together stay below their limits together, root sum of squares."""
    orders = [n for n in range(PARTIAL_FROM, min(39, len(average_A) - 1) + 1, 2) if limits_A.get(n)]
    if not orders:
        return False
    limit = float(np.sqrt(sum(limits_A[n] ** 2 for n in orders)))
    return float(np.sqrt(np.sum(average_A[orders] ** 2))) <= limit
