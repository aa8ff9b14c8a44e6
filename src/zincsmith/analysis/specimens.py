"""Several specimens of one model: mean, spread, the interval that holds most of all that are made; and whether two
models differ by more than their specimens do.

Normal distribution assumed. Tolerance factors: one-sided by the noncentral t distribution, two-sided by the
approximation of Howe (1969), both in the NIST/SEMATECH handbook, 7.2.6.3; difference of means by Welch's test.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

SHARE, SURE = 0.95, 0.95  # of all that are made, and how sure
ALIKE = 1e-12  # of the mean: less is no spread
TELLS = 0.05  # below this probability a difference is none of chance


@dataclass(frozen=True)
class Specimens:
    """``low`` and ``high``: 95 % of all that are made lie within, 95 % sure; None for fewer than two."""

    count: int
    mean: float
    least: float
    most: float
    deviation: float | None
    low: float | None
    high: float | None


@cache
def two_sided_factor(count: int, share: float = SHARE, sure: float = SURE) -> float:
    """Of the standard deviation, on either side of the mean of so many."""
    from scipy.stats import chi2, norm

    z = float(norm.ppf(0.5 * (1.0 + share)))
    return z * math.sqrt((count - 1) * (1.0 + 1.0 / count) / float(chi2.ppf(1.0 - sure, count - 1)))


@cache
def one_sided_factor(count: int, share: float = SHARE, sure: float = SURE) -> float:
    """Of the standard deviation, on one side."""
    from scipy.stats import nct, norm

    return float(nct.ppf(sure, count - 1, float(norm.ppf(share)) * math.sqrt(count))) / math.sqrt(count)


def specimens(values: Sequence[float]) -> Specimens:
    """ValueError for none."""
    count = len(values)
    if not count:
        raise ValueError("there is no specimen")
    mean = math.fsum(values) / count
    if count < 2:
        return Specimens(count, mean, values[0], values[0], None, None, None)
    deviation = math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (count - 1))
    half = two_sided_factor(count) * deviation
    return Specimens(count, mean, min(values), max(values), deviation, mean - half, mean + half)


def chance_of(one: Sequence[float], other: Sequence[float]) -> float | None:
    """The probability that two models of one mean would differ so much by the specimens that were drawn; None with
    fewer than two of either, or without any spread."""
    from scipy.special import stdtr

    if len(one) < 2 or len(other) < 2:
        return None
    a, b = specimens(one), specimens(other)
    share_a, share_b = ((s.deviation or 0.0) ** 2 / s.count for s in (a, b))
    both = share_a + share_b
    if both <= (ALIKE * max(abs(a.mean), abs(b.mean))) ** 2:
        return None
    freedom = both**2 / (share_a**2 / (a.count - 1) + share_b**2 / (b.count - 1))
    return float(2.0 * stdtr(freedom, -abs(a.mean - b.mean) / math.sqrt(both)))
