"""A fixed base of resistors or lamps beside a load that can be set: how the two share a current, what to switch next,
and the highest total that can be reached."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cache
from itertools import combinations


@dataclass(frozen=True)
class Sharing:
    """Which steps of the base are on, by place in the list, what they draw and what is left for the other load, A."""

    steps: tuple[int, ...]
    base_A: float
    left_A: float


def share(
    wanted_A: float, steps_A: Sequence[float], most_A: float, on: Collection[int] = (), least_A: float = 0.0
) -> Sharing | None:
    """How a current is shared: the steps of which the least have to be switched from those that are ``on``, of equally
    many the fewest, so that what is left lies within what the other load can take. None where nothing does.

    Below ``least_A`` the other load does not regulate; nothing at all is left to it where the base draws it alone.
    """
    places, slack = range(len(steps_A)), 1e-9 * max(1.0, wanted_A)
    found: list[tuple[int, int, Sharing]] = []
    for n in range(len(steps_A) + 1):
        for steps in combinations(places, n):
            base = float(sum(steps_A[k] for k in steps))
            left = wanted_A - base
            if left <= most_A + slack and (left >= least_A - slack or abs(left) <= slack):
                found.append((len(set(steps) ^ set(on)), n, Sharing(steps, base, max(0.0, left))))
    return min(found, key=lambda f: f[:2])[2] if found else None


def highest_A(steps_A: Sequence[float], most_A: float) -> float:
    """The highest total that base and load reach together."""
    return sum(steps_A) + most_A


def switching_order(now: Collection[int], then: Collection[int], steps_A: Sequence[float]) -> list[int]:
    """In which order steps are switched from ``now`` to ``then``, one at a time: that in which the total on the way
    leaves the span between both ends the least, so that the unit is neither unloaded nor loaded twice."""
    toggles = tuple(sorted(set(now) ^ set(then)))
    start = sum(steps_A[k] for k in now)
    change = [-steps_A[k] if k in now else steps_A[k] for k in toggles]
    end = start + sum(change)
    low, high = min(start, end), max(start, end)

    @cache
    def best(done: int) -> tuple[float, tuple[int, ...]]:
        """(greatest excursion from here on, the order) once the toggles of ``done`` are switched."""
        if done == (1 << len(toggles)) - 1:
            return 0.0, ()
        options = []
        for k in range(len(toggles)):
            if not done >> k & 1:
                total = start + sum(change[j] for j in range(len(toggles)) if (done | 1 << k) >> j & 1)
                further, order = best(done | 1 << k)
                options.append((max(total - high, low - total, further, 0.0), (k, *order)))
        return min(options)

    return [toggles[k] for k in best(0)[1]]
