"""Ranges, floors, burdens and what the meters lock to."""

from __future__ import annotations

import math
from collections.abc import Iterator

from zincsmith.analysis.shunt import drop_V, power_W
from zincsmith.model.address import at_port, name_of
from zincsmith.model.quantities import OF_THE_RIG, QUANTITIES
from zincsmith.model.roles import OF_THE_UNIT, ROLES, WAKES
from zincsmith.suitability.case import Case, Fault, Severity

LOW_SHARE = 0.05  # of range
# An adapter at no load: watts are a thirtieth of the volt-amperes. Common practice, no source (247 V x 26 mA, 0.209 W).
NO_LOAD_POWER_FACTOR = 0.033
NO_LOAD_CREST = 5.0
SHARE_OF_LIMIT = 0.02
SHUNT_SHARE = 0.01  # of the output's volts; common practice, no source
TOUCHED = {
    "input_voltage": ("power_factor",),
    "input_current": ("input_current", "power_factor"),
    "input_power": ("average_active_efficiency", "efficiency", "power_factor"),
    "output_voltage": ("output_voltage", "load_regulation", "line_regulation", "average_active_efficiency"),
    "output_current": ("average_active_efficiency", "efficiency"),
    "case_temperature": ("case_temperature",),
}
WHERE_NEEDED = ("voltmeter", "load", "power_meter", "scope", "thermometer")


def ranges(case: Case) -> Iterator[Fault]:
    full = case.at_load(100.0)
    for one in case.rig.instruments:
        for row in {a.quantity: a for a in reversed(one.accuracy)}.values():
            need = full[at].value if (at := at_port(row.quantity, one.port)) in full else 0.0
            info = QUANTITIES[row.quantity]
            best = max(a.range for a in one.accuracy if a.quantity == row.quantity)
            if need > best and info.kind != "plain":
                yield Fault(
                    "range_too_small",
                    Severity.STOP,
                    one.role,
                    f"{info.words} reach some {need:.3g} {info.unit}; the range of {one.name} ends at {best:g}.",
                    "Choose a higher range or another meter.",
                    case.touched(*TOUCHED.get(row.quantity, ())),
                )


def low_readings(case: Case) -> Iterator[Fault]:
    meter = case.rig.instrument("power_meter")
    if meter is None or "no_load_power" not in case.figures:
        return
    idle = case.at_load(0.0)["input_power"].value
    row = meter.accuracy_for("input_power", idle)
    smallest = min((a.range for a in meter.accuracy if a.quantity == "input_power"), default=None)
    if meter.floor_W is not None and idle < meter.floor_W:
        text = f"{meter.name} reads nothing below {meter.floor_W:g} W; the unit may draw some {idle:.2g} W at no load."
    elif row is not None and smallest is not None and idle < LOW_SHARE * smallest:
        text = f"Some {idle:.2g} W at no load are {100 * idle / smallest:.2g} % of the {smallest:g} W range."
    else:
        return
    yield Fault(
        "reading_below_floor",
        Severity.DOUBT,
        "power_meter",
        text,
        "Choose a lower range, or a meter made for standby.",
        ("no_load_power",),
    )


def phase_error(case: Case) -> Iterator[Fault]:
    meter = case.rig.instrument("power_meter")
    if meter is None or not case.mains or "no_load_power" not in case.figures:
        return
    if meter.phase_error_deg is None:
        yield Fault(
            "phase_error_unstated",
            Severity.REMARK,
            "power_meter",
            f"The phase error of {meter.name} is not stated; it rules the watts at low power factor.",
            "Enter it from the data sheet.",
            ("no_load_power",),
        )
        return
    share = phase_error_share(meter.phase_error_deg, NO_LOAD_POWER_FACTOR)
    if share > SHARE_OF_LIMIT:
        yield Fault(
            "phase_error",
            Severity.DOUBT,
            "power_meter",
            f"{meter.phase_error_deg:g}° of phase error are {100 * share:.2g} % of the watts at a power factor of "
            f"{NO_LOAD_POWER_FACTOR:g}.",
            "Use a meter with less phase error for standby, or count it into the uncertainty.",
            ("no_load_power",),
        )


def phase_error_share(degrees: float, power_factor: float) -> float:
    """Relative error of the watts for a phase error: tan(phi) times the angle (closed form)."""
    return math.tan(math.acos(power_factor)) * math.radians(degrees)


def crest(case: Case) -> Iterator[Fault]:
    meter = case.rig.instrument("power_meter")
    if meter is not None and meter.crest_most is not None and case.mains and meter.crest_most < NO_LOAD_CREST:
        yield Fault(
            "crest_overload",
            Severity.DOUBT,
            "power_meter",
            f"{meter.name} takes crests up to {meter.crest_most:g}; bursts at light load reach {NO_LOAD_CREST:g} "
            "and more.",
            "Choose a current range so high that the crest fits; the small reading then costs accuracy.",
            case.touched("no_load_power", "input_current"),
        )


def tap(case: Case) -> Iterator[Fault]:
    meter = case.rig.instrument("power_meter")
    if meter is None or "no_load_power" not in case.figures:
        return
    if not meter.tap:
        yield Fault(
            "tap_unstated",
            Severity.DOUBT,
            "power_meter",
            "Which side of the meter its voltage tap is on is not stated: its own burden may count as standby.",
            "Look at the wiring and say it: source side or unit side.",
            ("no_load_power",),
        )
    elif meter.tap == "unit" and meter.tap_ohm is not None:
        burden = max(x.voltage_V for x in case.plan.lines) ** 2 / meter.tap_ohm
        limit = case.unit.nameplate.no_load_power_W or 0.1
        if burden > SHARE_OF_LIMIT * limit:
            yield Fault(
                "tap_burden",
                Severity.DOUBT,
                "power_meter",
                f"The voltage tap on the unit's side adds {1000 * burden:.0f} mW to the standby reading.",
                "Move the tap to the source's side for standby, or subtract its burden.",
                ("no_load_power",),
            )


def synchronization(case: Case) -> Iterator[Fault]:
    meter = case.rig.instrument("power_meter")
    if meter is not None and case.mains and meter.synchronized == "other":
        yield Fault(
            "not_synchronized",
            Severity.DOUBT,
            "power_meter",
            f"{meter.name} is not synchronized to the mains: it locks to switching noise and averages broken cycles.",
            "Synchronize the input to the mains and set the output channel to DC.",
            case.touched("average_active_efficiency", "efficiency", "no_load_power", "power_factor"),
        )


def in_series(case: Case) -> Iterator[Fault]:
    if case.rig.further_meters:
        names = ", ".join(case.rig.further_meters)
        yield Fault(
            "meters_in_series",
            Severity.DOUBT,
            "power_meter",
            f"A further meter is in the current path ({names}): the two will disagree and each consumes something.",
            "Take it out while figures are taken, or say which of the two counts.",
            case.touched("no_load_power", "average_active_efficiency", "efficiency"),
        )


def second_meter(case: Case) -> Iterator[Fault]:
    """Two wattmeters in one line: which stands nearer to the unit, and what it takes there."""
    if not case.rig.of("second_power_meter"):
        return
    ends = [lead.between.split(" ") for lead in case.rig.leads if "unit" in lead.between.split(" ")]
    nearer = next((end for both in ends for end in both if end in ("power_meter", "second_power_meter")), "")
    costs = case.touched("no_load_power", "average_active_efficiency", "efficiency")
    if not nearer:
        yield Fault(
            "meter_order_unstated", Severity.DOUBT, "second_power_meter",
            "Two wattmeters are in one line, and no lead says which of them stands next to the unit.",
            "Describe the lead from the unit to the nearer one: the other sees its burden too.", costs,
        )  # fmt: skip
    elif nearer == "second_power_meter":
        one = case.rig.need(nearer)
        if one.shunt_ohm is None or one.tap_ohm is None:
            yield Fault(
                "second_meter_burden", Severity.DOUBT, nearer,
                f"{one.name} stands between {case.rig.need('power_meter').name} and the unit; what its shunt and its "
                "voltage input take there is not stated and counts as the unit's.",
                "Enter both, or move it to the source's side.", costs,
            )  # fmt: skip


def at_a_shunt(case: Case) -> Iterator[Fault]:
    """What a shunt takes between output and load, and whether it stands it."""
    for one in case.rig.of("ammeter"):
        current = case.output_at(one.port).current_A
        if one.shunt is None:
            continue
        power = power_W(one.shunt, current)
        if one.shunt.most_W is not None and power > one.shunt.most_W:
            yield Fault(
                "shunt_too_small", Severity.STOP, one.role,
                f"At {current:g} A the shunt takes {power:.3g} W and stands {one.shunt.most_W:g} W as it is mounted.",
                "Use one of less resistance, or a larger one.", case.touched("average_active_efficiency", "efficiency"),
            )  # fmt: skip
        elif drop_V(one.shunt, current) > SHUNT_SHARE * abs(case.output_at(one.port).voltage_V):
            yield Fault(
                "shunt_drop", Severity.REMARK, one.role,
                f"The shunt takes {1000.0 * drop_V(one.shunt, current):.3g} mV on the way to the load at "
                f"{current:g} A.",
                "The load has to work from that much less; volts are read at the unit.",
            )  # fmt: skip


def at_a_load_switch(case: Case) -> Iterator[Fault]:
    """What the resistor of a load switch takes, and how fast it is to be driven."""
    part = next((p for p in case.plan.parts if getattr(p, "stepped_by", "") == "switch"), None)
    for one in case.rig.of("load_switch"):
        if one.switched is None:
            yield Fault(
                "load_switch_unstated", Severity.STOP, one.role,
                f"Nobody has said which resistor {one.name} switches: what it draws is not known.",
                "Enter its ohm, and what it stands as it is mounted.",
            )  # fmt: skip
        if part is None or one.switched is None:
            continue
        voltage, made = abs(case.output_at(one.port).voltage_V), one.switched
        power = getattr(part, "duty", 1.0) * voltage**2 * made.ohm / (made.ohm + made.on_ohm) ** 2
        if made.most_W is not None and power > made.most_W:
            yield Fault(
                "switched_resistor_too_small", Severity.STOP, one.role,
                f"The resistor of {one.name} takes {power:.3g} W and stands {made.most_W:g} W as it is mounted.",
                "Drive it for less of the time, or use a larger one.", case.touched("load_step", "recovery_time"),
            )  # fmt: skip
        if getattr(part, "rate_Hz", 0.0) > made.most_Hz:
            yield Fault(
                "switched_too_fast", Severity.STOP, one.role,
                f"{one.name} is to be driven at {part.rate_Hz:g} Hz and follows up to {made.most_Hz:g} Hz.",  # type: ignore[attr-defined]
                "Choose a lower rate.", case.touched("load_step", "recovery_time"),
            )  # fmt: skip


def background(case: Case) -> Iterator[Fault]:
    ripple = case.touched("ripple", "ripple_rms")
    planned = any(getattr(part, "background", False) for part in case.plan.parts)  # recorded by the plan itself
    if case.rig.instrument("scope") is not None and ripple and not (case.rig.background_recorded or planned):
        yield Fault(
            "background_unrecorded",
            Severity.DOUBT,
            "scope",
            "The background with everything connected and the unit off is not recorded.",
            "Record it before and after; it changes when something else in the room comes on.",
            ripple,
        )


def camera(case: Case) -> Iterator[Fault]:
    for one in (*case.rig.of("thermometer"), *case.rig.of("spot_thermometer")):
        if "camera" not in one.kind.lower() or one.emissivity is not None:
            continue
        yield Fault(
            "emissivity_unstated",
            Severity.DOUBT,
            one.role,
            "The camera's emissivity is not stated: shiny solder and metal read the room's reflection.",
            "Put matt tape on the spot and set its emissivity.",
            case.touched("hot_spot", "case_temperature"),
        )


def at_spots(case: Case) -> Iterator[Fault]:
    """A thermometer at a spot: which one is said, and no two are at the same."""
    seen: set[str] = set()
    for one in case.rig.of("spot_thermometer"):
        if not one.port:
            yield Fault("no_spot", Severity.STOP, one.role, f"Where {one.name} is held is not stated.",
                        "Name its spot: a part, such as D5, or room.")  # fmt: skip
        elif one.port in seen:
            yield Fault("same_spot_twice", Severity.STOP, one.role, f"Two thermometers are said to be at {one.port}.",
                        "Give each a spot of its own.")  # fmt: skip
        seen.add(one.port)


def accuracy_stated(case: Case) -> Iterator[Fault]:
    for address, one in case.rig.channels.items():
        quantity = QUANTITIES[name_of(address)]
        if quantity.name == "power_factor" and not case.mains:
            continue  # there is none on DC
        if quantity.name in OF_THE_RIG or quantity.role in (*OF_THE_UNIT, *WAKES):
            continue  # a display of the unit is what is tested, no meter of the rig
        if one.shunt is not None or (address == "input_power" and case.rig.multiplies_watts):  # it follows from others
            continue
        if one.dummy is None and one.accuracy_of(quantity.name) is None:
            yield Fault(
                "accuracy_unstated",
                Severity.DOUBT,
                one.role,
                f"{one.name} states no accuracy for {quantity.inside}.",
                "Enter it as the data sheet prints it.",
                case.touched(*TOUCHED.get(quantity.name, ())),
            )


def missing_roles(case: Case) -> Iterator[Fault]:
    for role in WHERE_NEEDED:
        costs = case.needing(role)
        if not case.rig.of(role) and costs:
            yield Fault(
                "role_missing",
                Severity.DOUBT,
                role,
                f"Nobody plays the {ROLES[role].lower()}.",
                "Add it, connected or by hand.",
                costs,
            )


def at_nodes(case: Case) -> Iterator[Fault]:
    """A meter inside the unit: at a node that there is, and made for its volts."""
    nodes = {one.name: one for one in case.unit.nameplate.nodes}
    for one in case.rig.of("node_voltmeter"):
        node, stands = nodes.get(one.port), one.most.get("voltage_V")
        if node is None:
            there = ", ".join(nodes) or "none"
            text = f"{one.name} is at {one.port or 'no node'}; the nodes of the unit are: {there}."
            yield Fault("no_such_node", Severity.STOP, one.role, text, "Name its node, or enter the node at Nameplate.")
        elif stands is None:
            said = f"{one.name} goes to {node.words}; what it stands there is not stated."
            yield Fault("meter_rating_unstated", Severity.STOP if node.side == "primary" else Severity.DOUBT, one.role,
                        said, "Enter the volts that meter and probe are rated for at that category.")  # fmt: skip
        elif node.rated_V is not None and stands < node.rated_V:
            said = f"{one.name} stands {stands:g} V, {node.name} may reach {node.rated_V:g} V."
            yield Fault("meter_rating_too_small", Severity.STOP, one.role, said, "Use a meter or probe made for it.")


RULES = (
    ranges,
    at_nodes,
    at_spots,
    second_meter,
    at_a_shunt,
    at_a_load_switch,
    low_readings,
    phase_error,
    crest,
    tap,
    synchronization,
    in_series,
    background,
    camera,
    accuracy_stated,
    missing_roles,
)
