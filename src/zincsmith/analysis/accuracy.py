"""From the data sheet of an instrument to the uncertainty of its readings."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from zincsmith.analysis.uncertainty import Column, Part
from zincsmith.model.reading import Reading


def limit_of_error(reading: Reading) -> float:
    """Half-width in the unit of the reading: reading % x reading + range % x range + offset."""
    value = abs(reading.value or 0.0)
    return (
        reading.reading_percent / 100.0 * value
        + reading.range_percent / 100.0 * (reading.range or 0.0)
        + reading.offset
    )


def shared_and_own(reading: Reading) -> tuple[float, float]:
    """Standard uncertainties (shared by all readings of this function and range, of this reading alone).

    The limit is the half-width of one rectangular distribution, u = limit / sqrt 3. With reading % and range %
    only, the gain is shared and the rest, sqrt(limit^2 - gain^2) / sqrt 3, is separate; where resolution, noise
    or non-linearity are stated, these are separate and the rest is shared. The shared part keeps the sign of the
    reading, so that a gain error moves positive and negative readings apart.
    """
    limit, value = limit_of_error(reading), reading.value or 0.0
    stated = (
        reading.resolution**2 / 12.0
        + reading.noise**2
        + (reading.nonlinearity_percent / 100.0 * (reading.range or 0.0)) ** 2 / 3.0
    )
    if stated > 0.0:
        shared = math.sqrt(max(0.0, limit**2 / 3.0 - stated))
        return math.copysign(shared, value), math.sqrt(stated)
    gain = reading.reading_percent / 100.0 * value
    return gain / math.sqrt(3.0), math.sqrt(max(0.0, limit**2 - gain**2) / 3.0)


def column(readings: Sequence[Reading]) -> Column:
    """The readings of one quantity as a column (n,). Every reading must have a value; raises ValueError else.

    Parts: one shared part for each instrument, function and range; one of the data sheet for each reading; one
    of type A, spread / sqrt(count) with count - 1 degrees of freedom, where a reading is a mean; one shared part
    for what is not known about a correction.
    """
    if any(r.value is None for r in readings):
        raise ValueError("a reading without a value cannot enter a figure")
    n = len(readings)
    values = np.array([r.value for r in readings], dtype=np.float64)
    gains: dict[str, Part] = {}
    parts: list[Part] = []
    for at, reading in enumerate(readings):
        shared, own = shared_and_own(reading)
        if shared:
            name = f"gain of {reading.source}, {reading.quantity}, {reading.range or 0:g} range"
            gains.setdefault(name, Part(name, np.zeros(n), True)).effect[at] = shared
        if reading.correction_u:
            name = reading.correction_for
            gains.setdefault(name, Part(name, np.zeros(n), True)).effect[at] = reading.correction_u
        if own:
            parts.append(_single(f"{reading.id} data sheet", at, n, own, None))
        if reading.spread and reading.count > 1:
            mean_u = reading.spread / math.sqrt(reading.count)
            parts.append(_single(f"{reading.id} repeats", at, n, mean_u, reading.count - 1.0))
    return Column(values, (*gains.values(), *parts))


def _single(source: str, at: int, n: int, u: float, dof: float | None) -> Part:
    effect = np.zeros(n)
    effect[at] = u
    return Part(source, effect, False, dof)
