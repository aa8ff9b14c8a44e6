"""A plan for the time there is: the worst corner first, and what stays untested by name."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, fields, replace
from typing import Any

from zincsmith.formats.words import counted, duration
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import AFTER_RIG, LAST, compose, rank
from zincsmith.planning.rehearsal import rehearse


@dataclass(frozen=True)
class Untested:
    """A part, or all of it but its worst corner, that there was no time for; how many claims hang on it."""

    procedure: str
    words: str


def within(unit: Unit, rig: Rig, seconds: float, figures: Counter[str]) -> tuple[Plan, tuple[Untested, ...]]:
    """The composed plan as far as it fits. ``figures`` counts the claims by the procedure that tests them: who tests
    most in a minute comes first. InputError where the time is not enough to begin at all."""
    whole, _ = compose(unit, rig)
    frame = tuple(p for p in whole.parts if rank(p) <= AFTER_RIG or rank(p) == LAST)
    used = _price(unit, rig, whole, frame)
    if used > seconds:
        raise InputError(f"to look it over, join the rig and bring it up takes {duration(used)} alone", key="within")
    kept: dict[int, Options] = {n: p for n, p in enumerate(whole.parts) if p in frame}
    rest = [(n, p, _price(unit, rig, whole, (*frame, p)) - _price(unit, rig, whole, frame))
            for n, p in enumerate(whole.parts) if n not in kept]  # fmt: skip
    rest.sort(key=lambda one: (-figures[one[1].procedure] / max(1.0, one[2]), one[0]))
    left: list[tuple[int, Untested]] = []
    for n, part, price in rest:
        corner = worst_corner(part)
        claims = counted(figures[part.procedure], "claim") if figures[part.procedure] else "no claim"
        if used + price <= seconds:
            kept[n], used = part, used + price
        elif corner != part and used + (less := _price(unit, rig, whole, (*frame, corner))
                                        - _price(unit, rig, whole, frame)) <= seconds:  # fmt: skip
            kept[n], used = corner, used + less
            left.append(
                (n, Untested(part.procedure, f"its worst corner only, {duration(price - less)} less; {claims}"))
            )
        else:
            left.append((n, Untested(part.procedure, f"{duration(price)}; {claims}")))
    parts = tuple(part for _, part in sorted(kept.items()))
    return Plan(f"Within {duration(seconds)}", parts), tuple(one for _, one in sorted(left, key=lambda x: x[0]))


def worst_corner(part: Options) -> Options:
    """The lowest of its lines under its heaviest load: there most supplies give way first (common practice, no source);
    the part itself where it has no more than that."""
    names = {f.name for f in fields(part)}
    changes: dict[str, Any] = {}
    lines = getattr(part, "lines", ())
    if "lines" in names and len(lines) > 1 and all(isinstance(one, Line) for one in lines):
        changes["lines"] = (min(lines, key=lambda line: line.voltage_V),)
    loads = getattr(part, "loads_percent", ())
    if "loads_percent" in names and len(loads) > 1:
        changes["loads_percent"] = (max(loads),)
    return replace(part, **changes) if changes else part


def _price(unit: Unit, rig: Rig, whole: Plan, parts: tuple[Options, ...]) -> float:
    """Likely seconds of these parts in their order; without end where they cannot stand alone."""
    order = {id(p): n for n, p in enumerate(whole.parts)}
    places = sorted(parts, key=lambda p: (order.get(id(p), _place(whole, p)), rank(p)))
    try:
        return rehearse(unit, rig, replace(whole, parts=tuple(places))).likely_s
    except ZincsmithError:
        return float("inf")


def _place(whole: Plan, part: Options) -> int:
    return next(n for n, p in enumerate(whole.parts) if p.procedure == part.procedure)
