"""The published form of findings, see the command line."""

from __future__ import annotations

from typing import Any

from zincsmith.judge.judging import JudgedRun
from zincsmith.model.finding import Judged


def as_json(run: JudgedRun) -> dict[str, Any]:
    """The published form of findings, see the command line."""
    return {
        "unit": run.unit.tag,
        "run": run.row.id,
        **({"practice": True} if run.rig.practice else {}),
        "findings": [_finding_json(j, run) for j in run.judged],
    }


def _finding_json(judged: Judged, run: JudgedRun) -> dict[str, Any]:
    f = judged.finding
    return {
        "name": f.name,
        "title": f.title,
        "value": f.value,
        "unit": f.unit,
        "u": f.u,
        "k": f.k,
        "conditions": f.at.conditions,
        "configuration": f.at.configuration or run.unit.configuration,
        "run": judged.run,
        "claim": f"{judged.claim.title} {judged.claim.text}" if judged.claim else None,
        "verdict": judged.verdict.value,
        "verdict_simple": judged.verdict_simple.value,
        "coverage": judged.coverage,
        "not_applicable": f.beside_the_point or None,
        "lacks": list(judged.lacks),
        "price_s": judged.price_s,
        "output": f.output or None,
        "below": f.below,
        "permitted_uncertainty": None if f.permitted is None else {"U": f.permitted, "by": f.permitted_by},
        "probability": judged.probability,
        "working": {
            "formula": f.working.formula,
            "note": f.working.note,
            "columns": list(f.working.columns),
            "rows": [dict(row) for row in f.working.rows],
            "budget": [
                {"source": c.source, "u": c.size, "shared": c.shared, "dof": c.dof, "split": c.separate is None}
                for c in f.contributions
            ],
            "dof": f.dof,
        },
        "doubts": [{"code": d.code, "text": d.text, "remedy": d.remedy, "ended": d.ended or None} for d in f.doubts],
    }
