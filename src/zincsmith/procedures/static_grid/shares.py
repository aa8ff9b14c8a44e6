"""Which mode serves a share of the load: a port that gives its watts in several ways has several efficiencies there.

The convention of this house, printed with it: each share is taken in the highest mode. What the same watts cost in the
lowest mode that can give them stands beside it, at 10 % above all, where both differ most.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.port import of_output
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import OutputRating
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.rows import carrying

SHARES = (10.0, 25.0)
NOTE = (
    "house convention: each share of the load in the highest mode; this is the same watts in the lowest that gives them"
)


def in_other_modes(evidence: Evidence, output: OutputRating, port: str) -> list[Finding]:
    """Of a port whose own load was varied in its highest mode and in another, in this part of a plan or an earlier one
    of the run; told by the part that came last."""
    rated = {m.name: m.voltage_V[1] * (m.current_A or 0.0) for m in of_output(output).modes if m.law == "fixed"}
    points: dict[str, list[Point]] = {}
    for point in (*evidence.earlier, *evidence.points):
        if point.at.about == port and point.at.graded and (mode := str(point.at.mode(port))) in rated:
            points.setdefault(mode, []).append(point)
    top = max(rated, key=lambda name: rated[name], default="")
    now = {str(p.at.mode(port)) for p in evidence.points}
    if top not in points:
        return []
    there = {name: rated[name] for name in points}
    names = ["input_power", at_port("output_voltage", port), at_port("output_current", port)]
    found = []
    for line in dict.fromkeys(p.at.line for p in points[top]):
        for share in SHARES:
            watts = share / 100.0 * there[top]
            low = min((n for n in there if there[n] >= watts and n != top), key=lambda n: there[n], default=None)
            rows = carrying([p for p in points[low] if p.at.line == line], names) if low else []
            pair = _around(rows, names, watts)
            if low is not None and pair is not None and now & {low, top}:
                found.append(_finding(pair, names, watts, (low, top), share, line, port))
    return found


def _given_W(point: Point, names: Sequence[str]) -> float:
    return abs(point.need(names[1]).number * point.need(names[2]).number)


def _around(rows: Sequence[Point], names: Sequence[str], watts: float) -> tuple[Point, Point] | None:
    """The two neighbours that gave less and more."""
    ordered = sorted(rows, key=lambda p: _given_W(p, names))
    return next(((a, b) for a, b in pairwise(ordered) if _given_W(a, names) <= watts <= _given_W(b, names)), None)


def _finding(
    pair: tuple[Point, Point], names: Sequence[str], watts: float, modes: tuple[str, str], share: float,
    line: tuple[float | None, float | None], port: str,
) -> Finding:  # fmt: skip
    """Input watts by a straight line between both."""

    def efficiency(values: Values) -> float:
        taken = values[names[0]]
        given = abs(values[names[1]] * values[names[2]])
        return float(watts / (taken[0] + (watts - given[0]) * (taken[1] - taken[0]) / (given[1] - given[0])))

    low, top = modes
    at = OperatingPoint((Feed(line[0] or 0.0, line[1]),), (Draw(share),), (("", low),))
    made = finding_of(
        "efficiency_in_lower_mode", f"Efficiency, {watts:.3g} W by {low} instead of {top}, {port}", "1", list(pair),
        list(names), efficiency, "W / Pin, Pin along a straight line", at, note=NOTE, doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    return replace(made, output=port)
