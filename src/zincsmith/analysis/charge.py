"""A charge: what a battery may be given, and what a profile of volts and amps over time says of one.

Limits of a cell are what makers' sheets commonly print; values from memory, and the sheet of the cell at hand goes
before them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
STEADY = 0.95  # of the amps that were set: so much is constant current, less is what the battery takes at its volts


@dataclass(frozen=True)
class Cell:
    """``most_V`` that it is charged to, ``dead_V`` below which nobody charges it, ``most_C`` the most amps as a share
    of its ampere-hours; ``lithium``: never without protection of its own."""

    most_V: float
    dead_V: float
    most_C: float
    lithium: bool = False


CELLS = {
    "lead-acid": Cell(2.45, 1.75, 0.3),
    "Li-ion": Cell(4.20, 2.5, 1.0, True),
    "LiFePO4": Cell(3.65, 2.0, 1.0, True),
}


@dataclass(frozen=True)
class Charged:
    """Ampere-hours, watt-hours and seconds in all; ``cc_s`` at constant current, ``cc_A`` its mean amps and ``cv_V``
    the mean volts that were held after it, None where there was none; ``end_A`` the last amps."""

    amp_hours: float
    watt_hours: float
    seconds: float
    cc_s: float
    cc_A: float | None
    cv_V: float | None
    end_A: float


def charged(times_s: Sequence[float], volts: Sequence[float], amps: Sequence[float], set_A: float) -> Charged:
    """Of a profile; ``times_s`` (n,) rise, ``set_A`` is what it is charged with. By trapezoids. ValueError for fewer
    than two points."""
    t, v, i = (np.asarray(one, dtype=np.float64) for one in (times_s, volts, amps))
    if len(t) < 2:
        raise ValueError("a profile has two points at least")
    at_rate = i >= STEADY * set_A
    first_held = float(t[~at_rate][0]) if not at_rate.all() else float(t[-1])
    late = ~at_rate & (t > first_held)  # the corner itself is neither
    return Charged(
        _integral(i, t) / 3600.0, _integral(v * i, t) / 3600.0, float(t[-1] - t[0]), first_held - float(t[0]),
        float(np.mean(i[at_rate])) if at_rate.any() else None, float(np.mean(v[late])) if late.any() else None,
        float(i[-1]),
    )  # fmt: skip


def _integral(values: Array, times_s: Array) -> float:
    return float(np.sum(0.5 * (values[1:] + values[:-1]) * np.diff(times_s)))
