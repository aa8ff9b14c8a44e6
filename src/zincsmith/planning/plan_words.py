"""A rehearsed plan as rows and as JSON, for the command line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from zincsmith.model.plan import Plan
from zincsmith.planning.composer import LeftOut
from zincsmith.planning.rehearsal import Itinerary
from zincsmith.planning.watches import tightest


def stage_rows(itinerary: Itinerary) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Headings, and a row for each stage."""
    headings = ("at / min", "stage", "what", "takes / min", "live", "gates", "points", "typed", "by hand")
    rows = []
    for stage in itinerary.stages:
        typed = sum(len(p.typed) for p in stage.points)
        rows.append(
            (
                f"{stage.begins_s / 60:.1f}",
                stage.title,
                stage.detail,
                f"{stage.seconds / 60:.1f}",
                stage.energised,
                *(str(n) if n else "" for n in (len(stage.gates), len(stage.points), typed, stage.by_hand)),
            )
        )
    return headings, rows


def as_json(plan: Plan, itinerary: Itinerary, left: Sequence[LeftOut]) -> dict[str, Any]:
    """Everything a program may want to know of a rehearsed plan; times in s, energy in Wh."""
    return {
        "name": plan.name,
        "parts": list(itinerary.procedures),
        "least_s": itinerary.least_s,
        "likely_s": itinerary.likely_s,
        "most_s": itinerary.most_s,
        "energy_Wh": itinerary.energy_Wh,
        "gates": itinerary.gates,
        "typed": itinerary.typed,
        "stages": [
            {
                "title": s.title,
                "detail": s.detail,
                "procedure": itinerary.procedures[s.part],
                "begins_s": s.begins_s,
                "seconds": s.seconds,
                "energised": s.energised,
                "gates": len(s.gates),
                "by_hand": s.by_hand,
                "points": [{"number": p.number, **p.at.conditions, "typed": list(p.typed)} for p in s.points],
            }
            for s in itinerary.stages
        ],
        "watches": [
            {"quantity": w.quantity, "low": w.low, "high": w.high, "whose": w.whose}
            for w in tightest(itinerary.watches)
        ],
        "left_out": [{"procedure": one.procedure, "why": one.why} for one in left],
    }
