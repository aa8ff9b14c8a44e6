"""Two results of one state that must match and do not: a doubt that names both."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.accuracy import column
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.reading import Evidence, Point

COVERS = 2.0  # standard uncertainties of the difference
LEAST = 0.02  # of the greater: what a state changes between two parts of a plan


def with_disagreements(findings: Sequence[Finding], evidence: Evidence) -> list[Finding]:
    """The findings, each with the doubt that another result of its state casts on it."""
    grid = [p for p in evidence.by("static_grid").points if p.at.draw.share_percent == 0.0]
    grid = [p for p in grid if p.at.graded and p.at.elapsed_s is None]
    return [_with(f, grid) if f.name == "no_load_power" else f for f in findings]


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
