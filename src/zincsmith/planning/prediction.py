"""What a plan would yield on a rig, before it is run: the evidence that judge/decide.py works on."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass, replace

from zincsmith.model.errors import ZincsmithError
from zincsmith.model.plan import Plan
from zincsmith.model.reading import Evidence
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.rehearsed import at_the_unit, rehearsed_evidence

NOTHING = Evidence((), True)


@dataclass(frozen=True)
class Prediction:
    """``moved`` is the evidence with the sense leads at the unit; ``problem`` why there is none."""

    wired: Evidence
    moved: Evidence
    problem: str = ""


def predict(unit: Unit, rig: Rig, plan: Plan, ambient_degC: float = 23.0) -> Prediction:
    """Rehearse the plan; what cannot be rehearsed leaves no evidence and the reason."""
    try:
        itinerary = rehearse(unit, rig, plan, ambient_degC)
    except ZincsmithError as error:
        return Prediction(NOTHING, NOTHING, str(error))
    wired = rehearsed_evidence(itinerary, rig, ambient_degC)
    moved = wired if rig.sense == "unit" else rehearsed_evidence(itinerary, at_the_unit(rig), ambient_degC)
    return Prediction(wired, moved)


def seconds_to_test(unit: Unit, rig: Rig, procedures: Set[str]) -> float:
    """How long these procedures likely take on this rig, as the full plan carries them out; 0 when it cannot."""
    try:
        full = compose(unit, rig)[0]
        parts = tuple(part for part in full.parts if part.procedure in procedures)
        return rehearse(unit, rig, replace(full, parts=parts)).likely_s if parts else 0.0
    except ZincsmithError:
        return 0.0
