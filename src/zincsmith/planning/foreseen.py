"""What a sum foresees, made into a configuration and a measurement of it."""

from __future__ import annotations

from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import AFTER_RIG, LAST, both_ways, change_to, compose, rank
from zincsmith.procedures.catalogue import planned_record, procedure
from zincsmith.procedures.planning import LONGEST_CHANGE
from zincsmith.workshop.base import Worked, in_words

NAME = 40  # characters of a configuration's name


def changes_of(one: Worked) -> str:
    """What is fitted, with what it would give: in one line, as a configuration keeps it."""
    parts = ", ".join(
        f"{i.words.lower()} {' '.join(in_words(one.inputs[i.key], i.unit)).strip()}" for i in one.of.inputs
    )
    first = one.of.results[0]
    told = one.results[first.key]
    value, low, high = (" ".join(in_words(v, first.unit)).strip() for v in (told.value, told.low, told.high))
    foreseen = f"worked out: {first.words.lower()} {value}" + (f" ({low} to {high})" if told.low < told.high else "")
    return f"{parts[: LONGEST_CHANGE - len(foreseen) - 2]}; {foreseen}"


def plan_of(one: Worked, unit: Unit, rig: Rig) -> Plan:
    """The part that measures it, on the unit as it is and once more with what the sum is about. InputError where no
    procedure measures it, or why that one cannot be done here."""
    if not one.of.planned:
        raise InputError("no procedure here measures this: note it, and measure it by hand", key=one.of.name)
    does = TESTS[FIGURES[one.of.planned].procedure]
    whole, left = compose(unit, rig, [does] if planned_record(procedure(does)).chosen_only else [])
    if not any(p.procedure == does for p in whole.parts):
        why = next((out.why for out in left if out.procedure == does), "it does not suit this unit")
        raise InputError(f"{procedure(does).title}: {why}", key=does)
    kept = tuple(p for p in whole.parts if rank(p) <= AFTER_RIG or rank(p) == LAST or p.procedure == does)
    plan = Plan(f"{one.of.title}: foreseen, then measured", kept)
    return both_ways(plan, change_to(configuration=f"with {one.of.title.lower()}"[:NAME], changes=changes_of(one)))
