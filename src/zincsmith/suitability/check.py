"""All rules over one case, the gravest first."""

from __future__ import annotations

from datetime import UTC, date, datetime

from zincsmith.model.errors import InputError
from zincsmith.model.fed import as_fed, left_open
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.suitability import connecting, loads, meters, probes, wiring
from zincsmith.suitability.case import Case, Fault, Rule, Severity

RULES: tuple[Rule, ...] = (*connecting.RULES, *wiring.RULES, *meters.RULES, *probes.RULES, *loads.RULES)
ORDER = tuple(Severity)


def check(unit: Unit, rig: Rig, plan: Plan, today: date | None = None) -> list[Fault]:
    """What is wrong, stops first; empty when nothing is."""
    open_inputs = left_open(unit.nameplate, rig)
    case = Case(as_fed(unit, rig), rig, plan, today or datetime.now(UTC).date(), open_inputs)
    rules: tuple[Rule, ...] = RULES if case.ready else (connecting.worth_powering,)
    found = [fault for rule in rules for fault in rule(case)]
    return sorted(found, key=lambda fault: ORDER.index(fault.severity))


def refuse_stops(unit: Unit, rig: Rig, plan: Plan) -> None:
    """InputError with the first stop; arming calls this."""
    stops = [fault for fault in check(unit, rig, plan) if fault.severity is Severity.STOP]
    if stops:
        more = f" ({len(stops) - 1} more)" if len(stops) > 1 else ""
        raise InputError(f"{stops[0].text} {stops[0].remedy}{more}")
