"""Faults of a rig and what it can decide, in words and as JSON."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from zincsmith.judge.decide import Decision
from zincsmith.model.figures import FIGURES
from zincsmith.suitability.case import Fault, Severity
from zincsmith.words.claim_words import SHOWN

HEADINGS = ("claim", "allowed", "condition", "this rig", "share", "verdict", "to blame")


def decision_row(one: Decision | None) -> tuple[str, ...]:
    """One row of the table; None gives its headings."""
    if one is None:
        return HEADINGS
    share = f"{100 * one.share:.0f} %" if one.share is not None else ""
    return (
        one.claim.title,
        one.claim.text,
        one.claim.condition_text,
        rig_words(one),
        share,
        one.verdict,
        one.blame or one.why,
    )


def rig_words(one: Decision) -> str:
    """``±0.024 V, k 2, drop 0.14 V``; the reason where there is no figure."""
    if one.expanded is None:
        return one.why
    percent = FIGURES[one.claim.figure].in_percent if one.claim.figure in FIGURES else one.claim.unit == "1"
    factor, unit = (100.0, "%") if percent else (1.0, SHOWN.get(one.claim.unit, one.claim.unit))
    drop = f", drop {one.error * factor:.2g} {unit}" if one.error else ""
    return f"±{one.expanded * factor:.2g} {unit}".rstrip() + drop


def counts(decisions: Sequence[Decision], moved: bool = False) -> dict[str, int]:
    """How many claims of each verdict; as they would be with sense at the unit when ``moved``."""
    out = {"decides": 0, "marginal": 0, "cannot": 0, "no procedure yet": 0}
    for one in decisions:
        out[one.moved if moved else one.verdict] += 1
    return out


def brings_back(decisions: Sequence[Decision]) -> str:
    """The one instrument, lead or data sheet that would bring back most of the claims this rig cannot decide well:
    ``the data sheet of Fennhollow M6 would bring back 4 claims``. Empty when nothing stands in the way of a claim that
    a procedure tests."""
    ways: Counter[str] = Counter()
    for one in decisions:
        if one.verdict not in ("cannot", "marginal") or not one.claim.procedure:
            continue
        if one.why.startswith("no ") and one.why.endswith(" on the rig"):
            ways[f"a {one.why.removeprefix('no ').removesuffix(' on the rig')}"] += 1
        elif one.why.endswith("states no accuracy"):
            ways[f"the data sheet of {one.blame}"] += 1
        elif one.moved == "decides" and one.verdict != "decides":
            ways["sense leads at the unit"] += 1
        elif one.blame:
            ways[f"a finer range, or better than {one.blame},"] += 1
    if not ways:
        return ""
    way, count = ways.most_common(1)[0]
    return f"{way} would bring back {count} claim{'s' if count > 1 else ''}"


def as_json(faults: Sequence[Fault], decisions: Sequence[Decision], problem: str) -> dict[str, Any]:
    """The published form of ``zincsmith rig check --json``."""
    return {
        "blocks": any(f.severity is Severity.STOP for f in faults),
        "rehearsal": problem or None,
        "brings_back": brings_back(decisions) or None,
        "rules": [
            {
                "code": f.code,
                "severity": f.severity.value,
                "at": f.at,
                "text": f.text,
                "remedy": f.remedy,
                "costs": list(f.costs),
            }
            for f in faults
        ],
        "decides": [
            {
                "claim": d.claim.key,
                "title": d.claim.title,
                "text": d.claim.text,
                "unit": d.claim.unit,
                "expanded": d.expanded,
                "k": d.k,
                "error": d.error,
                "tolerance": d.tolerance,
                "share": d.share,
                "verdict": d.verdict,
                "moved": d.moved,
                "blame": d.blame or None,
                "why": d.why or None,
            }
            for d in decisions
        ],
    }
