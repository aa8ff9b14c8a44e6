"""From the data sheet of an instrument to the uncertainty of its readings."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.uncertainty import Column, Part
from zincsmith.model.reading import Reading


def limit_of_error(reading: Reading) -> float:
    """Half-width in the unit of the reading: reading % x reading + range % x range + offset; of a null reading that of
    the change and of what it is a change from."""
    return _own_limit(reading) + reading.against_limit


def _own_limit(reading: Reading) -> float:
    value = abs((reading.value if reading.change is None else reading.change) or 0.0)
    return (
        reading.reading_percent / 100.0 * value
        + reading.range_percent / 100.0 * (reading.range or 0.0)
        + reading.offset
    )


def scatter_u(reading: Reading) -> float:
    """Standard uncertainty by which a reading may differ from others of its function and range, when gain is what they
    share: a threshold for what is looked for as scatter, never a bound. Stated resolution, noise and non-linearity,
    else what the limit holds beside the part that goes with the reading."""
    stated = _stated(reading)
    if stated > 0.0:
        return math.sqrt(stated)
    limit, gain = limit_of_error(reading), reading.reading_percent / 100.0 * (reading.value or 0.0)
    return math.sqrt(max(0.0, limit**2 - gain**2) / 3.0)


def _stated(reading: Reading) -> float:
    """Variance of what is stated to differ from reading to reading: display step, noise, non-linearity."""
    bend = reading.nonlinearity_percent / 100.0 * (reading.range or 0.0)
    return reading.resolution**2 / 12.0 + reading.noise**2 + bend**2 / 3.0


def column(readings: Sequence[Reading], minutes: float | None = None, alike: bool = False) -> Column:
    """The readings of one quantity as a column (n,). Every reading must have a value; raises ValueError else.

    The limit of a data sheet is the half-width of one rectangular distribution, u = limit / sqrt 3, and holds all that
    is stated beside it: display step, noise and non-linearity are each reading's own, the rest is shared where the
    non-linearity is stated (gain and offset remain) or where all readings were taken within the ``minutes`` that a
    transfer accuracy holds for (which then is each reading's own), or where something else has shown it (``alike``);
    else nobody knows how it splits, and it is *unsplit*. So stating a display step never makes a difference look better
    than the limit allows.

    Parts: one for each instrument, function and range; one for each reading's own; one of type A, spread / sqrt(count)
    with count - 1 degrees of freedom, where a reading is a mean; one shared part for what is not known about a
    correction, one for the phase error of a power meter. An error that readings share keeps the sign of the reading, as
    a gain does.
    """
    if any(r.value is None for r in readings):
        raise ValueError("a reading without a value cannot enter a figure")
    n = len(readings)
    values = np.array([r.value for r in readings], dtype=np.float64)
    gains: dict[str, Part] = {}
    parts: list[Part] = []
    for at, reading in enumerate(readings):
        close = minutes is not None and n > 1 and 0.0 < minutes <= reading.transfer_min
        stated = _stated(reading) + (reading.transfer**2 / 3.0 if close else 0.0)
        limit = _own_limit(reading)
        value = (reading.value if reading.change is None else reading.change) or 0.0
        limit_u = limit / math.sqrt(3.0)
        # Near zero the sign is chance, and what is shared there is an offset.
        rest = math.copysign(math.sqrt(max(0.0, limit_u**2 - stated)), value if abs(value) > limit else 1.0)
        split = reading.nonlinearity_percent > 0.0 or close or alike
        if reading.against:
            parts.append(_single(f"{reading.id} null", at, n, limit_u, None, rectangular=True))
        elif rest:
            meter = f"{reading.source} {reading.identity}".rstrip()
            name = f"{'gain of ' if split else ''}{meter}, {reading.address}, {reading.range or 0:g} range"
            one = Part(name, np.zeros(n), True, unsplit=not split, rectangular=True)
            gains.setdefault(name, one).effect[at] = rest
        if reading.correction_u:
            name = reading.correction_for
            gains.setdefault(name, Part(name, np.zeros(n), True, rectangular=True)).effect[at] = reading.correction_u
        if reading.phase_limit:
            bound = "" if reading.phase_known else ", at most"
            name = f"phase error of {reading.source} {reading.identity}".rstrip() + bound
            one = Part(name, np.zeros(n), True, rectangular=True)
            gains.setdefault(name, one).effect[at] = reading.phase_limit / math.sqrt(3.0)
        if stated:
            parts.append(_single(f"{reading.id} data sheet", at, n, math.sqrt(stated), None))
        if reading.spread and reading.count > 1:
            mean_u = reading.spread / math.sqrt(reading.count)
            parts.append(_single(f"{reading.id} repeats", at, n, mean_u, reading.count - 1.0))
    return Column(values, _carried((*gains.values(), *parts), readings))


def _carried(parts: Sequence[Part], readings: Sequence[Reading]) -> tuple[Part, ...]:
    """A null reading errs as the reading that it is a change from errs, beside its own error: where that one is in the
    column it takes its parts along, so that they cancel in the difference; else it brings a part for it."""
    n, found = len(readings), list(parts)
    for at, reading in enumerate(readings):
        if not reading.against:
            continue
        first = next((k for k, r in enumerate(readings) if r.id == reading.against), None)
        if first is None:
            found.append(_single(f"{reading.against} as what a null was read against", at, n,
                                 reading.against_limit / math.sqrt(3.0), None, rectangular=True))  # fmt: skip
            continue
        for part in found:
            if part.effect[first] and not part.source.startswith(f"{reading.id} "):
                part.effect[at] = part.effect[first]
    # What both err by alike is no longer a limit whose split nobody knows.
    linked = {k for k, r in enumerate(readings) if r.against or any(o.against == r.id for o in readings)}
    return tuple(
        replace(p, unsplit=False) if p.unsplit and set(np.flatnonzero(p.effect)) <= linked else p for p in found
    )


def _single(source: str, at: int, n: int, u: float, dof: float | None, rectangular: bool = False) -> Part:
    effect = np.zeros(n)
    effect[at] = u
    return Part(source, effect, False, dof, rectangular=rectangular)
