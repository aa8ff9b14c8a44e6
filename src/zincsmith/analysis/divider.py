"""The divider that sets an output: both ways, of preferred values, with the spread that tolerances make, and trimmed.

V = Vref (1 + upper / lower). Preferred values: IEC 60063 (values from memory); E24 and below are a table of two digits,
E48 and above follow 10^(n / N) to three digits, but for 9.20 in E192.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import product

E24 = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
TABLED = {"E3": 8, "E6": 4, "E12": 2, "E24": 1}  # every so manieth of E24
COUNTED = {"E48": 48, "E96": 96, "E192": 192}
SERIES = (*TABLED, *COUNTED)
SHOWN = 6


def preferred(series: str) -> tuple[float, ...]:
    """The values of a series in one decade, from 1 on. ValueError for a series that is none."""
    if series in TABLED:
        return tuple(v / 10.0 for v in E24[:: TABLED[series]])
    if series not in COUNTED:
        raise ValueError(f"there is no series {series!r}; there are: {', '.join(SERIES)}")
    count = COUNTED[series]
    found = [round(10.0 ** (n / count), 2) for n in range(count)]
    return tuple(9.2 if v == 9.19 else v for v in found)


def output_V(ref_V: float, upper_ohm: float, lower_ohm: float) -> float:
    return ref_V * (1.0 + upper_ohm / lower_ohm)


def upper_for(ref_V: float, out_V: float, lower_ohm: float) -> float:
    """The resistor above, for an output."""
    return lower_ohm * (out_V / ref_V - 1.0)


def lower_for(ref_V: float, out_V: float, upper_ohm: float) -> float:
    """The resistor below, for an output."""
    return upper_ohm / (out_V / ref_V - 1.0)


@dataclass(frozen=True)
class Spread:
    """Of an output: the ends that parts at their limits make, and the standard deviation of parts drawn evenly."""

    low_V: float
    high_V: float
    u_V: float


def spread(ref_V: float, upper_ohm: float, lower_ohm: float, parts: float, ref: float) -> Spread:
    """``parts`` and ``ref`` are the limits of resistors and reference as shares. The output goes with Vref and with
    (upper - lower) at a weight of upper / (upper + lower); each limit a rectangle for the deviation."""
    ends = [output_V(ref_V * (1 + r * ref), upper_ohm * (1 + u * parts), lower_ohm * (1 + v * parts))
            for r, u, v in product((-1, 1), repeat=3)]  # fmt: skip
    out = output_V(ref_V, upper_ohm, lower_ohm)
    weight = upper_ohm / (upper_ohm + lower_ohm)
    u = out * math.sqrt((ref**2 + 2.0 * (weight * parts) ** 2) / 3.0)
    return Spread(min(ends), max(ends), u)


@dataclass(frozen=True)
class Pair:
    """Two resistors of a series, and the output that they set."""

    upper_ohm: float
    lower_ohm: float
    out_V: float


def pairs(ref_V: float, out_V: float, series: str, current_A: float) -> list[Pair]:
    """The pairs of a series nearest to an output, their current within a third to three times what is wanted, the best
    first. ValueError for an output that is not above its reference."""
    if not 0.0 < ref_V < out_V:
        raise ValueError("the output lies above its reference, and both above zero")
    values = preferred(series)
    wanted = ref_V / current_A
    decades = range(math.floor(math.log10(wanted / 3.0)), math.ceil(math.log10(wanted * 3.0)) + 1)
    lowers = [v * 10.0**d for d in decades for v in values if wanted / 3.0 <= v * 10.0**d <= 3.0 * wanted]
    found = []
    for lower in lowers:
        ideal = upper_for(ref_V, out_V, lower)
        decade = 10.0 ** math.floor(math.log10(ideal))
        near = min(
            (v * d for v in values for d in (decade / 10.0, decade, 10.0 * decade)), key=lambda r: abs(r - ideal)
        )
        found.append(Pair(near, lower, output_V(ref_V, near, lower)))
    return sorted(found, key=lambda p: (abs(p.out_V - out_V), abs(p.lower_ohm - wanted)))[:SHOWN]


def trims(ref_V: float, upper_ohm: float, lower_ohm: float, out_V: float) -> tuple[float | None, float | None]:
    """(across the lower one, across the upper one): the resistor that raises or lowers a divider to another output,
    ohm; None for the way it does not go."""
    now = output_V(ref_V, upper_ohm, lower_ohm)
    if out_V > now:  # the lower one has to become less
        needed = lower_for(ref_V, out_V, upper_ohm)
        return needed * lower_ohm / (lower_ohm - needed), None
    if out_V < now and out_V > ref_V:
        needed = upper_for(ref_V, out_V, lower_ohm)
        return None, needed * upper_ohm / (upper_ohm - needed)
    return None, None
