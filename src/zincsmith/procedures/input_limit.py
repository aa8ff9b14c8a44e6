"""How much a unit may draw while it is fed with less than it is made for."""

from __future__ import annotations

from zincsmith.model.reading import Point
from zincsmith.procedures.base import Context

MOST_INPUT, OF_FUSE = 1.5, 0.8  # of the plate's input current, of a fuse; common practice, no source


def too_much_drawn(ctx: Context, point: Point | None) -> str:
    """Why the input may be made no weaker: what it draws; empty where it may."""
    reading = point.get("input_current") if point is not None else None
    if reading is None or reading.value is None:
        return ""
    plate_A = ctx.nameplate.input.current_A
    bounds = [(MOST_INPUT * plate_A, f"{MOST_INPUT:g} times the amps of its plate")] if plate_A else []
    bounds += [
        (OF_FUSE * p.rated_A, f"{100 * OF_FUSE:g} % of what {p.name} is marked for")
        for p in ctx.unit.look.parts
        if p.what == "fuse" and p.rated_A is not None
    ]
    least = min(bounds, default=None)
    if least is None or reading.value <= least[0]:
        return ""
    return f"its input drew {reading.value:.3g} A, more than {least[1]}"
