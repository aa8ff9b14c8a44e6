"""A ranking with an open recipe: points of each figure, a weighted score with its uncertainty, shared ranks, and how
far a weight has to move before somebody else wins.

What earns 0 and 100 points is set by whoever buys, so that no unit can reorder the rest. Pure arithmetic.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

ALIKE = 1e-9  # points that lie no further apart are the same
COVERS = 2.0  # expanded: two scores that lie no further apart than so many standard uncertainties share a rank


@dataclass(frozen=True)
class Wish:
    """One figure of a recipe: ``nought`` earns no points, ``full`` a hundred, in its unit and either way round."""

    figure: str
    nought: float
    full: float
    weight: float = 1.0

    def points(self, value: float) -> float:
        """0 to 100."""
        share = (value - self.nought) / (self.full - self.nought)
        return 100.0 * min(1.0, max(0.0, share))

    def slope(self, value: float) -> float:
        """Points for each unit of the figure; nothing beyond its ends."""
        share = (value - self.nought) / (self.full - self.nought)
        return 100.0 / abs(self.full - self.nought) if 0.0 <= share <= 1.0 else 0.0


Measured = Mapping[str, tuple[float, float]]  # (value, standard uncertainty) by figure


@dataclass(frozen=True)
class Scored:
    """``rank`` is shared where scores cannot be told apart."""

    name: str
    score: float
    u: float
    rank: int


@dataclass(frozen=True)
class Turn:
    """The weight of a figure at which another one wins, None where none does; the winner there."""

    figure: str
    weight: float
    turns_at: float | None
    winner: str


def scored(wishes: Sequence[Wish], units: Mapping[str, Measured]) -> list[Scored]:
    """The best first. ValueError where the weights add up to nothing; KeyError for a figure that a unit lacks."""
    total = sum(w.weight for w in wishes)
    if not total > 0.0:
        raise ValueError("the weights of a recipe add up to more than nothing")
    found = []
    for name, figures in units.items():
        score = sum(w.weight * w.points(figures[w.figure][0]) for w in wishes) / total
        u = math.sqrt(
            sum((w.weight / total * w.slope(figures[w.figure][0]) * figures[w.figure][1]) ** 2 for w in wishes)
        )
        found.append((name, score, u))
    found.sort(key=lambda one: -one[1])
    return [Scored(name, score, u, 1 + sum(better(s, score, v, u) for _, s, v in found)) for name, score, u in found]


def better(one: float, other: float, u_one: float, u_other: float) -> bool:
    """By more than both are uncertain by."""
    return one - other > max(1e-9, COVERS * math.hypot(u_one, u_other))


def turns(wishes: Sequence[Wish], units: Mapping[str, Measured]) -> list[Turn]:
    """For each figure the weight nearest to its own, from nothing up, at which another unit has the highest score."""
    if len(units) < 2:
        return [Turn(w.figure, w.weight, None, "") for w in wishes]
    winner = scored(wishes, units)[0].name
    points = {name: [w.points(figures[w.figure][0]) for w in wishes] for name, figures in units.items()}
    found = []
    for k, wish in enumerate(wishes):
        at: list[tuple[float, float, str]] = []
        for name in units:
            if name == winner:
                continue
            ahead = [a - b for a, b in zip(points[winner], points[name], strict=True)]
            rest = sum(w.weight * d for n, (w, d) in enumerate(zip(wishes, ahead, strict=True)) if n != k)
            if abs(ahead[k]) > ALIKE and (weight := -rest / ahead[k]) >= 0.0:
                at.append((abs(weight - wish.weight), weight, name))
        nearest = min(at, default=None)
        found.append(Turn(wish.figure, wish.weight, nearest[1] if nearest else None, nearest[2] if nearest else winner))
    return found
