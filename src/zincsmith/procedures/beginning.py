"""How a procedure begins that finds the unit wired up: the gate before power, then the input on at no load."""

from __future__ import annotations

from zincsmith.model.actions import Confirm, Dwell, SetSource, Stage
from zincsmith.model.plan import Line
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.ports import idle

SAFETY_CHECKS = "safety_checks"
COMES_UP_S = 5.0
WIRED = "The load is at the output, the source is wired through the power meter."
ALWAYS = (
    "Local rules and licensed practice come first.",
    "An output that has fallen is not a safe unit: its bulk capacitor may hold a dangerous charge after switch-off.",
)


def gate(ctx: Context, text: str = WIRED) -> Steps:
    """The gate before power, with every caution that applies to the unit; nothing where the plan's own safety gates
    were passed already."""
    if SAFETY_CHECKS not in ctx.before:
        yield Stage("Safety gate", "nothing is live")
        yield Confirm("Before power", text, (*cautions_for(ctx.unit).values(), *probing(ctx.captured), *ALWAYS))


def stands_words(unit: Unit) -> str:
    """How the unit lies on the bench: what a gate asks a person to check has to be true of it."""
    if unit.kind == "open board":
        return "The board lies on insulation, nothing loose under it, its live parts covered."
    if unit.in_force.open_case:
        return "The case is open: its live parts are covered, nothing loose lies in it."
    return "The unit is closed and stands free."


def feed(ctx: Context, title: str, detail: str, line: Line) -> Steps:
    """A stage that begins with the input switched to a line, the load off, and waits until the output is there."""
    yield Stage(title, detail)
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")
