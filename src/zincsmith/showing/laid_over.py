"""Curves of several units on one pair of axes, and any two figures against each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from zincsmith.judge.judging import JudgedRun
from zincsmith.model.figures import FIGURES
from zincsmith.procedures.base import Curve, Curves
from zincsmith.showing.curves import all_curves

if TYPE_CHECKING:
    from zincsmith.showing.compare import Row

OF_RECORDS = ("ripple", "ripple_rms")  # V; no curve of points has them
MOST = 12  # curves on one pair of axes: more nobody tells apart


def curves_of(run: JudgedRun) -> list[Curves]:
    """What a run has drawn over its points: no records, which are not even read, no bars; and what was found of records
    at several loads."""
    drawn = all_curves(replace(run.evidence, traces=None))
    over_points = [one for one in drawn if one.lines and not one.trace and not one.bars]
    return [*over_points, *(curves for name in OF_RECORDS if (curves := _over_load(run, name)) is not None)]


def _over_load(run: JudgedRun, name: str) -> Curves | None:
    """A figure against load, a line for each line of the input at which it was found at several loads."""
    found: dict[str, dict[float, float]] = {}
    for one in (j.finding for j in run.judged):
        share = one.at.draw.share_percent
        if one.name == name and one.value is not None and share is not None and not one.beside_the_point:
            volts = one.at.line[0]
            at = ", ".join(x for x in (one.output, f"{volts:g} V" if volts else "") if x)
            found.setdefault(at, {})[share] = 1e3 * one.value
    lines = [(at, sorted(values), [values[x] for x in sorted(values)]) for at, values in found.items()]
    lines = [one for one in lines if len(one[1]) > 1]
    if not lines:
        return None
    return Curves(f"{FIGURES[name].title} against load", "load", "%", "ripple", "mV", "voltage", tuple(lines))


def laid_over(runs: Sequence[JudgedRun], labels: Sequence[str]) -> list[Curves]:
    """What two runs at least have drawn under one title: of each the same line of the input, the one that most have,
    named by the unit."""
    drawn: dict[str, list[tuple[str, Curves]]] = {}
    for run, label in zip(runs, labels, strict=True):
        for one in curves_of(run):
            drawn.setdefault(one.title, []).append((label, one))
    return [made for several in drawn.values() if (made := _over(several)) is not None]


def _over(several: Sequence[tuple[str, Curves]]) -> Curves | None:
    if len({label for label, _ in several}) < 2:
        return None
    counts = Counter(name for _, one in several for name in dict.fromkeys(line[0] for line in one.lines))
    shared = max(counts, key=lambda name: counts[name])
    lines: list[Curve] = []
    for label, one in several:
        mine = next((line for line in one.lines if line[0] == shared), None)
        if mine is not None and len(mine[1]) > 1:
            lines.append((label, mine[1], mine[2]))
    if len(lines) < 2:
        return None
    first = several[0][1]
    return replace(first, title=f"{first.title}{f', {shared}' if shared else ''}", lines=tuple(lines[:MOST]))


@dataclass(frozen=True)
class Scatter:
    """By unit (x, u of x, y, u of y)."""

    x: str
    x_unit: str
    y: str
    y_unit: str
    units: dict[str, tuple[float, float, float, float]]


def scatter(across: Row, up: Row) -> Scatter:
    """Of those that have both."""
    ups = {c.unit_tag: c for c in up.cells}
    found = {c.unit_tag: (c.value, c.u or 0.0, ups[c.unit_tag].value, ups[c.unit_tag].u or 0.0)
             for c in across.cells if c.unit_tag in ups}  # fmt: skip
    return Scatter(across.title, across.unit, up.title, up.unit, found)
