"""A run against an earlier one of the same unit: what a repair or another configuration changed, and what was not
tested again."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from zincsmith.analysis.uncertainty import coverage_factor
from zincsmith.book.reader import BookReader
from zincsmith.formats.words import decimals_for, number, shown, value_words
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.finding import Finding, Judged

# What counts as the same operating point: V, Hz and percent of the rated load.
SAME_PLACE = {"input_voltage_V": 1.0, "frequency_Hz": 0.5, "load_percent": 1.0}


@dataclass(frozen=True)
class Change:
    """``difference`` is now minus before and ``u`` its standard uncertainty, in the unit of the finding; None where
    only one of them was measured; ``k`` follows the coverage that the newer run is judged with. ``configuration`` is
    what the unit was then."""

    now: Judged
    before: Judged
    run: int
    configuration: str
    difference: float | None
    u: float | None
    k: float = 2.0

    @property
    def words(self) -> str:
        """``run 3 (as received): 87.90 ±0.20 %, holds; changed by +0.42 ±0.08 %``."""
        value, expanded, unit = value_words(self.before.finding)
        measured = " ".join(x for x in (value, expanded, unit) if x)
        within = self.now.finding.at.configuration != self.before.finding.at.configuration
        when = self.configuration if within else f"run {self.run} ({self.configuration})"
        then = f"{when}: {measured}, {self.before.words}"
        if self.difference is None:
            return f"{then}; not tested again"
        factor, _ = shown(self.now.finding)
        by = self.difference * factor
        if self.u is None:
            return f"{then}; changed by {by:+.3g} {unit}, uncertainty unknown".replace("-", "−")
        spread = self.k * self.u * factor
        decimals = decimals_for(spread, by)
        sign = "+" if by > 0 else ""
        changed = f"{sign}{number(by, decimals)} ±{number(spread, decimals)} {unit}{self.decibel_words}".strip()
        told = "changed by" if abs(by) > spread else "not changed by more than it can show:"
        return f"{then}; {told} {changed}"

    @property
    def decibel(self) -> float | None:
        """Of an amplitude of ripple: now over before, in dB; None for other figures, and without both."""
        now, then = self.now.finding, self.before.finding
        if not now.name.startswith("ripple") or not now.value or not then.value or now.value * then.value <= 0.0:
            return None
        return 20.0 * math.log10(now.value / then.value)

    @property
    def decibel_words(self) -> str:
        return f" ({self.decibel:+.1f} dB)".replace("-", "−") if self.decibel is not None else ""


def before(book: BookReader, run: JudgedRun) -> JudgedRun | None:
    """The latest earlier run of the same unit that came to an end; None when there is none."""
    earlier = [r for r in book.runs() if r.unit == run.row.unit and r.id < run.row.id and r.outcome == "complete"]
    return judge_run(book, max(r.id for r in earlier), run.conventions) if earlier else None


def against(now: JudgedRun, then: JudgedRun) -> dict[int, Change]:
    """What became of each figure: place among the judged of the new run -> change. Only what the old run measured."""
    known: dict[tuple[str, str], list[Judged]] = defaultdict(list)
    for one in then.judged:
        if one.finding.value is not None:
            known[_key(one)].append(one)
    out = {}
    for at, one in enumerate(now.judged):
        if one.run is not None:
            continue  # it comes from an earlier run itself
        rows = known[_key(one)]
        if one.finding.value is None:
            found = rows[0] if rows else None
        else:
            found = next((r for r in rows if _like(one.finding, r.finding)), None)
        if found is not None:
            difference, u = _difference(one.finding, found.finding)
            k = coverage_factor(None, float(now.conventions.coverage))
            out[at] = Change(one, found, then.row.id, then.unit.configuration, difference, u, k)
    return out


def between_configurations(run: JudgedRun) -> dict[int, Change]:
    """What a change of configuration within one run did: place among the judged -> change against the configuration
    that the plan had the unit in before. Empty where it stayed what it was."""
    states = run.evidence.configurations
    out: dict[int, Change] = {}
    for was, state in pairwise(states):
        rows = [j for j in run.judged if j.finding.at.configuration == was and j.run is None]
        for at, one in enumerate(run.judged):
            if one.finding.at.configuration != state or one.run is not None or one.finding.value is None:
                continue
            as_then = replace(one.finding, at=replace(one.finding.at, configuration=was))
            found = next((r for r in rows if _key(r) == _key(one) and _like(as_then, r.finding)), None)
            if found is not None and found.finding.value is not None:
                difference, u = _difference(one.finding, found.finding)
                out[at] = Change(one, found, run.row.id, was, difference, u, float(one.finding.k or 2.0))
    return out


def _like(now: Finding, then: Finding) -> bool:
    """Whether both speak of the same points: another set of loads or lines is another figure, not a change."""
    if now.at != then.at or len(now.working.rows) != len(then.working.rows):
        return False
    return all(
        abs(float(a.get(key, 0.0)) - float(b.get(key, 0.0))) <= slack
        for a, b in zip(_placed(now), _placed(then), strict=True)
        for key, slack in SAME_PLACE.items()
    )


def _placed(finding: Finding) -> list[dict[str, Any]]:
    return sorted(finding.working.rows, key=lambda row: tuple(float(row.get(key, 0.0)) for key in SAME_PLACE))


def _key(judged: Judged) -> tuple[str, str]:
    claim = judged.claim
    return (claim.key, claim.at.words) if claim is not None else (judged.finding.name, "")


def _difference(now: Finding, then: Finding) -> tuple[float | None, float | None]:
    """Now minus before. What both runs share (the same meter by serial and calibration, on the same range) cancels as
    far as it is known to act alike; what belongs to each run alone adds in square."""
    if now.value is None or then.value is None:
        return None, None
    if now.u is None or then.u is None:
        return now.value - then.value, None
    alike: dict[str, float] = defaultdict(float)
    separate: dict[str, float] = defaultdict(float)
    alone = 0.0
    for finding, sign in ((now, 1.0), (then, -1.0)):
        for part in finding.contributions:
            if part.shared:
                alike[part.source] += sign * part.effect
                separate[part.source] += (part.separate or 0.0) ** 2
            else:
                alone += part.size**2
    # The difference is a figure too: each limit counts the worse way for it.
    return now.value - then.value, math.sqrt(alone + sum(max(e**2, separate[s]) for s, e in alike.items()))


def as_json(now: JudgedRun, then: JudgedRun, changes: Mapping[int, Change]) -> dict[str, Any]:
    """The published form of a comparison of two runs; ``u`` is the standard uncertainty of the difference."""
    return {
        "unit": now.unit.tag,
        "run": now.row.id,
        "against": then.row.id,
        "changes": changes_json(now, changes),
    }


def changes_json(now: JudgedRun, changes: Mapping[int, Change]) -> list[dict[str, Any]]:
    """The published form of what changed, figure by figure."""
    return [
        {
            "name": now.judged[at].finding.name,
            "title": now.judged[at].finding.title,
            "conditions": now.judged[at].finding.at.conditions,
            "configuration": now.judged[at].finding.at.configuration or now.unit.configuration,
            "configuration_before": change.configuration,
            "unit": change.before.finding.unit,
            "before": change.before.finding.value,
            "now": now.judged[at].finding.value,
            "difference": change.difference,
            "u": change.u,
            "decibel": change.decibel,
            "verdict_before": change.before.verdict.value,
            "verdict": now.judged[at].verdict.value,
        }
        for at, change in changes.items()
    ]
