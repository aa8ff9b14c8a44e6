"""Curves that screens and report draw from the same points."""

from __future__ import annotations

import math
from dataclasses import replace

from zincsmith.model.reading import Evidence
from zincsmith.procedures.base import Curves
from zincsmith.procedures.catalogue import SHIPPED, in_order, procedure


def all_curves(evidence: Evidence) -> list[Curves]:
    """Every plot that the evidence allows, of each procedure in the order of the work, the grid before the rest."""
    found: list[Curves] = []
    for name in in_order((*evidence.procedures, *evidence.riders) if evidence.procedures else SHIPPED):
        drawn: dict[str, Curves] = {}
        for state in evidence.configurations or ("",):
            for one in procedure(name).plots(evidence.of_configuration(state).by(name)):
                named = tuple((f"{label}, {state}".strip(", "), x, y) for label, x, y in one.lines)
                before = drawn[one.title].lines if one.title in drawn else ()
                drawn[one.title] = replace(one, procedure=name, lines=(*before, *named))
        found += drawn.values()
    return [c for c in found if any(len(x) > 1 for _, x, _ in c.lines)]


def apart(values: list[float], gap: float, low: float = -math.inf, high: float = math.inf) -> list[float]:
    """Places for names beside rising values, none nearer than ``gap`` to the next, their middle kept as far as all of
    them stay between ``low`` and ``high``; those at one end give way by themselves, the others stay where they belong.
    """
    placed: list[float] = []
    for value in values:
        placed.append(max(value, placed[-1] + gap) if placed else value)
    shift = (sum(values) - sum(placed)) / max(1, len(values))
    if placed:
        shift = max(min(shift, high - placed[-1]), low - placed[0])
    placed = [p + shift for p in placed]
    top = high
    for n in range(len(placed) - 1, -1, -1):
        placed[n] = min(placed[n], top)
        top = placed[n] - gap
    return placed
