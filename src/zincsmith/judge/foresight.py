"""What a plan will leave untested, known before any time is spent."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.judge.claims import claims_of
from zincsmith.model.claim import Claim
from zincsmith.model.figures import TESTS
from zincsmith.model.plan import GridOptions, HarmonicOptions, Plan, StandbyOptions
from zincsmith.model.unit import Unit


@dataclass(frozen=True)
class Untested:
    """A claim, or a part of one, that this plan does not reach, with the reason."""

    claim: Claim
    why: str
    partly: bool


def untested(unit: Unit, plan: Plan) -> list[Untested]:
    """Claims without a procedure, outside the plan's lines, or tested over a part of their range."""
    of: dict[str, set[tuple[float, float]]] = {
        p.procedure: {(x.voltage_V, x.frequency_Hz) for x in p.lines}
        for p in plan.parts
        if isinstance(p, GridOptions | StandbyOptions | HarmonicOptions)
    }
    found = []
    for claim in claims_of(unit.nameplate):
        at, lines = claim.conditions, of.get(TESTS.get(claim.procedure, ""))
        if not claim.procedure:
            found.append(Untested(claim, "no procedure for it yet", False))
        elif lines is None:
            found.append(Untested(claim, "its procedure is not in the plan", False))
        elif at and (at["input_voltage_V"], at["frequency_Hz"]) not in lines:
            found.append(Untested(claim, "its line is not in the plan", False))
        elif claim.key in WHOLE_RANGE and unit.nameplate.inputs:
            missing = uncovered(unit, [v for v, _ in lines])
            if missing:
                found.append(Untested(claim, f"in part: no {' or '.join(f'{v:g} V' for v in missing)}", True))
    return found


WHOLE_RANGE = ("output_voltage", "line_regulation", "input_current")


def uncovered(unit: Unit, lines_V: list[float]) -> list[float]:
    """The ends of the rated input range, in V, that no line comes within 2 % of."""
    rating = unit.nameplate.input
    ends = (rating.voltage_min_V, rating.voltage_max_V)
    return [v for v in ends if not any(abs(v - x) <= 0.02 * v for x in lines_V)]
