"""Several outputs in one record: which comes, or goes, when the others do."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.finding import Contribution, Finding, Working
from zincsmith.model.operating_point import OperatingPoint

TIME_BASE = "time base"


def in_sequence(findings: Sequence[Finding], of: str, name: str, title: str) -> list[Finding]:
    """By place and output how much later than the first of them ``of`` happened there, a time that each output has;
    ``title`` is filled with the first one's name. Both are of one record: what its clock is off counts for the
    difference alone, and what is random in both for each."""
    places: dict[OperatingPoint, list[Finding]] = {}
    for one in findings:
        if one.name == of and one.value is not None and one.output:
            at = replace(one.at, draws=(one.at.draw,) if one.at.alike is None else (one.at.alike,), modes=(), about="")
            places.setdefault(replace(at, draws=tuple(replace(d, port="", level=None) for d in at.draws)), []).append(
                one
            )
    found = []
    for place, here in places.items():
        first = min(here, key=lambda f: f.number)
        found += [late for f in here if f is not first if (late := _after(f, first, place, name, title)) is not None]
    return found


def of_the_unit(findings: Sequence[Finding], *names: str) -> list[Finding]:
    """Figures that each output has of a signal that speaks of all: of each place the least counts, which is that of the
    output it matters to first, as a figure of the unit."""
    places: dict[tuple[str, OperatingPoint], list[Finding]] = {}
    for one in findings:
        if one.name in names:
            places.setdefault((one.name, replace(one.at, about="", modes=())), []).append(one)
    rest = [one for one in findings if one.name not in names]
    found = []
    for (_, at), here in places.items():
        known = [one for one in here if one.value is not None]
        least = min(known, key=lambda f: f.number) if len(known) == len(here) else next(
            one for one in here if one.value is None
        )  # fmt: skip
        note = "; ".join(x for x in (least.working.note, f"by {least.output}" if least.output else "") if x)
        found.append(replace(least, at=at, output="", working=replace(least.working, note=note)))
    return [*rest, *found]


def _by_point(finding: Finding) -> dict[int, float]:
    """What each record showed, by its point."""
    rows = finding.working.rows
    return {int(str(r["point"])): float(str(r["value"])) for r in rows if "point" in r and r.get("value") is not None}


def _after(one: Finding, first: Finding, place: OperatingPoint, name: str, title: str) -> Finding | None:
    """The greatest of the differences within each record; None where no record shows both."""
    mine, its = _by_point(one), _by_point(first)
    later = {n: mine[n] - its[n] for n in mine if n in its}
    if not later:
        return None
    value = max(later.values())
    parts: list[Contribution] = []
    for finding in (one, first):
        for part in finding.contributions:
            if not part.source.endswith(TIME_BASE):
                parts.append(replace(part, source=f"{part.source}, {finding.output}"))
            elif finding is one and one.number:
                parts.append(replace(part, effect=part.effect * value / one.number))
    known = one.u is not None and first.u is not None
    words = f"within each record; the greatest of {len(later)}, from {min(later.values()):.4g} to {value:.4g}"
    rows = tuple({"point": n, "value": x, "readings": []} for n, x in later.items())
    return Finding(
        name, f"{title.format(first.output)}, {one.output}", value, "s",
        math.hypot(*(p.effect for p in parts)) if known else None, factor_of(tuple(parts), None) if known else None,
        at=place, working=Working(words, ("value",), rows), contributions=tuple(parts),
        doubts=tuple(dict.fromkeys((*one.doubts, *first.doubts))), output=one.output,
    )  # fmt: skip
