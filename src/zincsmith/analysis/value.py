"""Value for money: what a duty costs in a year, and after how long a dearer unit has paid for itself.

Watts between two measured loads lie on the straight line between them; beyond the heaviest nothing is said. Readings of
one meter err together, so the uncertainty of a day is the sum of those of its hours: the safe side.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

DAYS = 365.25
BEYOND = 1.02  # of the heaviest load that was measured: as good as measured


@dataclass(frozen=True)
class Sum:
    """A value with its standard uncertainty."""

    value: float
    u: float


@dataclass(frozen=True)
class PayBack:
    """Years, with the ends that twice the uncertainty of what is saved makes; None: never."""

    years: float | None
    low: float | None
    high: float | None


def watts_at(measured: Sequence[tuple[float, float, float]], amps: float) -> Sum | None:
    """``measured`` are (A, W, u in W) at one line; None beyond them, and with fewer than two."""
    rows = sorted(measured)
    if len(rows) < 2 or not rows[0][0] <= amps <= BEYOND * rows[-1][0]:
        return None
    at, watts, u = (np.array(column) for column in zip(*rows, strict=True))
    if amps > at[-1]:  # along the last stretch
        slope = (watts[-1] - watts[-2]) / (at[-1] - at[-2])
        return Sum(float(watts[-1] + slope * (amps - at[-1])), float(u[-1]))
    return Sum(float(np.interp(amps, at, watts)), float(np.interp(amps, at, u)))


def yearly_kWh(measured: Sequence[tuple[float, float, float]], duty: Sequence[tuple[float, float]]) -> Sum | None:
    """Of (hours a day, A); None where one of them was not measured."""
    value = u = 0.0
    for hours, amps in duty:
        at = watts_at(measured, amps)
        if at is None:
            return None
        value, u = value + hours * at.value, u + hours * at.u
    return Sum(DAYS * value / 1000.0, DAYS * u / 1000.0)


def pay_back(dearer_by: float, saves_a_year: Sum) -> PayBack:
    """Of a unit that costs so much more and saves so much a year against another; at once where it is no dearer."""
    low, high = saves_a_year.value + 2.0 * saves_a_year.u, saves_a_year.value - 2.0 * saves_a_year.u

    def after(saved: float) -> float | None:
        if dearer_by <= 0.0:
            return 0.0 if saved >= 0.0 else None
        return dearer_by / saved if saved > 0.0 else None

    return PayBack(after(saves_a_year.value), after(low), after(high))


def even_price(other_price: float, saves_a_year: Sum, years: float) -> Sum:
    """The price up to which a unit is the cheaper one over so many years: there the winner changes."""
    return Sum(other_price + years * saves_a_year.value, years * saves_a_year.u)


def weighted(values: Sequence[tuple[float, float]]) -> float:
    """The mean of (weight, value). ValueError for no weight."""
    total = math.fsum(w for w, _ in values)
    if not total > 0.0:
        raise ValueError("nothing has a weight")
    return math.fsum(w * v for w, v in values) / total
