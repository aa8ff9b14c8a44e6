"""Reported problems against what was measured: reproduced, not reproduced under these conditions, or not looked at."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from zincsmith.formats.words import value_words, where_words
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.figures import FIGURES
from zincsmith.model.finding import Judged
from zincsmith.model.reported import Reported
from zincsmith.procedures.base import Section

State = Literal[
    "reproduced", "cannot be told", "not reproduced under these conditions", "not tested", "nothing to test"
]
NEAR_V, NEAR_PERCENT = 0.02, 5.0  # of the line; of the load: the same conditions; common practice, no source
TITLE = "Reported problems"
TOLD = (
    "What somebody reported is no claim. It is looked for under the conditions that were told; where it is not found "
    "there, it may still be there under others.",
)
FOR_THE_MAKER = "For the maker"


@dataclass(frozen=True)
class Looked:
    """One report with what came of it; ``by`` are the findings of its figure under its conditions."""

    report: Reported
    state: State
    by: tuple[Judged, ...]

    @property
    def words(self) -> str:
        """``under 230 V: 61 ±2 mV``, of the findings that decide."""
        return "; ".join(_said(one) for one in self.by[:3])


def looked_for(run: JudgedRun) -> list[Looked]:
    """Each problem that was reported of the unit, in their order."""
    return [_looked(one, run.judged) for one in run.unit.reported]


def _looked(report: Reported, judged: Sequence[Judged]) -> Looked:
    if not report.figure or report.figure not in FIGURES or (report.low is None and report.high is None):
        return Looked(report, "nothing to test", ())
    names = FIGURES[report.figure].findings or (report.figure,)
    there = _each_once(j for j in judged if j.finding.name in names and _same_place(report, j))
    known = [j for j in there if j.finding.value is not None]
    if not known:
        return Looked(report, "not tested", ())
    inside = [j for j in known if _within(report, j.finding.number, 0.0)]
    if inside:
        return Looked(report, "reproduced", tuple(inside))
    near = [j for j in known if j.finding.u is None or _within(report, j.finding.number, _spread(j))]
    if near:
        return Looked(report, "cannot be told", tuple(near))
    return Looked(report, "not reproduced under these conditions", tuple(known))


def _spread(judged: Judged) -> float:
    return (judged.finding.k or 2.0) * (judged.finding.u or 0.0)


def _each_once(judged: Any) -> list[Judged]:
    """A finding is judged once for each claim of it."""
    found: dict[tuple[object, ...], Judged] = {}
    for one in judged:
        f = one.finding
        found.setdefault((f.name, f.at, f.output, f.value), one)
    return list(found.values())


def _within(report: Reported, value: float, spread: float) -> bool:
    low = -math.inf if report.low is None else report.low
    high = math.inf if report.high is None else report.high
    return low - spread <= value <= high + spread


def _same_place(report: Reported, judged: Judged) -> bool:
    at = judged.finding.at
    volts = at.feeds[0].voltage_V if at.feeds else None
    load = at.draws[0].share_percent if at.draws else None
    line = report.line_V is None or volts is None or abs(volts - report.line_V) <= NEAR_V * report.line_V
    drawn = report.load_percent is None or load is None or abs(load - report.load_percent) <= NEAR_PERCENT
    return line and drawn


def _said(one: Judged) -> str:
    value, expanded, unit = value_words(one.finding)
    where = where_words(one)
    return f"{f'{where}: ' if where else ''}{' '.join(x for x in (value, expanded, unit) if x)}"


def as_json(run: JudgedRun) -> list[dict[str, Any]]:
    """As ``zincsmith findings --json`` tells them."""
    return [
        {
            "what": one.report.what, "source": one.report.source, "figure": one.report.figure or None,
            "low": one.report.low, "high": one.report.high, "line_V": one.report.line_V,
            "load_percent": one.report.load_percent, "firmware": one.report.firmware or None, "state": one.state,
            "by": [{"name": j.finding.name, "value": j.finding.value, "unit": j.finding.unit, "u": j.finding.u}
                   for j in one.by],
        }
        for one in looked_for(run)
    ]  # fmt: skip


def rows_of(run: JudgedRun) -> list[tuple[str, str, str, str]]:
    """(what, by whom and on what, state, as measured)."""
    return [
        (one.report.what, ", ".join(x for x in (one.report.source, _asked(one.report)) if x), one.state, one.words)
        for one in looked_for(run)
    ]


def _asked(report: Reported) -> str:
    """Under which conditions, on which firmware."""
    parts = [
        f"{report.line_V:g} V" if report.line_V else "",
        f"{report.load_percent:g} % load" if report.load_percent is not None else "",
        f"firmware {report.firmware}" if report.firmware else "",
    ]
    return ", ".join(p for p in parts if p)


def sections_of(run: JudgedRun) -> list[Section]:
    """As a report tells them; those that were reproduced once more for the maker, with how."""
    rows = rows_of(run)
    if not rows:
        return []
    found = [Section(TITLE, TOLD, ("what", "by whom, on what", "state", "as measured"), tuple(rows))]
    again = [one for one in looked_for(run) if one.state == "reproduced"]
    if again:
        piece = ", ".join(x for x in (run.unit.maker, run.unit.model, run.unit.serial, run.unit.about_it) if x)
        how = tuple(
            (one.report.what, j.finding.title, _said(j), j.finding.working.formula) for one in again for j in one.by[:3]
        )
        text = f"{piece}, as {run.unit.configuration}. Measured so that it can be done again:"
        found.append(Section(FOR_THE_MAKER, (text,), ("what", "figure", "measured", "how it is got"), how))
    return found
