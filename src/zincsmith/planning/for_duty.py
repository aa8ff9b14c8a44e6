"""A plan that measures at the loads of what a unit must feed, so that its day is read and not worked out between."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.analysis.envelope import Envelope
from zincsmith.model.feeding import Feeding
from zincsmith.model.plan import Plan
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.planning import Planned

APART, MOST = 1.0, 4  # percent of the rating to the next load; further loads that are worth their time
NEAR = 0.1  # of its volts, as Compare takes units for fitting


def duty_loads(plate: Nameplate, feeding: Feeding) -> tuple[float, ...]:
    """In percent of the rating, of a unit with one output at about these volts; nothing for any other, nor beyond its
    rating."""
    if len(plate.outputs) != 1 or not plate.output.fixed:
        return ()
    if abs(abs(plate.output.voltage_V) - feeding.voltage_V) > NEAR * feeding.voltage_V:
        return ()
    envelope = Envelope(plate)
    shares = (round(envelope.percent(one.current_A) or 0.0, 1) for one in feeding.duty)
    return tuple(dict.fromkeys(share for share in shares if 0.0 < share <= 100.0))[:MOST]


def for_duty(plan: Plan, plate: Nameplate, feeding: Feeding | None) -> Plan:
    """The plan with these loads wherever a part takes any; the same where nobody said what it must feed."""
    loads = duty_loads(plate, feeding) if feeding is not None else ()
    if not loads:
        return plan
    return replace(plan, parts=tuple(p.with_loads(loads, APART) if isinstance(p, Planned) else p for p in plan.parts))
