"""Safety records against limits, who may do what, and the cautions of the work before power."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.intake import SafetyRecord, SafetyTest
from zincsmith.model.unit import Unit

WHO_MAY = (
    "Earth continuity and insulation: on an unplugged unit, by people trained for it. Line and neutral linked, outputs "
    "and instruments disconnected; surge arresters to earth conduct at 500 V: test at 250 V or measure leakage "
    "instead. Discharge afterwards.",
    "Touch current: the unit is live and earth is opened briefly. Only by a qualified person, both polarities. Local "
    "code and licensed practice come first.",
)
CAUTIONS = {
    "mains": "Mains can kill. Only people trained for it; never alone; one hand; no jewellery; an emergency stop in "
    "reach.",
    "isolation": "An open board wants an isolated source. An isolation transformer defeats the residual-current "
    "breaker; a variable transformer or a series lamp does not isolate. A scope's own earth is never lifted.",
    "discharge": "Discharge before a jumper, a lead or a part is changed: off, unplug, wait, prove dead, discharge "
    "through a rated resistor, measure again, leave the clip on. Bleeders fail open.",
    "bulk": "Loading the output does not empty the bulk capacitor: an output may be safe, the unit is not.",
    "eyes": "Eye protection: an over-volted or reversed electrolytic can burst.",
    "static": "Earth yourself for electrostatic care only on a unit that is unplugged and discharged; never a wrist "
    "strap on live work.",
    "battery": "A battery delivers hundreds of amperes: a DC-rated fuse at its terminal, pre-charge, polarity; mind "
    "hydrogen, or the battery's own protection.",
    "inverter": "Both legs of an inverter's output are live; a scope clip shorts its bridge. Never back-feed the "
    "mains.",
    "hot": "Load resistors get hot enough to burn the bench: mount them, keep air moving. Sense leads are changed with "
    "power off.",
}


def cautions_for(unit: Unit) -> dict[str, str]:
    """The cautions that apply to a unit before power, by code, in the order of their weight."""
    plate = unit.nameplate
    mains = any(i.type == "ac" for i in plate.inputs) or not plate.inputs
    opened = unit.kind == "open board" or unit.in_force.open_case or unit.look.opened
    fed_by_battery = unit.kind in {"inverter", "two-input"} and any(i.type == "dc" for i in plate.inputs)
    applies = {
        "mains": mains or any(o.type == "ac" for o in plate.outputs),
        "isolation": mains and opened,
        "discharge": True,
        "bulk": mains,
        "eyes": opened,
        "static": opened,
        "battery": fed_by_battery,
        "inverter": unit.kind == "inverter",
        "hot": True,
    }
    return {code: text for code, text in CAUTIONS.items() if applies[code]}


def default_limits(test: SafetyTest, marks: Sequence[str]) -> tuple[float | None, float | None]:
    """(at least, at most) in ohm or A, as commonly used in service; common practice, no source. To be edited."""
    double = any(m.strip().upper() in {"II", "CLASS II"} for m in marks)
    if test == "earth continuity":
        return None, 0.1
    if test == "insulation resistance":
        return (2e6 if double else 1e6), None
    return None, (0.25e-3 if double else 3.5e-3)


def passes(record: SafetyRecord) -> bool | None:
    """Whether the reading lies within its limits; None without any."""
    if record.low is None and record.high is None:
        return None
    return (record.low is None or record.value >= record.low) and (record.high is None or record.value <= record.high)


# Each test is read in its own unit: (factor from the record's, unit).
SHOWN: dict[SafetyTest, tuple[float, str]] = {
    "earth continuity": (1.0, "Ω"),
    "insulation resistance": (1e6, "MΩ"),
    "touch current": (1e-3, "mA"),
}


def safety_reading(record: SafetyRecord) -> tuple[str, str]:
    """``("0.159 mA", "at most 0.25 mA")``: the reading and its limits in words."""
    scale, unit = SHOWN[record.test]
    bounds = [
        f"{w} {b / scale:g} {unit}" for w, b in (("at least", record.low), ("at most", record.high)) if b is not None
    ]
    return f"{record.value / scale:.4g} {unit}", ", ".join(bounds) or "no limit stated"


def safety_words(record: SafetyRecord) -> str:
    found = passes(record)
    return "no limit stated" if found is None else "within" if found else "OUTSIDE"
