"""How a procedure begins that finds the unit wired up: the gate before power, then the input on at no load; and how a
unit that let go is brought back."""

from __future__ import annotations

from collections.abc import Generator

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Outcome, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.plan import Line
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.ports import at_load, emptied, idle

SAFETY_CHECKS = "safety_checks"
COMES_UP_S, OFF_S = 5.0, 10.0
POLL_S = 0.11  # no even share of a second: attempts that come evenly are not missed each time
LOOK_S = 0.25
BACK = 0.9  # of nominal
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


def comes_back(ctx: Context, recover_s: float, line: Line, port: str, tripped: bool) -> Steps:
    """By itself, unloaded, or once its input was off until the output had gone."""
    yield Dwell(recover_s if tripped else 1.0, "does it come back?", period_s=POLL_S)
    if (yield from is_back(ctx, line, port)):
        return
    yield from idle(ctx)
    yield Dwell(recover_s, "does it come back unloaded?", period_s=POLL_S)
    if (yield from is_back(ctx, line, port)):
        return
    yield from emptied(ctx, line.frequency_Hz)
    yield Dwell(OFF_S, "its input is off", period_s=POLL_S)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up", period_s=POLL_S)


def volts_of(ctx: Context, line: Line, port: str) -> Generator[Action, Outcome, float | None]:
    name = at_port("output_voltage", port)
    answer = yield Measure((name,), LOOK_S, at_load(ctx, line, 100.0))
    reading = answer.point.get(name) if isinstance(answer, Measured) else None
    return reading.value if reading is not None else None


def is_back(ctx: Context, line: Line, port: str) -> Generator[Action, Outcome, bool]:
    now = yield from volts_of(ctx, line, port)
    return now is not None and abs(now) >= BACK * abs(ctx.volts[port])
