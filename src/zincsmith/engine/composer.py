"""Which procedures, in which order: what the claims, the kind of unit and the rig call for.

Safe first, gentle before violent, cold before warm where it matters, risk of destruction last, line changes grouped.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

from zincsmith.engine.rig_facts import outlet_of, records, source_kind
from zincsmith.formats.plan_file import find_plan
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.model.plan import (
    LINES,
    BringUpOptions,
    DisplayOptions,
    GridOptions,
    HandsInOptions,
    HarmonicOptions,
    Line,
    Options,
    Plan,
    RegimeOptions,
    RigCheckOptions,
    SafetyOptions,
    StandbyOptions,
)
from zincsmith.model.port import of_output, output_ports
from zincsmith.model.quantities import ROLES
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.catalogue import SHIPPED, procedure
from zincsmith.procedures.harmonics import NO_RECORD
from zincsmith.procedures.static_grid import LOADS_OF
from zincsmith.rules.loader import supply_rules

School = Literal["from zero", "rated input"]
FULL = "full"
CORRECTED_FROM_W = 70.0  # rated output; limits for harmonics begin at 75 W of input (IEC 61000-3-2, from memory)
SAME_SHARE = 0.005  # lines nearer than this are one


@dataclass(frozen=True)
class LeftOut:
    """A procedure that is not in the plan, and why."""

    procedure: str
    why: str


def plan_named(name: str, unit: Unit, rig: Rig) -> Plan:
    """``full`` composes a plan; else a plan by name or from a file. InputError when there is none."""
    return compose(unit, rig)[0] if name == FULL else find_plan(name)


def compose(unit: Unit, rig: Rig) -> tuple[Plan, list[LeftOut]]:
    """A plan for this unit on this rig, and what had to be left out. InputError when nothing is left."""
    lines = lines_for(unit, rig)
    first = lines[0] if lines else LINES[0]
    wanted: list[Options] = [
        SafetyOptions(),
        RigCheckOptions(when="before", line=first),
        BringUpOptions(school=school_for(unit, rig), first_line=first),
        RigCheckOptions(when="live", line=first),
        GridOptions(lines=lines or LINES, cold=True, again=_read_by_program(rig)),
        *grids_by_port(unit, lines or LINES),
        *([RegimeOptions(line=line) for line in lines[:1]] if corrected(unit) else []),
        *([DisplayOptions(line=first)] if rig.instrument("panel_voltmeter") is not None else []),
        HarmonicOptions(lines=standby_lines(unit, lines)),
        StandbyOptions(lines=standby_lines(unit, lines), method=_method(rig)),
        RigCheckOptions(when="after", line=first),
        SafetyOptions(restore=True),
    ]
    left: list[LeftOut] = []
    parts: list[Options] = []
    for part in wanted:
        why = _cannot(part, unit, rig)
        if not why and isinstance(part, StandbyOptions) and not any(isinstance(p, BringUpOptions) for p in parts):
            why = "the unit could not be brought up first"
        if why:
            if all(one.procedure != part.procedure for one in left):
                left.append(LeftOut(part.procedure, why))
        else:
            parts.append(part)
    if all(isinstance(p, SafetyOptions) for p in parts):
        raise InputError(f"no plan can be composed: {left[0].why}" if left else "no plan can be composed")
    return Plan("Full", tuple(parts)), left


def retest(unit: Unit, rig: Rig, figures: Sequence[str]) -> Plan:
    """After a repair or a change of configuration: gates, rig check, bring-up from zero, and only what tests these
    figures. InputError for a figure that nobody knows or no procedure tests."""
    for figure in figures:
        if figure not in FIGURES:
            raise InputError(f"there is no figure {figure!r}; there are: {', '.join(FIGURES)}", key="retest")
        if not FIGURES[figure].procedure:
            raise InputError(f"no procedure tests {FIGURES[figure].title.lower()} yet", key="retest")
    full, _ = compose(unit, rig)
    parts: list[Options] = []
    for part in full.parts:
        if isinstance(part, BringUpOptions) and source_kind(rig) != "fixed":
            parts.append(replace(part, school="from zero"))
        elif _wanted(part, figures):
            parts.append(_no_more_than(part, figures) if isinstance(part, GridOptions) else part)
    return replace(full, name=f"Retest: {', '.join(figures)}", parts=tuple(parts))


def _wanted(part: Options, figures: Sequence[str]) -> bool:
    """Whether a part tests one of the figures, or stands before all testing."""
    if isinstance(part, SafetyOptions | RigCheckOptions | BringUpOptions):
        return True
    return any(TESTS.get(FIGURES[f].procedure) == part.procedure for f in figures)


def _no_more_than(part: GridOptions, figures: Sequence[str]) -> GridOptions:
    """The grid with the loads that these figures are worked out from, in its own order, and nothing beside them."""
    of_it = [f for f in figures if TESTS.get(FIGURES[f].procedure) == part.procedure]
    if all(f in LOADS_OF for f in of_it):
        wanted = {load for f in of_it for load in LOADS_OF[f]}
        part = replace(part, loads_percent=tuple(sorted(wanted, reverse=True)))
    again = part.again and "output_resistance" in of_it
    return replace(part, cold=False, refine_points=0, again=again)


def corrected(unit: Unit) -> bool:
    """Whether the unit may correct its power factor: a claim speaks of it, or its power is where rules ask for it."""
    plate = unit.nameplate
    claimed = any(c.figure == "power_factor" and c.kept for c in plate.claims)
    return claimed or plate.rated_power_W >= CORRECTED_FROM_W


def standby_lines(unit: Unit, lines: Sequence[Line]) -> tuple[Line, ...]:
    """Where standby power is asked for: at the lines of the rule sets, else at every one."""
    wanted = [x for _, rules in supply_rules(unit.nameplate.rules) for x in rules.lines]
    found = tuple(x for x in lines if any(abs(x.voltage_V - w.voltage_V) <= 0.02 * w.voltage_V for w in wanted))
    return found or tuple(lines) or LINES


AT_OUTPUTS = ("load", "voltmeter")  # roles that every output needs one of
NEXT_WARM_UP_S = 300.0  # of a grid that follows another
OTHERS_PERCENT = 50.0  # what the other rails give while one is varied; common practice, no source


def places_of(role: str, plate: Nameplate) -> tuple[str, ...]:
    """Where a unit needs a role: at each of its outputs, or once."""
    return tuple(at_port(role, port) for port in output_ports(plate)) if role in AT_OUTPUTS else (role,)


def grids_by_port(unit: Unit, lines: tuple[Line, ...]) -> list[Options]:
    """One output varied while the others keep their load, where there are several; and each mode of an output that
    has several, on the first and the last line; the grid of all has the rest. Ports that share are used one at a time,
    since what one may give depends on what is plugged in elsewhere."""
    plate = unit.nameplate
    found: list[Options] = []
    for port, output in zip(output_ports(plate), plate.outputs, strict=False):
        modes = [m.name for m in of_output(output).modes if m.law == "fixed"]
        shared = bool(plate.sharing) or any(o.modes for o in plate.outputs)
        for mode in modes if len(modes) > 1 else [""]:
            ends = lines[:1] if len(lines) < 2 or not mode else (lines[0], lines[-1])
            others = 0.0 if shared else OTHERS_PERCENT
            if port or mode:
                found.append(
                    GridOptions(lines=ends, warm_up_s=NEXT_WARM_UP_S, port=port, mode=mode, others_percent=others)
                )
    return found


def _read_by_program(rig: Rig) -> bool:
    """Whether one more point costs nobody's time: what the grid reads is read by the program."""
    return not any(rig.by_hand(role) for role in ("power_meter", "voltmeter", "load", "ac_source"))


def _method(rig: Rig) -> Literal["sampling", "average"]:
    """A meter that is read by hand gives its own mean over a period, not one every second."""
    return "average" if rig.by_hand("power_meter") else "sampling"


def _cannot(part: Options, unit: Unit, rig: Rig) -> str:
    one = procedure(part.procedure)
    unfit = one.suits(unit.nameplate)
    if unfit:
        return unfit
    if isinstance(part, HarmonicOptions) and not records(rig):
        return NO_RECORD
    places = [place for role in one.needs for place in places_of(role, unit.nameplate)]
    missing = [f"{ROLES[place][:1].lower()}{ROLES[place][1:]}" for place in places if rig.instrument(place) is None]
    return f"the rig has no {' and no '.join(missing)}" if missing else ""


def school_for(unit: Unit, rig: Rig) -> School:
    """How it is first fed: a boxed product may start at rated input, what was opened or is doubtful does not."""
    trusted = unit.kind == "adapter" and not unit.in_force.open_case and unit.look.verdict == "fit to power"
    if source_kind(rig) == "fixed" or trusted:
        return "rated input"
    return "from zero"


def lines_for(unit: Unit, rig: Rig) -> tuple[Line, ...]:
    """Every line that a claim speaks of and the source can give: rule sets, the ends of the range, other papers."""
    plate = unit.nameplate
    outlet = outlet_of(rig)
    if outlet is not None:
        return (outlet,)
    if not plate.inputs or plate.input.type != "ac":
        return ()
    low, high = plate.input.voltage_V
    hertz = plate.input.frequency_Hz or (50.0, 60.0)
    wanted = [Line(low, max(hertz)), Line(high, min(hertz))]
    for _, rules in supply_rules(plate.rules):
        wanted += [Line(x.voltage_V, x.frequency_Hz) for x in rules.lines]
    for claim in plate.claims:
        at = claim.condition
        if claim.kept and at.line_V is not None and at.line_V[0] == at.line_V[1] and at.frequency_Hz is not None:
            wanted.append(Line(at.line_V[0], at.frequency_Hz))
    source = rig.instrument("ac_source")
    most = source.most.get("voltage_V", high) if source is not None else high
    fitting = [x for x in wanted if low <= x.voltage_V <= min(high, most) and _rated(x, hertz)]
    out: list[Line] = []
    for line in sorted(dict.fromkeys(fitting), key=lambda x: (x.voltage_V, x.frequency_Hz)):
        if not any(abs(line.voltage_V - x.voltage_V) <= SAME_SHARE * x.voltage_V for x in out):
            out.append(line)
    return tuple(out)


def _rated(line: Line, hertz: Sequence[float]) -> bool:
    return min(hertz) <= line.frequency_Hz <= max(hertz)


def refitted(plan: Plan, old: Unit | None, new: Unit, rig: Rig) -> Plan:
    """The plan for another unit, or for other ratings of it: what the program had proposed follows the ratings, what a
    person chose stays as far as the new unit is rated for it."""
    proposed = lines_for(old, rig) if old is not None else ()
    own = lines_for(new, rig)
    if not own or not new.nameplate.inputs:
        return plan
    return replace(plan, parts=tuple(_refitted(part, old, new, proposed, own) for part in plan.parts))


def _refitted(part: Options, old: Unit | None, new: Unit, proposed: Sequence[Line], own: Sequence[Line]) -> Options:
    if isinstance(part, SafetyOptions | HandsInOptions):
        return part
    if isinstance(part, BringUpOptions):
        return replace(part, first_line=own[0]) if part.first_line in proposed[:1] else part
    if isinstance(part, RigCheckOptions | RegimeOptions | DisplayOptions):
        fits = _within(part.line, new) and part.line not in proposed[:1]
        return part if fits else replace(part, line=own[0])
    idle = isinstance(part, StandbyOptions | HarmonicOptions)
    usual = standby_lines(old, proposed) if idle and old is not None else tuple(proposed)
    fresh = standby_lines(new, own) if idle else tuple(own)
    if part.lines == usual:
        return replace(part, lines=fresh)
    kept = tuple(x for x in part.lines if _within(x, new))
    return part if kept == part.lines else replace(part, lines=kept or fresh)


def _within(line: Line, unit: Unit) -> bool:
    """Whether the first input of a unit is rated for a line."""
    one = unit.nameplate.input
    hertz = one.frequency_Hz or (50.0, 60.0)
    spans = [r.voltage_V for r in one.ranges if r.type == one.type] or [one.voltage_V]
    return any(low <= line.voltage_V <= high for low, high in spans) and _rated(line, hertz)


# The order of the work


def rank(part: Options) -> int:
    """What must not come before what: lower first."""
    if isinstance(part, SafetyOptions):
        return 9 if part.restore else 0
    if isinstance(part, RigCheckOptions):
        return {"before": 1, "live": 3, "after": 8}[part.when]
    if isinstance(part, StandbyOptions):
        return 5
    return 2 if isinstance(part, BringUpOptions) else 4


REASONS = {
    0: "the safety gates come before anything is energised",
    1: "the background is taken before the unit was ever fed",
    2: "a unit is brought up before it is loaded or trusted with a sweep",
    3: "source and meters are checked before what they measure is believed",
    4: "the grid warms the unit, and needs the load that standby power takes off",
    5: "standby power is taken from a warm unit, with the load taken off",
    8: "the second background is taken after everything that it vouches for",
    9: "the unit is put back as it was when all work on it is done",
}


def order_problem(parts: Sequence[Options]) -> str:
    """Why parts must not stand in this order; empty when they may."""
    for earlier, later in pairwise(parts):
        a, b = rank(earlier), rank(later)
        if a > b:
            return REASONS[b] if b in REASONS else REASONS[a]
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
    if isinstance(dropped, SafetyOptions) and not dropped.restore:
        raise InputError("the safety gates stay: every other part relies on them")
    return replace(plan, parts=rest)


def with_part(plan: Plan, part: Options) -> Plan:
    """The plan with a part put where it belongs."""
    at = next((n for n, p in enumerate(plan.parts) if rank(p) > rank(part)), len(plan.parts))
    return replace(plan, parts=(*plan.parts[:at], part, *plan.parts[at:]))


def catalogue() -> list[dict[str, object]]:
    """Every procedure with what it needs and serves, in the order of the work."""
    return [
        {"name": p.name, "title": p.title, "version": p.version, "needs": list(p.needs), "serves": p.serves}
        for p in SHIPPED
    ]
