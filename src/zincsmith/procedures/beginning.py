"""How a procedure begins that finds the unit wired up: the gate before power, then the input on at no load."""

from __future__ import annotations

from zincsmith.model.actions import Confirm, Dwell, SetLoad, SetSource, Stage
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps

SAFETY_CHECKS = "safety_checks"
COMES_UP_S = 5.0
WIRED = "The load is at the output, the source is wired through the power meter."
CAUTIONS = (
    "Mains can kill. Only people trained for it; never alone; one hand; no jewellery; an emergency stop in reach.",
    "Local rules and licensed practice come first.",
    "The case and the load get hot: mind your hands.",
    "Safe output is not a safe unit: its bulk capacitor may hold a dangerous charge after switch-off.",
)


def gate(ctx: Context, text: str = WIRED) -> Steps:
    """The gate before power; nothing where the plan's own safety gates were passed already."""
    if SAFETY_CHECKS not in ctx.before:
        yield Stage("Safety gate", "nothing is live")
        yield Confirm("Before power", text, CAUTIONS)


def feed(title: str, detail: str, line: Line) -> Steps:
    """A stage that begins with the input switched to a line, the load off, and waits until the output is there."""
    yield Stage(title, detail)
    yield SetLoad(0.0, False)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")
