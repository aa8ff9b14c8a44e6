"""Which procedures, in which order: what the claims, the kind of unit and the rig call for.

Safe first, gentle before violent, cold before warm where it matters, risk of destruction last, line changes grouped.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from zincsmith.formats.words import duration
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.model.fed import as_fed
from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.model.plan import LINES, Line, Options, Plan
from zincsmith.model.port import output_ports
from zincsmith.model.rig import Rig
from zincsmith.model.roles import AT_OUTPUTS, ROLES, SOURCE, SOURCES
from zincsmith.model.unit import InputRating, Nameplate, Unit
from zincsmith.planning.limits import weakest_at_input
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.rig_facts import dips, outlet_of, records, source_kind
from zincsmith.procedures.catalogue import every, package_of, planned, planned_record, procedure
from zincsmith.procedures.plan_file import NAMED, find_plan
from zincsmith.procedures.planning import Facts, Planned, Refit
from zincsmith.procedures.waveforms.options import claims_one_of
from zincsmith.rules.loader import supply_rules

FULL = "full"
LAST = 9  # the unit is put back as it was
AFTER_RIG = 2  # from here on the work is of the unit: it is brought up, then characterized
SAME_SHARE = 0.005  # lines nearer than this are one


@dataclass(frozen=True)
class LeftOut:
    """A procedure that is not in the plan, and why."""

    procedure: str
    why: str


def usual(unit: Unit | None, rig: Rig | None) -> Plan:
    """What is planned where nobody said anything yet: a static grid; of a unit that none suits, what is composed."""
    grid = NAMED["static-grid"]
    if unit is None or rig is None:
        return grid
    unit = as_fed(unit, rig)
    if not any(planned(part).suits(unit.nameplate) for part in grid.parts):
        return grid
    try:
        return compose(unit, rig)[0]
    except InputError:
        return grid


def plan_named(name: str, unit: Unit, rig: Rig, chosen: Collection[str] = ()) -> Plan:
    """``full`` composes a plan, with what was ``chosen``; else a plan by name or from a file. InputError when there is
    none."""
    return compose(unit, rig, chosen)[0] if name == FULL else find_plan(name)


def facts_of(unit: Unit, rig: Rig, chosen: Collection[str] = ()) -> Facts:
    """What a plan for this unit on this rig is composed by."""
    unit = as_fed(unit, rig)
    lines = lines_for(unit, rig)
    by_program = not any(rig.by_hand(role) for role in ("power_meter", "voltmeter", "load", *SOURCES.values()))
    return Facts(
        unit,
        rig,
        lines,
        standby_lines(unit, lines),
        source_kind(rig),
        records(rig),
        by_program,
        dips(rig),
        frozenset(chosen),
    )


def compose(unit: Unit, rig: Rig, chosen: Collection[str] = ()) -> tuple[Plan, list[LeftOut]]:
    """A plan for this unit on this rig, and what had to be left out; ``chosen`` names procedures that go beyond what
    everybody wants, which only a person puts in. InputError when nothing is left, or a name is none of these."""
    names = frozenset(name.replace("-", "_") for name in chosen)
    facts = facts_of(unit, rig, names)
    records = {one.name: planned_record(one) for one in every()}
    for name in sorted(names):
        if name not in records or not records[name].chosen_only:
            able = ", ".join(n for n, record in records.items() if record.chosen_only)
            raise InputError(f"{name!r} is nothing that is chosen for a plan by name; there are: {able}", key="with")
    proposals = [part for record in records.values() if _wanted(record, facts) for part in record.proposed(facts)]
    left: list[LeftOut] = []
    parts: list[Options] = []
    for part in sorted(proposals, key=rank):
        why = _cannot(part, facts) or _lacks(part, parts) or _not_chosen(part, facts)
        if not why:
            parts.append(part)
        elif all(one.procedure != part.procedure for one in left):
            left.append(LeftOut(part.procedure, why))
    if all(planned(p).stays or rank(p) == LAST for p in parts):
        # What the bench lacks for what suits the unit says more than what does not suit it at all.
        own = [one for one in left if not records[one.procedure].suits(facts.unit.nameplate)] or left
        raise InputError(f"no plan can be composed: {own[0].why}" if own else "no plan can be composed")
    return Plan("Full", tuple(parts)), left


@dataclass(frozen=True)
class Beyond:
    """A part that a person may choose: what it takes, and what it risks."""

    part: Options
    price: str
    risk: str


def to_choose(unit: Unit, rig: Rig) -> Iterator[Beyond]:
    """What goes beyond what everybody wants and could be carried out on this rig; nobody is given it by the program."""
    records = [record for one in every() if (record := planned_record(one)).chosen_only]
    facts = facts_of(unit, rig, [_name(record) for record in records])
    for record in records:
        for part in record.proposed(facts):
            if not _cannot(part, facts):
                yield Beyond(part, _price(part, facts), record.chosen_only)


def _wanted(record: type[Planned], facts: Facts) -> bool:
    """Whether a plan has anything to do with it: what a person has to choose, where a claim asks for it or they did."""
    return not record.chosen_only or _name(record) in facts.chosen or claims_one_of(facts, *record.tests)


def _name(record: type[Planned]) -> str:
    return str(record().procedure)


def _not_chosen(part: Options, facts: Facts) -> str:
    """What it would cost, where nobody has chosen it."""
    one = planned(part)
    if not one.chosen_only or part.procedure in facts.chosen:
        return ""
    figure = next(FIGURES[f].title.lower() for f in one.tests if claims_one_of(facts, f))
    return f"a claim states {figure}; it takes {_price(part, facts)}, and {one.chosen_only}: choose it to have it"


def _price(part: Options, facts: Facts) -> str:
    try:
        alone = rehearse(facts.unit, facts.rig, Plan("Alone", (part,)))
    except ZincsmithError as error:
        return f"what cannot be foreseen ({error})"
    return f"{duration(alone.likely_s)} to {duration(planned(part).longest_s or alone.most_s)}"


def _lacks(part: Options, before: Sequence[Options]) -> str:
    """Which procedure would have to come first and is not there."""
    there = {one.procedure for one in before}
    return next((why for name, why in planned(part).after.items() if name not in there), "")


def retest(unit: Unit, rig: Rig, figures: Sequence[str]) -> Plan:
    """After a repair or a change of configuration: gates, rig check, bring-up from zero, and only what tests these
    figures. InputError for a figure that nobody knows or no procedure tests."""
    for figure in figures:
        if figure not in FIGURES:
            raise InputError(f"there is no figure {figure!r}; there are: {', '.join(FIGURES)}", key="retest")
        if not FIGURES[figure].procedure:
            raise InputError(f"no procedure tests {FIGURES[figure].title.lower()} yet", key="retest")
    full, _ = compose(unit, rig)
    facts = facts_of(unit, rig)
    of = {
        part.procedure: [f for f in figures if TESTS.get(FIGURES[f].procedure) == part.procedure] for part in full.parts
    }
    for figure in figures:
        if not any(figure in tested for tested in of.values()):
            raise InputError(f"no part of a plan for this rig tests {FIGURES[figure].title.lower()}", key="retest")
    parts = [again for p in full.parts if (again := planned(p).retested(of[p.procedure], facts)) is not None]
    return replace(full, name=f"Retest: {', '.join(figures)}", parts=tuple(parts))


def standby_lines(unit: Unit, lines: Sequence[Line]) -> tuple[Line, ...]:
    """Where standby power is asked for: at the lines of the rule sets, else at every one."""
    if lines and not lines[0].frequency_Hz:  # one in the middle tells what a stage takes of direct current
        return (lines[len(lines) // 2],)
    wanted = [x for _, rules in supply_rules(unit.nameplate.rules) for x in rules.lines]
    found = tuple(x for x in lines if any(abs(x.voltage_V - w.voltage_V) <= 0.02 * w.voltage_V for w in wanted))
    return found or tuple(lines) or LINES


def places_of(role: str, plate: Nameplate) -> tuple[str, ...]:
    """Where a unit needs a role: at each of its outputs, or once."""
    if role == SOURCE:
        return (SOURCES[plate.input.type if plate.inputs else "ac"],)
    return tuple(at_port(role, port) for port in output_ports(plate)) if role in AT_OUTPUTS else (role,)


def _cannot(part: Options, facts: Facts) -> str:
    one, unit = procedure(part.procedure), facts.unit
    unfit = planned(part).suits(unit.nameplate) or planned(part).unmet(facts)
    if unfit:
        return unfit
    places = [place for role in one.needs for place in places_of(role, unit.nameplate)]
    missing = [
        f"{ROLES[place][:1].lower()}{ROLES[place][1:]}" for place in places if facts.rig.instrument(place) is None
    ]
    return f"the rig has no {' and no '.join(missing)}" if missing else ""


def lines_for(unit: Unit, rig: Rig) -> tuple[Line, ...]:
    """Every line that a claim speaks of and the source can give: rule sets, the ends of the range, other papers."""
    unit = as_fed(unit, rig)
    plate = unit.nameplate
    outlet = outlet_of(rig)
    if outlet is not None:
        return (outlet,)
    if not plate.inputs:
        return ()
    one = plate.input
    marked = (PART_SHARE * bound.value for bound in weakest_at_input(unit))
    low, high = one.voltage_V[0], min((one.voltage_V[1], *marked))
    hertz = one.hertz
    wanted = [Line(low, max(hertz)), Line(high, min(hertz))]
    if one.type == "dc" and high > low:
        wanted.append(Line(between_ends(low, high), 0.0))
    for _, rules in supply_rules(plate.rules):
        wanted += [Line(x.voltage_V, x.frequency_Hz) for x in rules.lines]
    for claim in plate.claims:
        at = claim.condition
        if claim.kept and at.line_V is not None and at.line_V[0] == at.line_V[1]:
            stated = at.frequency_Hz if one.type == "ac" else 0.0
            wanted += [Line(at.line_V[0], stated)] if stated is not None else []
    source = rig.source(one.type)
    most = source.most.get("voltage_V", high) if source is not None else high
    fitting = [x for x in wanted if low <= x.voltage_V <= min(high, most) and _rated(x, hertz) and _as_set(x, one)]
    out: list[Line] = []
    for line in sorted(dict.fromkeys(fitting), key=lambda x: (x.voltage_V, x.frequency_Hz)):
        if not any(abs(line.voltage_V - x.voltage_V) <= SAME_SHARE * x.voltage_V for x in out):
            out.append(line)
    return tuple(out)


PART_SHARE = 0.9  # of what a part across the input is marked for: nobody works at the mark; common practice, no source
# What units are fed with, V of direct current; common practice, no source.
USUAL_DC_V = (3.7, 5.0, 7.4, 9.0, 12.0, 15.0, 18.0, 24.0, 28.0, 36.0, 48.0, 72.0, 110.0)


def between_ends(low: float, high: float) -> float:
    """Of the usual volts of direct current those nearest to the middle of a range, as ratios go; the middle itself
    where none of them lies inside."""
    middle = math.sqrt(low * high)
    inside = [v for v in USUAL_DC_V if low < v < high]
    return min(inside, key=lambda v: abs(math.log(v / middle)), default=float(f"{middle:.2g}"))


def _as_set(line: Line, one: InputRating) -> bool:
    """Whether the range switch, where there is one, stands at the position that this line is nearest to."""
    if not one.selector_V or one.selector_set_V is None:
        return True
    return min(one.selector_V, key=lambda v: abs(v - line.voltage_V)) == one.selector_set_V


def _rated(line: Line, hertz: Sequence[float]) -> bool:
    return min(hertz) <= line.frequency_Hz <= max(hertz)


def refitted(plan: Plan, old: Unit | None, new: Unit, rig: Rig) -> Plan:
    """The plan for another unit, or for other ratings of it: what the program had proposed follows the ratings, what a
    person chose stays as far as the new unit is rated for it."""
    proposed = lines_for(old, rig) if old is not None else ()
    own = lines_for(new, rig)
    if not own or not new.nameplate.inputs:
        return plan
    idle = standby_lines(old, proposed) if old is not None else proposed
    to = Refit(new, tuple(proposed), tuple(own), tuple(idle), standby_lines(new, own))
    return replace(plan, parts=tuple(p.refitted(to) if isinstance(p, Planned) else p for p in plan.parts))


def change_to(**said: str) -> Planned:
    """A part that puts the unit into another configuration, as it is ``said``: its name, what is changed."""
    record = next(record for one in every() if (record := planned_record(one)).changes_unit)
    return record(**said)


def both_ways(plan: Plan, change: Options) -> Plan:
    """The plan with a change of configuration after its work, and the same work once more on the changed unit, which is
    brought up from zero first. InputError where the plan has no work, or a change already."""
    if any(planned(p).becomes for p in plan.parts):
        raise InputError("the plan changes the configuration already; give that part another name, or drop it")
    work = tuple(p for p in plan.parts if AFTER_RIG <= rank(p) < LAST)
    again = tuple(again for p in work if (again := planned(p).on_the_changed()) is not None)
    if not again:
        raise InputError("the plan has nothing that could be done once more on the changed unit")
    end = tuple(p for p in plan.parts if rank(p) == LAST)
    before = tuple(p for p in plan.parts if rank(p) != LAST)
    if isinstance(change, Planned):
        change.check()
    return replace(plan, parts=(*before, change, *again, *end))


# The order of the work


def rank(part: Options) -> int:
    """What must not come before what: lower first."""
    return planned(part).rank


def order_problem(parts: Sequence[Options]) -> str:
    """Why parts must not stand in this order; empty when they may."""
    for earlier, later in pairwise(parts):
        if planned(earlier).becomes or planned(later).becomes:
            continue  # the work on a changed unit begins anew
        if rank(earlier) > rank(later):
            return planned(later).reason or planned(earlier).reason
    return ""


def moved(plan: Plan, part: int, by: int) -> Plan:
    """The plan with a part moved up or down. InputError, with the reason, where that is not safe."""
    to = part + by
    if not 0 <= to < len(plan.parts):
        raise InputError("it stands at the end already")
    parts = list(plan.parts)
    parts.insert(to, parts.pop(part))
    problem = order_problem(parts)
    if problem:
        raise InputError(f"it cannot be moved there: {problem}")
    return replace(plan, parts=tuple(parts))


def without(plan: Plan, part: int) -> Plan:
    """The plan without a part. InputError for gates that the rest needs, and for the last part."""
    dropped = plan.parts[part]
    rest = tuple(p for n, p in enumerate(plan.parts) if n != part)
    if not rest:
        raise InputError("a plan has at least one part")
    if isinstance(dropped, Planned) and dropped.stays:
        raise InputError(dropped.stays)
    return replace(plan, parts=rest)


def with_part(plan: Plan, part: Options) -> Plan:
    """The plan with a part put where it belongs."""
    at = next((n for n, p in enumerate(plan.parts) if rank(p) > rank(part)), len(plan.parts))
    return replace(plan, parts=(*plan.parts[:at], part, *plan.parts[at:]))


def catalogue() -> list[dict[str, object]]:
    """Every procedure with what it needs and serves, in the order of the work."""
    found = []
    for p in every():
        package = package_of(p.name)
        by = {} if package is None else {"package": package.name, "package_version": package.version}
        found.append(
            {"name": p.name, "title": p.title, "version": p.version, "needs": list(p.needs), "serves": p.serves, **by}
        )
    return found
