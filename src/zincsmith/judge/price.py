"""What it would take to test what a claim still lacks, in seconds of the plan that was run."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.plan import Plan
from zincsmith.procedures.static_grid.options import grid_of


def price_s(lacks: Sequence[str], plan: Plan, held_s: float | None = None) -> float | None:
    """Warm-up, what a line takes that is missing whole, a point for each corner, and the time it has to be held; None
    for a plan without a grid, or where nothing but another room is missing, which no plan makes."""
    grid = grid_of(plan.parts)
    held = [x for x in lacks if "under load" in x or "steady" in x]
    lacks = [x for x in lacks if x not in held and "room" not in x]
    if grid is None or not (lacks or held):
        return None
    point = grid.settle_s + grid.settled_window_s + grid.average_s
    lines = [x for x in lacks if "load" not in x]
    loads = len(grid.loads_percent)
    longer = max(0.0, (held_s or 0.0) - grid.warm_up_s) if held else 0.0
    return longer + grid.warm_up_s + len(lines) * (grid.rewarm_s + loads * point) + (len(lacks) - len(lines)) * point
