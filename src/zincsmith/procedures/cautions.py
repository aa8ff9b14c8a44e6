"""The usual cautions of work on power supplies, and which apply to a unit. Common practice, no source."""

from __future__ import annotations

from collections.abc import Collection

from zincsmith.model.port import can_be_set
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.unit import Unit

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
    "direct": "A DC source gives all of its limit into a slip: polarity checked before it is joined, its current limit "
    "set before its volts, a DC fuse ahead of the unit. An arc of direct current does not go out by itself: switch off "
    "at the source, never pull a lead under load.",
    "battery": "A battery delivers hundreds of amperes: a DC-rated fuse at its terminal, pre-charge, polarity; mind "
    "hydrogen, or the battery's own protection.",
    "inverter": "Both legs of an inverter's output are live; a scope clip shorts its bridge. Never back-feed the "
    "mains.",
    "set": "An output that its user sets may come on as it was last used: its volts at zero, nothing attached but the "
    "load. What holds a current gives all its volts once its load lets go.",
    "hot": "Load resistors get hot enough to burn the bench: mount them, keep air moving. Sense leads are changed with "
    "power off.",
}

PROBES = "Scope probes are joined and moved only with the unit unplugged and proven dead; photograph how. "
OUTPUT_PROBE = "At the output a spring or coax, never the long ground lead. "
INPUT_PROBE = "On the input side differential probes of enough volts and CAT: the clip of a plain one is earth. "


def probing(captured: Collection[str]) -> tuple[str, ...]:
    """The caution of a bench with a scope, by what it is joined to; none without."""
    if not captured:
        return ()
    sides = {QUANTITIES[one].side for one in captured}
    output = OUTPUT_PROBE if "output" in sides else ""
    return (f"{PROBES}{output}{INPUT_PROBE if 'input' in sides else ''}".strip(),)


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
        "direct": any(i.type == "dc" for i in plate.inputs),
        "battery": fed_by_battery,
        "inverter": unit.kind == "inverter",
        "set": any(can_be_set(o) for o in plate.outputs),
        "hot": True,
    }
    return {code: text for code, text in CAUTIONS.items() if applies[code]}


def lies_open(unit: Unit) -> bool:
    """Whether air goes to its parts as it never does once it is closed."""
    return unit.kind == "open board" or unit.in_force.open_case
