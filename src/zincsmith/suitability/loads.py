"""Whether the load can do what the plan asks of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.resistor_load import base_most_A, is_described
from zincsmith.model.address import at_port
from zincsmith.model.port import output_ports
from zincsmith.model.rig import Instrument
from zincsmith.model.roles import ROLES
from zincsmith.suitability.case import Case, Fault, Rule, Severity

REACH = 1.2  # of the rating, for protection; common practice, no source (1.2 to 1.6)


def reach(case: Case, load: Instrument) -> Iterator[Fault]:
    output = case.output_at(load.port)
    for key, need, unit in (
        ("current_A", output.current_A, "A"),
        ("power_W", output.rated_power_W, "W"),
    ):
        able = max([load.most.get(key) or 0.0, *(w for w, _ in load.endures if key == "power_W")]) or None
        if able is not None:  # with what stands beside it
            more_A = base_most_A(case.rig, load.port, output.voltage_V)
            able += more_A * (1.0 if unit == "A" else abs(output.voltage_V))
        if able is None or able >= REACH * need:
            continue
        short = able < need
        yield Fault(
            "load_too_small",
            Severity.STOP if short else Severity.DOUBT,
            load.place,
            f"{load.name} takes {able:g} {unit}; "
            + (f"the rating is {need:g} {unit}." if short else f"overload wants {REACH * need:.3g} {unit} and more."),
            "Use a larger load, or two in parallel.",
            case.touched("overcurrent") if not short else case.touched("average_active_efficiency", "load_regulation"),
        )


def least_volts(case: Case, load: Instrument) -> Iterator[Fault]:
    joined = [case.output_at(load.port)] if load.port else case.unit.nameplate.outputs
    lowest = min([abs(o.voltage_V) for o in joined] + [abs(m.voltage_V) for o in joined for m in o.modes])
    if load.least_V is not None and lowest < load.least_V:
        yield Fault(
            "load_least_volts",
            Severity.DOUBT,
            load.place,
            f"{load.name} works from {load.least_V:g} V up; an output gives {lowest:g} V: "
            "the set current is not reached.",
            "Use another load for that output, or a booster supply in series.",
            case.touched("load_regulation", "average_active_efficiency"),
        )


def mode(case: Case, load: Instrument) -> Iterator[Fault]:
    if load.dummy is not None:
        return
    if not load.mode:
        yield Fault(
            "load_mode_unstated",
            Severity.REMARK,
            load.place,
            "The mode of the load is not stated.",
            "Say CC, CR, CV or CP: a start into CC can latch, into CR it does not.",
        )
    elif load.mode == "CC" and load.how == "by hand" and "current_regulation" in case.figures:
        yield Fault(
            "cc_on_current_source",
            Severity.DOUBT,
            load.place,
            "A load in constant current collapses a supply that regulates its current.",
            "Use CV for current regulation.",
            ("current_regulation",),
        )


def dummy(case: Case, load: Instrument) -> Iterator[Fault]:
    made, output = load.dummy, case.output_at(load.port)
    if made is None:
        return
    if made.kind in {"resistor", "binary bank"} and made.measured_ohm is None:
        yield Fault(
            "nominal_resistor",
            Severity.DOUBT,
            load.place,
            f"The load is a resistor by its marking, ±{made.tolerance_percent:g} %: that tolerance rules every watt.",
            "Measure it hot, or measure the current.",
            case.touched("average_active_efficiency", "efficiency", "load_regulation"),
        )
    if made.kind == "lamp":
        yield Fault(
            "lamp_inrush",
            Severity.DOUBT,
            load.place,
            "A lamp draws some ten times its current while it is cold: a supply may trip at start.",
            "Warm it up on another supply first, or use a resistor.",
            case.touched("turn_on_delay", "overcurrent"),
        )
    if made.kind == "another supply":
        yield Fault(
            "supply_as_load",
            Severity.DOUBT,
            load.place,
            "Another supply takes current only if it is made for it; one that is not is driven backwards.",
            "See that it can sink what the plan asks, or use a resistor.",
            case.touched("load_regulation", "average_active_efficiency"),
        )
    if made.kind == "binary bank" and made.steps_W:
        voltage = abs(output.voltage_V)
        scale = (voltage / made.at_V) ** 2 if made.at_V else 1.0
        most = scale * sum(made.steps_W)
        if most < output.rated_power_W:
            yield Fault(
                "bank_too_small",
                Severity.STOP,
                load.place,
                f"At {voltage:g} V the whole bank takes {most:.3g} W; the rating is {output.rated_power_W:g} W.",
                "Add steps: power goes with the square of the volts.",
                case.touched("average_active_efficiency", "load_regulation"),
            )


def as_mounted(case: Case, load: Instrument) -> Iterator[Fault]:
    """What a resistor stands depends on what it is screwed to, not on what is printed on it."""
    made, voltage = load.dummy, abs(case.output_at(load.port).voltage_V)
    ohm = (made.measured_ohm or made.nominal_ohm) if made is not None and made.kind == "resistor" else None
    if made is None or ohm is None:
        return
    power = voltage**2 / ohm
    if made.most_W is None:
        yield Fault(
            "resistor_rating_unstated",
            Severity.REMARK,
            load.place,
            f"The resistor takes {power:.3g} W; what it stands as it is mounted is not stated.",
            "Enter it: in free air it is a small part of what is printed on it.",
        )
    elif power > made.most_W:
        yield Fault(
            "resistor_too_small",
            Severity.STOP,
            load.place,
            f"The resistor takes {power:.3g} W and stands {made.most_W:g} W as it is mounted.",
            "Mount it on more metal with air, or use several.",
            case.touched("average_active_efficiency", "load_regulation"),
        )


def endurance(case: Case, load: Instrument) -> Iterator[Fault]:
    """A load that takes the watts for minutes only, against how long the plan holds them."""
    for_good, output = load.most.get("power_W"), case.output_at(load.port)
    if for_good is None or not load.endures:
        return
    for held_s, percent in _held(case):
        power = output.rated_power_W * percent / 100.0
        allowed = max((60.0 * minutes for most, minutes in load.endures if most >= power), default=0.0)
        if power > for_good and held_s > allowed:
            yield Fault(
                "load_endurance",
                Severity.STOP,
                load.place,
                f"{load.name} takes {for_good:g} W for good and {power:.3g} W for {allowed / 60.0:g} min; the plan "
                f"holds them for {held_s / 60.0:.3g} min.",
                "Shorten the warm-up, lower the load, or use a larger load.",
                case.touched("average_active_efficiency", "load_regulation"),
            )
            return


def _held(case: Case) -> list[tuple[float, float]]:
    """(s, percent) of everything the plan holds, the longest first."""
    stood = (s for part in case.plan.parts for s in part.stands())
    found = [(s.held_s, s.at.draw.share_percent) for s in stood]
    return sorted(((h, p) for h, p in found if h is not None and p is not None), reverse=True)


def base_described(case: Case) -> Iterator[Fault]:
    for base in case.rig.of("base_load"):
        if not is_described(base):
            yield Fault(
                "base_load_unstated",
                Severity.STOP,
                base.role,
                f"Nobody has said what the {base.name} is made of: what it draws is not known.",
                "Enter its ohm as measured hot, or the steps of the bank and their volts.",
            )


def hot_metal(_case: Case, load: Instrument) -> Iterator[Fault]:
    kind = load.dummy.kind if load.dummy is not None else ""
    if kind not in ("resistor", "binary bank", "lamp", "transistor"):
        return
    creeps = " Its current creeps as it warms and can run away: volts and amps are read together, watts watched."
    yield Fault(
        "load_metal_live",
        Severity.REMARK,
        load.place,
        f"A {kind} as load has hot metal, and that metal is at the output's potential."
        + (creeps if kind == "transistor" else ""),
        "Mount it where nobody touches it and nothing lies on it; keep air moving.",
    )


def total(case: Case) -> Iterator[Fault]:
    """Loads that are within the amps of the plate and beyond its watts."""
    loads = [load for part in case.plan.parts for load in part.loads_used]
    if not loads:
        return
    envelope = Envelope(case.unit.nameplate)
    percent = min(100.0, max(loads))
    for one in envelope.beyond(envelope.loads_A(percent)):
        if one.unit == "W":
            yield Fault(
                "beyond_the_total",
                Severity.DOUBT,
                "load",
                f"At {percent:g} % load {one.words}.",
                "See what the label says of the watts, and lower the loads of the plan, or correct the plate.",
                case.touched("average_active_efficiency", "output_voltage", "load_regulation"),
            )


def not_reached(case: Case) -> Iterator[Fault]:
    """Outputs that the rig neither loads nor reads."""
    ports = output_ports(case.unit.nameplate)
    for role in ("load", "voltmeter"):
        left = [port for port in ports if port and case.rig.instrument(at_port(role, port)) is None]
        if left:
            yield Fault(
                "output_not_reached",
                Severity.DOUBT,
                role,
                f"The unit has {len(ports)} outputs; no {ROLES[role].lower()} is at {' and none at '.join(left)}.",
                "Join one to each output: at Rig, or in a rig file that lists instruments with role and port.",
                case.touched("average_active_efficiency", "output_voltage", "load_regulation"),
            )


def of_each(rule: Callable[[Case, Instrument], Iterator[Fault]]) -> Rule:
    """A rule about one load, asked of every load of the rig."""

    def asked(case: Case) -> Iterator[Fault]:
        for load in case.rig.of("load"):
            yield from rule(case, load)

    return asked


def devices(case: Case) -> Iterator[Fault]:
    """A device of somebody's as what asks a port: only where nothing more can happen to it than was seen on a dummy."""
    for one in case.rig.of("sink_controller"):
        if not one.is_device:
            continue
        tested = {record.test for record in case.unit.safety}
        beyond = [p.procedure.replace("_", " ") for p in case.plan.parts if p.attended]
        if "insulation resistance" not in tested:
            text = f"{one.name} would hang on a unit whose insulation nobody has recorded."
            yield Fault("device_before_insulation", Severity.STOP, one.place, text, "Have it tested, and record it.")
        if beyond:
            text = f"{one.name} would be there during {' and '.join(dict.fromkeys(beyond))}."
            yield Fault("device_beyond_rating", Severity.STOP, one.place, text, "Use a dummy sink and a load for that.")
        yield Fault(
            "device_as_sink", Severity.DOUBT, one.place,
            f"{one.name} asks for what it likes, and shows a mode or does not: what it does not show is not absent.",
            "Plug it in once volts, changes of mode and trip were seen on a dummy, and the port reads 5 V.",
            case.touched("mode_voltage", "shared_power"),
        )  # fmt: skip


RULES: tuple[Rule, ...] = (
    base_described, of_each(hot_metal), total, not_reached, of_each(reach), of_each(least_volts), of_each(mode),
    of_each(dummy),
    of_each(as_mounted), of_each(endurance), devices,
)  # fmt: skip
