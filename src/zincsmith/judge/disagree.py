"""Two results of one state that must match and do not: a doubt that names both."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from zincsmith.analysis.accuracy import column
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.quantities import READ_TWICE
from zincsmith.model.reading import Evidence, Point, Reading

COVERS = 2.0  # standard uncertainties of the difference
LEAST = 0.02  # of the greater: what a state changes between two parts of a plan


def with_disagreements(findings: Sequence[Finding], evidence: Evidence) -> list[Finding]:
    """The findings, each with the doubt that another result of its state casts on it."""
    grid = [p for p in evidence.by("static_grid").points if p.at.draw.share_percent == 0.0]
    grid = [p for p in grid if p.at.graded and p.at.elapsed_s is None]
    found = [_with(f, grid) if f.name == "no_load_power" else f for f in findings]
    apart = _apart(evidence)
    return [_doubted(f, apart) for f in found] if apart else found


def _apart(evidence: Evidence) -> dict[str, Doubt]:
    """By the id of a reading that counts: where a further meter of the same thing contradicts it."""
    found: dict[str, Doubt] = {}
    for point in evidence.points:
        for one in point.readings:
            name = next((further for counts, further in READ_TWICE if counts == one.quantity), "")
            other = point.get(at_port(name, one.port)) if name else None
            if other is not None and one.value is not None and other.value is not None and one.known and other.known:
                off, u = one.value - other.value, _u_of(one, other)
                if abs(off) > COVERS * u:
                    found[one.id] = _contradiction(point, one, other, off, COVERS * u)
    return found


def _u_of(*readings: Reading) -> float:
    return math.sqrt(sum(float(part.effect[0]) ** 2 for r in readings for part in column([r]).parts))


def _contradiction(point: Point, one: Reading, other: Reading, off: float, most: float) -> Doubt:
    return Doubt(
        "meters_disagree",
        f"At point {point.number} {one.source} read {one.value:.5g} {one.unit} and {other.source} {other.value:.5g} "
        f"{other.unit}: {abs(off):.2g} {one.unit} apart, more than the {most:.2g} {one.unit} "
        "that both data sheets allow.",
        "See which stands where in the circuit and what each takes; hold both against a third, then say which counts.",
    )


def _doubted(finding: Finding, apart: Mapping[str, Doubt]) -> Finding:
    behind = [key for row in finding.working.rows for key in row.get("readings", ()) if key in apart]
    return replace(finding, doubts=(*finding.doubts, *(apart[key] for key in behind[:1]))) if behind else finding


def _with(finding: Finding, grid: Sequence[Point]) -> Finding:
    """Standby power against the watts that the grid read at no load on the same line."""
    for point in grid:
        reading = point.get("input_power")
        if reading is None or reading.value is None or not reading.known or finding.u is None or finding.value is None:
            continue
        if (point.at.line, point.at.configuration) != (finding.at.line, finding.at.configuration):
            continue
        own = column([reading])
        u = (finding.u**2 + sum(float(part.effect[0]) ** 2 for part in own.parts)) ** 0.5
        off, most = abs(finding.value - reading.value), max(abs(finding.value), abs(reading.value))
        if off > COVERS * u + LEAST * most:
            doubt = Doubt(
                "two_results_disagree",
                f"At {finding.at.feed.voltage_V or 0.0:g} V standby found {finding.value:.3g} W, and point "
                f"{point.number} of the grid read {reading.value:.3g} W at no load: both cannot be right.",
                "See what differed: the load left connected, a range, a state of the unit that came later.",
            )
            return replace(finding, doubts=(*finding.doubts, doubt))
    return finding
