"""Whether the load can do what the plan asks of it."""

from __future__ import annotations

from collections.abc import Iterator

from zincsmith.analysis.envelope import Envelope
from zincsmith.suitability.case import Case, Fault, Severity

REACH = 1.2  # of the rating, for protection; common practice, no source (1.2 to 1.6)


def reach(case: Case) -> Iterator[Fault]:
    load = case.rig.instrument("load")
    if load is None:
        return
    for key, need, unit in (
        ("current_A", case.output.current_A, "A"),
        ("power_W", max(o.rated_power_W for o in case.unit.nameplate.outputs), "W"),
    ):
        able = load.most.get(key)
        if able is None or able >= REACH * need:
            continue
        short = able < need
        yield Fault(
            "load_too_small",
            Severity.STOP if short else Severity.DOUBT,
            "load",
            f"{load.name} takes {able:g} {unit}; "
            + (f"the rating is {need:g} {unit}." if short else f"overload wants {REACH * need:.3g} {unit} and more."),
            "Use a larger load, or two in parallel.",
            case.touched("overcurrent") if not short else case.touched("average_active_efficiency", "load_regulation"),
        )


def least_volts(case: Case) -> Iterator[Fault]:
    load = case.rig.instrument("load")
    lowest = min(
        [abs(o.voltage_V) for o in case.unit.nameplate.outputs]
        + [abs(m.voltage_V) for o in case.unit.nameplate.outputs for m in o.modes]
    )
    if load is not None and load.least_V is not None and lowest < load.least_V:
        yield Fault(
            "load_least_volts",
            Severity.DOUBT,
            "load",
            f"{load.name} works from {load.least_V:g} V up; an output gives {lowest:g} V: "
            "the set current is not reached.",
            "Use another load for that output, or a booster supply in series.",
            case.touched("load_regulation", "average_active_efficiency"),
        )


def mode(case: Case) -> Iterator[Fault]:
    load = case.rig.instrument("load")
    if load is None or load.dummy is not None:
        return
    if not load.mode:
        yield Fault(
            "load_mode_unstated",
            Severity.REMARK,
            "load",
            "The mode of the load is not stated.",
            "Say CC, CR, CV or CP: a start into CC can latch, into CR it does not.",
        )
    elif load.mode == "CC" and "current_regulation" in case.figures:
        yield Fault(
            "cc_on_current_source",
            Severity.DOUBT,
            "load",
            "A load in constant current collapses a supply that regulates its current.",
            "Use CV for current regulation.",
            ("current_regulation",),
        )


def dummy(case: Case) -> Iterator[Fault]:
    load = case.rig.instrument("load")
    made = load.dummy if load is not None else None
    if made is None:
        return
    if made.kind in {"resistor", "binary bank"} and made.measured_ohm is None:
        yield Fault(
            "nominal_resistor",
            Severity.DOUBT,
            "load",
            f"The load is a resistor by its marking, ±{made.tolerance_percent:g} %: that tolerance rules every watt.",
            "Measure it hot, or measure the current.",
            case.touched("average_active_efficiency", "efficiency", "load_regulation"),
        )
    if made.kind == "lamp":
        yield Fault(
            "lamp_inrush",
            Severity.DOUBT,
            "load",
            "A lamp draws some ten times its current while it is cold: a supply may trip at start.",
            "Warm it up on another supply first, or use a resistor.",
            case.touched("turn_on_delay", "overcurrent"),
        )
    if made.kind == "another supply":
        yield Fault(
            "supply_as_load",
            Severity.DOUBT,
            "load",
            "Another supply takes current only if it is made for it; one that is not is driven backwards.",
            "See that it can sink what the plan asks, or use a resistor.",
            case.touched("load_regulation", "average_active_efficiency"),
        )
    if made.kind == "binary bank" and made.steps_W:
        volts = abs(case.output.voltage_V)
        scale = (volts / made.at_V) ** 2 if made.at_V else 1.0
        most = scale * sum(made.steps_W)
        if most < case.output.rated_power_W:
            yield Fault(
                "bank_too_small",
                Severity.STOP,
                "load",
                f"At {volts:g} V the whole bank takes {most:.3g} W; the rating is {case.output.rated_power_W:g} W.",
                "Add steps: power goes with the square of the volts.",
                case.touched("average_active_efficiency", "load_regulation"),
            )


def hot_metal(case: Case) -> Iterator[Fault]:
    load = case.rig.instrument("load")
    kind = load.dummy.kind if load is not None and load.dummy is not None else ""
    if kind not in ("resistor", "binary bank", "lamp", "transistor"):
        return
    creeps = " Its current creeps as it warms and can run away: volts and amps are read together, watts watched."
    yield Fault(
        "load_metal_live",
        Severity.REMARK,
        "load",
        f"A {kind} as load has hot metal, and that metal is at the output's potential."
        + (creeps if kind == "transistor" else ""),
        "Mount it where nobody touches it and nothing lies on it; keep air moving.",
    )


def total(case: Case) -> Iterator[Fault]:
    """Loads that are within the amps of the plate and beyond its watts."""
    grid = case.plan.grid
    if grid is None or not grid.loads_percent:
        return
    envelope = Envelope(case.unit.nameplate)
    percent = min(100.0, max(grid.loads_percent))
    for one in envelope.beyond({"": envelope.load_A(percent)}):
        if one.unit == "W":
            yield Fault(
                "beyond_the_total",
                Severity.DOUBT,
                "load",
                f"At {percent:g} % load {one.words}.",
                "See what the label says of the watts, and lower the loads of the plan, or correct the plate.",
                case.touched("average_active_efficiency", "output_voltage", "load_regulation"),
            )


RULES = (hot_metal, total, reach, least_volts, mode, dummy)
