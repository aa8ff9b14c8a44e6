"""Beyond the rating: the shares of it that trials begin at and go to."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.actions import TELLS, Measure, Noticed, Observe, SetLoad
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.ports import at_load, idle

RATED, RELEASED = 100.0, 50.0  # percent: where a trial begins, and what is left once the overload goes
HOLDS = 0.95  # of the volts before
TOLD = "told_"  # stated with a point, before each of TELLS: 1 where it did


def beyond(ctx: Context, percent: float, port: str, ceiling_percent: float, after: float | None = None) -> SetLoad:
    """The load at an output at a share of its rating that lies above it, up to a ceiling; ``after`` is the share that
    comes next where it holds."""
    amps = ctx.load_A(RATED, port) * percent / RATED
    level = ctx.level(percent, port) if ctx.law != "CC" else None
    next_A = amps * after / percent if after is not None else None
    return SetLoad(amps, True, port, ctx.law, level, beyond=ceiling_percent / 100.0, next_A=next_A)


def told_its_user(ctx: Context, line: Line) -> Steps:
    """How the unit showed it, by who watched: a point that states it, none where nobody did. No load meanwhile."""
    yield from idle(ctx)
    answer = yield Observe(
        "How did it tell its user?", "While it was overloaded: what did it do by itself that a user notices?", TELLS
    )
    if isinstance(answer, Noticed) and answer.names is not None:
        stated = tuple((f"{TOLD}{name}", float(name in answer.names)) for name in TELLS)
        yield Measure((), 0.0, replace(at_load(ctx, line, 0.0), stated=stated))
