"""Two points taken in turns, back and forth: the spread of their differences is evidence for how well a small
difference is known, where no data sheet says how a limit of error splits.

Each reading of the lighter point stands between two of the heavier one, so that what drifts evenly cancels.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from zincsmith.analysis.uncertainty import Estimate, Values
from zincsmith.model.finding import Contribution, Finding
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Point
from zincsmith.procedures.finding_of import Rows, finding_of
from zincsmith.procedures.rows import carrying, volts_of

LEAST_TURNS = 3  # differences from which a spread is evidence; common practice, no source
Bracket = tuple[Point, Point, Point]


def brackets(points: Rows, outer: Callable[[Point], bool]) -> list[Bracket]:
    """(outer before, inner, outer after) in the order they were taken; an inner point without an outer one on both
    sides is left out."""
    rows = sorted(carrying(points, ["output_voltage"]), key=lambda p: p.number)
    ends = [n for n, p in enumerate(rows) if outer(p)]
    return [(rows[a], rows[b - 1], rows[b]) for a, b in pairwise(ends) if b - a > 1]


def one_meter(found: Sequence[Bracket]) -> bool:
    """Whether all readings are of one instrument on one range: else nothing cancels in their differences."""
    meters = {(r.source, r.range) for three in found for p in three if (r := p.get("output_voltage")) is not None}
    return len(meters) == 1


def by_turns(
    found: Sequence[Bracket], name: str, title: str, scale: float, words: str, at: OperatingPoint, note: str
) -> Finding:
    """Mean over the turns of (inner - mean of the outer ones) times ``scale`` (1/V), with the spread of the differences
    as a part of type A of n - 1 degrees of freedom. The limit of the meter counts as shared from ``LEAST_TURNS`` up and
    within one range: what the two points do not share has shown itself in the spread, but for a bend of the meter
    between them. Raises ValueError without a turn."""
    if not found:
        raise ValueError("no turn to work a difference out of")
    rows: list[Point] = []
    for before, inner, after in found:
        rows += [before, inner, after]
    count = len(found)

    def formula(v: Values) -> float:
        three = v["output_voltage"].reshape(count, 3)
        return scale * float(np.mean(three[:, 1] - (three[:, 0] + three[:, 2]) / 2.0))

    shown = count >= LEAST_TURNS and one_meter(found)
    finding = finding_of(name, title, "1", rows, ["output_voltage"], formula, words, at, note, alike=shown)
    if not shown or finding.u is None or finding.value is None:
        return finding
    each = np.array([volts_of(b) - (volts_of(a) + volts_of(c)) / 2.0 for a, b, c in found])
    spread = float(np.std(each, ddof=1))
    kept = [c for c in finding.contributions if not c.source.endswith(" repeats")]  # part of the spread
    kept.append(Contribution("spread of the turns", scale * spread / math.sqrt(count), False, count - 1.0))
    estimate = Estimate(finding.value, tuple(c for c in kept if c.size > 0.0))
    said = (
        f"{count} turns back and forth, whose differences spread by {1e3 * spread:.2g} mV: evidence that the limit of "
        "the meter is shared by both, but for a bend between them"
    )
    working = replace(finding.working, note="; ".join(x for x in (finding.working.note, said) if x))
    return replace(
        finding, u=estimate.u, dof=estimate.dof, k=estimate.k, contributions=estimate.contributions, working=working
    )


def once_settled(points: Rows) -> list[Point]:
    """Those that were read once everything had settled."""
    return [p for p in points if p.at.after_step_s is None]


def at_once(points: Rows) -> list[Bracket]:
    """(heavier point settled before, lighter one right after the step, the same heavier point): what a step does at
    once, with nothing to average drift out of."""
    rows = sorted(carrying(points, ["output_voltage"]), key=lambda p: p.number)
    return [(a, b, a) for a, b in pairwise(rows) if b.at.after_step_s is not None and a.at.after_step_s is None]
