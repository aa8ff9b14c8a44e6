"""What the converters of a board can give at most, by what was found of their outputs, against what is claimed.

A converter gives one mode at a time: its ceiling is the most of the products of volts and trip amps of whatever hangs
on it. What its output capacitors stand bounds the volts. Claims that together lie beyond the ceilings hold one at a
time.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zincsmith.model.intake import Part

MAKES = ("controller", "switch", "inductor")  # the parts that a converter is told by
USED_SHARE = 0.9  # of the volts that a capacitor is marked for; common practice, no source


@dataclass(frozen=True)
class Ceiling:
    """Of a converter, by the names of its parts and of the outputs that hang on it. ``watts`` is None where no trip of
    its outputs was found, ``volts`` and ``amps`` are those that make it; ``claimed_W`` is the most that is claimed of
    one of its outputs, ``stands_V`` what its output capacitors are marked for, ``asked_V`` the most volts of its
    outputs."""

    parts: tuple[str, ...]
    outputs: tuple[str, ...]
    watts: float | None
    volts: float | None
    amps: float | None
    claimed_W: float
    stands_V: float | None
    asked_V: float

    @property
    def short_of_claim(self) -> bool:
        return self.watts is not None and self.watts < self.claimed_W

    @property
    def beyond_capacitors(self) -> bool:
        return self.stands_V is not None and self.asked_V > USED_SHARE * self.stands_V


Trips = Mapping[str, Sequence[tuple[float, float]]]


def ceilings(parts: Sequence[Part], trips: Trips, claimed: Mapping[str, tuple[float, float]]) -> list[Ceiling]:
    """``trips`` are (volts, amps) by output, one for each mode; ``claimed`` (most volts, most watts) by output. By the
    outputs that hang on one converter, in the order of the parts; nothing where no part says which it serves."""
    found: dict[tuple[str, ...], list[Part]] = {}
    for part in parts:
        if part.what in MAKES and part.serves:
            found.setdefault(part.serves, []).append(part)
    return [_ceiling(outputs, of, parts, trips, claimed) for outputs, of in found.items()]


def _ceiling(
    outputs: tuple[str, ...], of: Sequence[Part], parts: Sequence[Part], trips: Trips,
    claimed: Mapping[str, tuple[float, float]],
) -> Ceiling:  # fmt: skip
    tripped = [pair for name in outputs for pair in trips.get(name, ())]
    best = max(tripped, key=lambda pair: abs(pair[0]) * pair[1], default=None)
    marked = [p.rated_V for p in parts if p.what == "output capacitor" and p.rated_V and set(p.serves) & set(outputs)]
    stated = [claimed[name] for name in outputs if name in claimed]
    return Ceiling(
        tuple(p.name for p in of), outputs, abs(best[0]) * best[1] if best else None, best[0] if best else None,
        best[1] if best else None, max((watts for _, watts in stated), default=0.0), min(marked, default=None),
        max((volts for volts, _ in stated), default=0.0),
    )  # fmt: skip
