"""What is looked at inside the unit at each raise of a first power-up, and accepted before it goes on."""

from __future__ import annotations

from collections.abc import Mapping

from zincsmith.model.actions import Confirm, Measure, Measured, Stop
from zincsmith.model.capture import WORKED_OUT
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.unit import Node
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.switching_node.steps import looked_at, record_of

RECORD_S, SHOWN_S = 1e-3, 0.15e-3
ASKED = ("frequency", "peak", "current_peak", "ramp_bend", "cycles_skipped")
LOOK_FOR = (
    "the switch volts swing fully, from nearly nothing up to what the flyback makes of them",
    "the ring after switch-off dies within the cycle",
    "the cycles are even, none is skipped that the load does not explain",
)
OF_AMPS = "the amps ramp straight, without an upward bend towards their end"


def look_inside(ctx: Context, at: OperatingPoint, when: str) -> Steps:
    """A record of every node that the scope looks at, shown with what to look for; nobody goes on before a person
    accepts it. Beyond what the parts of a node stand it ends by itself."""
    for node in looked_at(ctx):
        wanted = record_of(ctx, node, RECORD_S, ASKED)
        answer = yield Measure((), 0.0, at, capture=wanted)
        said = answer.point.captures[0].said if isinstance(answer, Measured) and answer.point.captures else {}
        found = _found(said)
        peak = found.get("peak")
        if peak is not None and node.rated_V is not None and peak > node.rated_V:
            yield Stop(f"{peak:.4g} V stood at {node.name}, its parts stand {node.rated_V:g} V")
            return
        with_amps = any(c.address.startswith("node_current") for c in wanted.channels)
        looks = (*LOOK_FOR, OF_AMPS) if with_amps else LOOK_FOR
        listed = "\n".join(f"• {one}" for one in looks)
        yield Confirm(
            f"Look at the record of {node.name}",
            f"{when}. Go on only if all of it is so:\n{listed}\n{_words(found, node)}",
            ("The unit is live: no probe is moved.",),
            record_s=SHOWN_S,
        )


def _found(said: Mapping[str, str]) -> dict[str, float]:
    return {name: float(said[key]) for name in ASKED if (key := f"{WORKED_OUT} {name}") in said}


def _words(found: Mapping[str, float], node: Node) -> str:
    """What the program makes of the record."""
    told = []
    if "frequency" in found:
        told.append(f"{found['frequency'] / 1e3:.4g} kHz")
    if "peak" in found:
        margin = f" of {node.rated_V:g} V that its parts stand" if node.rated_V is not None else ""
        told.append(f"highest {found['peak']:.4g} V{margin}")
    if "current_peak" in found:
        told.append(f"highest {found['current_peak']:.3g} A")
    if "ramp_bend" in found:
        told.append(f"at its end the current climbs {found['ramp_bend']:.3g} times as fast as before")
    if found.get("cycles_skipped"):
        told.append(f"{found['cycles_skipped']:.0f} cycles skipped")
    return f"The program finds: {', '.join(told)}." if told else "The program could not work it out: look closely."
