"""What a plan will leave untested, known before any time is spent."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.judge.claims import claims_of
from zincsmith.model.claim import Claim
from zincsmith.model.figures import TESTS
from zincsmith.model.plan import GridOptions, HarmonicOptions, Line, Plan, StandbyOptions
from zincsmith.model.scope import Stood
from zincsmith.model.unit import Unit
from zincsmith.procedures.rows import at_line


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
        at, lines = claim.at, of.get(TESTS.get(claim.procedure, ""))
        if not claim.procedure:
            found.append(Untested(claim, "no procedure for it yet", False))
        elif lines is None:
            found.append(Untested(claim, "its procedure is not in the plan", False))
        elif at.feeds and at.line not in lines:
            found.append(Untested(claim, "its line is not in the plan", False))
        elif missing := claim.scope.missing(_points(plan, TESTS[claim.procedure])):
            found.append(Untested(claim, f"in part: no {' or '.join(missing)}", True))
    return found


def _stands_s(part: GridOptions | StandbyOptions | HarmonicOptions, line: Line, load: float) -> float:
    """How long a plan lets a point stand at least before it is read."""
    if isinstance(part, StandbyOptions):
        return part.at_least_s
    if isinstance(part, HarmonicOptions):
        return part.settle_s
    warm = part.warm_up_s if line == part.lines[0] else part.rewarm_s
    return part.settle_s + (warm if load == 100.0 and part.loads_percent[:1] == (100.0,) else 0.0)


def _points(plan: Plan, procedure: str) -> list[Stood]:
    """Where the parts of a plan that carry out a procedure take points, as far as it goes through lines and loads."""
    return [
        Stood(at_line((line.voltage_V, line.frequency_Hz), load), _stands_s(part, line, load))
        for part in plan.parts
        if part.procedure == procedure and isinstance(part, GridOptions | StandbyOptions | HarmonicOptions)
        for line in part.lines
        for load in (part.loads_percent if isinstance(part, GridOptions) else (0.0, 100.0))
    ]
