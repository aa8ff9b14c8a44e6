"""Protective gear, earths, leads and sense points."""

from __future__ import annotations

from collections.abc import Iterator

from zincsmith.analysis.leads import GOOD_A_PER_MM2, MOST_A_PER_MM2, area_of, lead_resistance
from zincsmith.model.address import name_of, port_of
from zincsmith.model.rig import Lead
from zincsmith.model.unit import OutputRating
from zincsmith.suitability.case import Case, Fault, Severity

VOLTS = ("output_voltage", "load_regulation", "cross_regulation", "output_resistance")
EFFICIENCIES = ("average_active_efficiency", "efficiency")


def fuse(case: Case) -> Iterator[Fault]:
    if case.rig.has("fuse", "DC fuse"):
        return
    module = case.bare or case.unit.kind == "dc-dc"
    ahead = "an open board has none of its own that can be trusted" if module else "a fault then meets the full source"
    yield Fault(
        "no_fuse",
        Severity.STOP if module else Severity.DOUBT,
        "gear",
        f"No fuse stands ahead of the unit; {ahead}.",
        "Put a fuse rated for its input current ahead of it.",
    )


def line_filter(case: Case) -> Iterator[Fault]:
    if case.unit.kind == "open board" and case.mains and not case.rig.has("line filter"):
        yield Fault(
            "no_line_filter",
            Severity.DOUBT,
            "gear",
            "No line filter stands ahead of an open board: its noise reaches the meters and the mains.",
            "Put a line filter between source and meter.",
            case.touched("ripple", "no_load_power"),
        )


def isolation(case: Case) -> Iterator[Fault]:
    if not (case.bare and case.mains) or case.isolated:
        return
    if case.rig.has("variable transformer", "series lamp"):
        yield Fault(
            "variable_transformer_does_not_isolate",
            Severity.STOP,
            "gear",
            "A variable transformer or a series lamp does not isolate: every part of the open unit is live to earth.",
            "Put an isolation transformer ahead of it, or use an isolated source.",
        )
    else:
        yield Fault(
            "no_isolation",
            Severity.STOP,
            "gear",
            "Live parts are open and the source is not isolated from the mains.",
            "Use an isolated source or an isolation transformer. Local rules and licensed practice come first.",
        )


def cover(case: Case) -> Iterator[Fault]:
    """An open board on the mains wants a cover; past that only four things lead, each confirmed by name."""
    if not (case.bare and case.mains) or case.rig.has("clear cover"):
        return
    rig = case.rig
    wanted = {
        "an isolated source": rig.isolation_by,
        "a fuse": rig.fuse_by,
        "an emergency stop": rig.emergency_stop_by,
        "a second person": rig.second_person,
    }
    missing = [what for what, by in wanted.items() if not by.strip()]
    if missing:
        yield Fault(
            "open_board_uncovered",
            Severity.STOP,
            "gear",
            "Live parts of the open unit are not covered.",
            f"Put a clear cover over it, or have confirmed by name: {', '.join(missing)}.",
        )
    else:
        names = "; ".join(f"{what}: {by}" for what, by in wanted.items())
        yield Fault(
            "open_board_confirmed",
            Severity.REMARK,
            "gear",
            f"Live parts of the open unit are not covered. Confirmed: {names}.",
            "Keep a hand's breadth away; one hand; never alone.",
        )


def isolation_and_breaker(case: Case) -> Iterator[Fault]:
    if case.isolated and case.rig.has("earth-leakage breaker"):
        yield Fault(
            "isolation_defeats_breaker",
            Severity.REMARK,
            "gear",
            "Behind an isolated source the earth-leakage breaker does not trip when somebody touches one pole.",
            "Do not count on it: one hand, never alone, emergency stop in reach.",
        )


def transformer_in_the_way(case: Case) -> Iterator[Fault]:
    if case.unit.nameplate.rules and case.rig.has("isolation transformer", "variable transformer", "series lamp"):
        yield Fault(
            "transformer_in_compliance",
            Severity.DOUBT,
            "gear",
            "A transformer or lamp in the line distorts the volts and hides the inrush: published limits want the "
            "source itself.",
            "Feed the points that are judged by a rule set from the source directly.",
            case.touched("average_active_efficiency", "no_load_power", "power_factor", "inrush"),
        )


def lifted_earth(case: Case) -> Iterator[Fault]:
    if case.rig.scope_earth_lifted:
        yield Fault(
            "scope_earth_lifted",
            Severity.STOP,
            "scope",
            "The scope's own earth is lifted: its case and every clip can be live.",
            "Restore its earth. Use a differential probe instead.",
        )


def earths(case: Case) -> Iterator[Fault]:
    ties = case.rig.earthed
    nodes = {t.node.strip().lower() for t in ties}
    if case.unit.kind == "inverter" and ties and any("input" not in n and "battery" not in n for n in nodes):
        yield Fault(
            "inverter_leg_earthed",
            Severity.STOP,
            "scope",
            "Both legs of an inverter's output are live: an earthed clip shorts its bridge.",
            "Use a differential probe.",
        )
    elif len(nodes) > 1:
        where = " and ".join(f"{t.node} through {t.through}" for t in ties)
        yield Fault(
            "two_nodes_earthed",
            Severity.STOP,
            "unit",
            f"Two nodes of the unit are joined through earth: {where}.",
            "Let one node be earthed at most, or use a differential probe.",
        )
    elif len(ties) > 1:
        yield Fault(
            "ground_loop",
            Severity.DOUBT,
            "unit",
            f"{ties[0].node} is earthed {len(ties)} times, through {' and '.join(t.through for t in ties)}: "
            "a ground loop adds line-frequency ripple.",
            "Lift all but one at the instrument's floating terminals, never at its mains plug.",
            case.touched("ripple", "ripple_rms"),
        )
    elif not ties and any(m.strip().upper() in {"II", "CLASS II"} for m in case.unit.nameplate.marks):
        yield Fault(
            "output_floats",
            Severity.REMARK,
            "unit",
            "Nothing earths the output of this class II unit: it floats near half the mains.",
            "Connect instrument grounds before power.",
        )


def battery(case: Case) -> Iterator[Fault]:
    if case.unit.kind not in {"inverter", "two-input"} or all(i.type == "ac" for i in case.unit.nameplate.inputs):
        return
    if not case.rig.has("DC fuse"):
        yield Fault(
            "no_battery_fuse",
            Severity.STOP,
            "gear",
            "No DC-rated fuse stands at the battery: a short is limited by nothing, and an AC fuse does not break DC.",
            "Put a DC-rated fuse at the battery's terminal.",
        )
    if case.unit.kind == "inverter" and not case.rig.has("pre-charge resistor"):
        yield Fault(
            "no_pre_charge",
            Severity.DOUBT,
            "gear",
            "The input capacitors meet the battery without pre-charge: sparks and welded contacts.",
            "Charge them through a resistor first.",
        )


def other_inputs(case: Case) -> Iterator[Fault]:
    for name in case.left_open:
        yield Fault(
            "input_left_open",
            Severity.REMARK,
            "unit",
            f"This rig feeds one input; {name} stays open, and may be live from inside while the unit runs.",
            f"Cover its terminals; what it gives on {name} is a plan of its own, on a rig with a source for it.",
        )


def leads(case: Case) -> Iterator[Fault]:
    for lead in case.rig.leads:
        end = lead.between.partition(" ")[2]
        current = case.output_at(port_of(end)).current_A if name_of(end) == "load" else case.input_A
        if lead.rated_A is not None and current > lead.rated_A:
            yield Fault(
                "lead_beyond_rating",
                Severity.STOP,
                f"lead {lead.between}",
                f"{current:.3g} A would go through clamps and plugs made for {lead.rated_A:g} A.",
                "Use ones made for it, or several in parallel, each with its share.",
                case.touched(*VOLTS, *EFFICIENCIES),
            )
        density = current / (area_of(lead) * lead.wires)
        if density <= GOOD_A_PER_MM2:
            continue
        yield Fault(
            "lead_too_thin",
            Severity.STOP if density > MOST_A_PER_MM2 else Severity.DOUBT,
            f"lead {lead.between}",
            f"{current:.3g} A through {lead.size_words} is {density:.1f} A/mm²: the lead gets hot and its drop "
            "wanders.",
            f"Use at least {current / GOOD_A_PER_MM2:.1f} mm², short and in open air.",
            case.touched(*VOLTS, *EFFICIENCIES),
        )
    for load in case.rig.of("load"):
        if case.rig.lead(f"unit {load.place}") is not None:
            continue
        where = f" at {load.port}" if load.port else ""
        yield Fault(
            "lead_unstated",
            Severity.DOUBT,
            f"lead unit {load.place}",
            f"The lead from unit to load{where} is not described: its drop cannot be worked out.",
            "Enter its length and gauge.",
            case.touched(*VOLTS),
        )


def sense(case: Case) -> Iterator[Fault]:
    for load in case.rig.of("load") if case.rig.sense == "load" else ():
        lead = case.rig.lead(f"unit {load.place}")
        if lead is not None:
            yield from _drops(case, case.output_at(load.port), lead)


def _drops(case: Case, output: OutputRating, lead: Lead) -> Iterator[Fault]:
    drop = output.current_A * lead_resistance(lead)
    share = 100.0 * drop / abs(output.voltage_V)
    allowed = [p for p in (output.load_regulation_percent, output.tolerance_percent) if p is not None]
    tightest = min(allowed, default=None)
    costly = tightest is not None and share > 0.1 * tightest
    of = f" of the {tightest:g} % allowed" if tightest is not None else ""
    yield Fault(
        "sense_at_load",
        Severity.STOP if costly else Severity.DOUBT,
        "sense",
        f"{1000 * drop:.0f} mV of lead drop would count as the unit's own: {share:.2g} %{of}.",
        "Clip both sense leads to the unit's terminals, with power off.",
        case.touched(*VOLTS, *EFFICIENCIES),
    )


def reference(case: Case) -> Iterator[Fault]:
    if not case.rig.reference.strip():
        yield Fault(
            "reference_undeclared",
            Severity.DOUBT,
            "sense",
            "The reference terminals are not declared: volts at the case and at the end of the cord differ.",
            "Say which they are; of an adapter the end of its captive cord.",
            case.touched(*VOLTS, *EFFICIENCIES),
        )


RULES = (
    cover,
    fuse,
    line_filter,
    isolation,
    isolation_and_breaker,
    transformer_in_the_way,
    lifted_earth,
    earths,
    battery,
    other_inputs,
    leads,
    sense,
    reference,
)
