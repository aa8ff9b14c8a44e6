"""Beyond the rating: the shares of it that trials begin at and go to."""

from __future__ import annotations

from zincsmith.model.actions import SetLoad
from zincsmith.procedures.base import Context

RATED, RELEASED = 100.0, 50.0  # percent: where a trial begins, and what is left once the overload goes
HOLDS = 0.95  # of the volts before


def beyond(ctx: Context, percent: float, port: str, ceiling_percent: float, after: float | None = None) -> SetLoad:
    """The load at an output at a share of its rating that lies above it, up to a ceiling; ``after`` is the share that
    comes next where it holds."""
    amps = ctx.load_A(RATED, port) * percent / RATED
    level = ctx.level(percent, port) if ctx.law != "CC" else None
    next_A = amps * after / percent if after is not None else None
    return SetLoad(amps, True, port, ctx.law, level, beyond=ceiling_percent / 100.0, next_A=next_A)
