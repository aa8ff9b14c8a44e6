"""What a plan will leave untested, known before any time is spent."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.judge.claims import claims_of
from zincsmith.model.claim import Claim
from zincsmith.model.figures import TESTS
from zincsmith.model.plan import Plan
from zincsmith.model.scope import Stood
from zincsmith.model.unit import Unit
from zincsmith.procedures.planning import Planned


@dataclass(frozen=True)
class Untested:
    """A claim, or a part of one, that this plan does not reach, with the reason."""

    claim: Claim
    why: str
    partly: bool


def untested(unit: Unit, plan: Plan) -> list[Untested]:
    """Claims without a procedure, outside the plan's lines, or tested over a part of their range."""
    of: dict[str, set[tuple[float, float]]] = {}
    for part in plan.parts:
        of.setdefault(part.procedure, set()).update((x.voltage_V, x.frequency_Hz) for x in part.lines_used)
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


def _points(plan: Plan, procedure: str) -> list[Stood]:
    """Where the parts of a plan that carry out a procedure take points, as far as they know before."""
    mine = (part for part in plan.parts if part.procedure == procedure and isinstance(part, Planned))
    return [stood for part in mine for stood in part.stands()]
