"""The lowest input at which an output is still what it should be, from sweeps of the input at several loads.

A falling sweep begins with a unit that runs, a rising one with a unit that is off; where they differ there is a
hysteresis. Near the edge an output may hunt: go, and come back at an input that is lower still.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

ALIKE = 0.05  # of a load: currents nearer to each other are one load
LEAST_A = 0.02  # A: nearer than that all are none


@dataclass(frozen=True)
class LowestInput:
    """Of one load: the lowest good input of its falling and of its rising sweep, V, None where there is none or it
    never left the tolerance; the first input that was not good beside it."""

    load_A: float
    falling_V: float | None
    rising_V: float | None
    not_good_V: float | None
    hunting: bool

    @property
    def hysteresis_V(self) -> float | None:
        if self.falling_V is None or self.rising_V is None:
            return None
        return self.rising_V - self.falling_V


def lowest_inputs(
    input_V: Array, output_V: Array, output_A: Array, nominal_V: float, within: float
) -> list[LowestInput]:
    """By rising load. ``within`` is the half-width of the tolerance as a share of nominal. Rows stand in the order they
    were taken. ValueError where no row is good."""
    good = np.abs(np.abs(output_V) - nominal_V) <= within * nominal_V
    if not good.any():
        raise ValueError("no row has its output within the tolerance")
    loads = loads_of(np.abs(output_A), good)
    return [_of_load(loads == k, float(np.median(np.abs(output_A)[(loads == k) & good])), input_V, good)
            for k in range(int(loads.max()) + 1)]  # fmt: skip


def loads_of(amps: Array, good: NDArray[np.bool_]) -> NDArray[np.int64]:
    """The load that each row belongs to: those with a good output by their amps; one without by its neighbour."""
    ordered = np.sort(amps[good])
    steps = np.diff(ordered) > np.maximum(LEAST_A, ALIKE * ordered[1:])
    edges = 0.5 * (ordered[1:][steps] + ordered[:-1][steps])
    own = np.searchsorted(edges, amps).astype(np.int64)
    known = np.flatnonzero(good)
    places = np.arange(len(amps))
    after = np.clip(np.searchsorted(known, places), 0, len(known) - 1)
    before = np.maximum(after - 1, 0)
    nearest = np.where(places - known[before] <= known[after] - places, known[before], known[after])
    nearest = np.where(places <= known[0], known[0], nearest)
    return np.where(good, own, own[nearest])


def _of_load(rows: NDArray[np.bool_], load_A: float, input_V: Array, good: NDArray[np.bool_]) -> LowestInput:
    at, fine = input_V[rows], good[rows]
    way = ways_of(at)
    falling, not_good, hunts_down = _edge(at[way < 0.0], fine[way < 0.0])
    rising, beside, hunts_up = _edge(at[way > 0.0], fine[way > 0.0])
    return LowestInput(load_A, falling, rising, not_good if not_good is not None else beside, hunts_down or hunts_up)


def _edge(at: Array, fine: NDArray[np.bool_]) -> tuple[float | None, float | None, bool]:
    """(lowest good, the first that is not beside it, whether it hunts) of a sweep."""
    edge, beside, hunts = edge_of(at, fine)
    if edge is None or beside is None:
        return None, None, False
    return float(at[edge]), float(at[beside]), hunts


def edge_of(at: Array, fine: NDArray[np.bool_]) -> tuple[int | None, int | None, bool]:
    """Of a sweep (n,), looked at from its high end: which row is the lowest good one, which is the first that is not
    good below it, whether one below that is good again. Not good at its high end: None; good all the way down: the
    lowest, and None."""
    if not len(at):
        return None, None, False
    order = np.argsort(-at, kind="stable")
    bad = np.flatnonzero(~fine[order])
    if not len(bad):
        return int(order[-1]), None, False
    first = int(bad[0])
    if first == 0:
        return None, int(order[0]), False
    return int(order[first - 1]), int(order[first]), bool(np.any(fine[order][first:]))


def ways_of(at: Array) -> Array:
    """By row (n,) whether the input was going up, +1, or down, -1; a row at the same input goes on as the one
    before."""
    way = np.sign(np.diff(at, prepend=at[:1]))
    way[:1] = way[1:2] if len(way) > 1 else -1.0
    for k in range(1, len(way)):
        if way[k] == 0.0:
            way[k] = way[k - 1]
    return way
