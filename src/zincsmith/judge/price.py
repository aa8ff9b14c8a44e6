"""What it would take to test what a claim still lacks, in seconds of the plan that was run."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.plan import GridOptions, Plan


def price_s(lacks: Sequence[str], plan: Plan) -> float | None:
    """Warm-up, what a line takes that is missing whole, and a point for each corner; None for a plan without a grid."""
    grid = next((p for p in plan.parts if isinstance(p, GridOptions)), None)
    if grid is None or not lacks:
        return None
    point = grid.settle_s + grid.settled_window_s + grid.average_s
    lines = [x for x in lacks if "load" not in x]
    loads = len(grid.loads_percent)
    return grid.warm_up_s + len(lines) * (grid.rewarm_s + loads * point) + (len(lacks) - len(lines)) * point
