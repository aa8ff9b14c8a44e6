"""Adaptive searches as reusable streams of actions. None of them ever asks for a setting beyond its limits."""

from __future__ import annotations

from bisect import insort
from collections.abc import Callable, Generator, Sequence
from itertools import pairwise

from zincsmith.model.actions import Action, Outcome

Probe = Callable[[float], Generator[Action, Outcome, bool]]
Value = Callable[[float], Generator[Action, Outcome, float | None]]


def bisect(
    below: float, above: float, resolution: float, probe: Probe
) -> Generator[Action, Outcome, tuple[float, float]]:
    """Close in on a boundary between ``below``, where ``probe`` is False, and ``above``, where it is True.

    Either may be the greater. Returns the last two settings on both sides, at most ``resolution`` apart. A probe of
    something with hysteresis comes from the same side each time: that is for the probe to see to.
    """
    while abs(above - below) > resolution:
        middle = (below + above) / 2.0
        if (yield from probe(middle)):
            above = middle
        else:
            below = middle
    return below, above


def approach(
    start: float, limit: float, step: float, probe: Probe
) -> Generator[Action, Outcome, tuple[float, float] | None]:
    """Go from ``start`` towards ``limit`` in steps, from the safe side only, until ``probe`` is True.

    Returns the setting before and the setting at which it became True, None when the limit was reached without. The
    last step is shortened so that the limit itself is tried and never passed.
    """
    direction = 1.0 if limit >= start else -1.0
    before, here = start, start
    while True:
        if (yield from probe(here)):
            return before, here
        if here == limit:
            return None
        before, here = here, direction * min(direction * (here + direction * abs(step)), direction * limit)


def refine(
    known: Sequence[tuple[float, float]], points: int, least_gap: float, value: Value
) -> Generator[Action, Outcome, list[tuple[float, float]]]:
    """Add up to ``points`` to a curve, each where the error of a straight line through its neighbours is largest.

    ``known`` are at least three (x, y). The error of a gap is predicted from its neighbours (see predicted_error);
    gaps under ``least_gap`` are left alone, so that a jump does not eat all points. Returns the curve in order of x.
    """
    curve = sorted(known)
    for _ in range(points):
        errors = [predicted_error(curve, n) if wide else -1.0 for n, wide in enumerate(_wide(curve, least_gap))]
        if not errors or max(errors) <= 0.0:
            break
        at = max(range(len(errors)), key=errors.__getitem__)
        x = (curve[at][0] + curve[at + 1][0]) / 2.0
        y = yield from value(x)
        if y is None:
            break
        insort(curve, (x, y))
    return curve


def _wide(curve: list[tuple[float, float]], least_gap: float) -> list[bool]:
    return [b[0] - a[0] > least_gap for a, b in pairwise(curve)]


def predicted_error(curve: Sequence[tuple[float, float]], gap: int) -> float:
    """How far a curve may leave the chord of a gap: the distance at its middle of the neighbours' lines carried on.

    Beyond each end of the gap the line through the next two points is continued to the middle of the gap; where they
    agree with the chord the curve is straight there. A jump between two points shows as large as it is.
    """
    (x0, y0), (x1, y1) = curve[gap], curve[gap + 1]
    middle, chord = (x0 + x1) / 2.0, (y0 + y1) / 2.0
    off = []
    if gap > 0:
        xa, ya = curve[gap - 1]
        off.append(abs(y0 + (y0 - ya) / (x0 - xa) * (middle - x0) - chord))
    if gap + 2 < len(curve):
        xb, yb = curve[gap + 2]
        off.append(abs(y1 + (y1 - yb) / (x1 - xb) * (middle - x1) - chord))
    return max(off, default=0.0)
