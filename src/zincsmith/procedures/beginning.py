"""How a procedure begins that finds the unit wired up: the gate before power, then the input on at no load; and how a
unit that let go is brought back."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Outcome, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.plan import Line
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.ports import EMPTIES_PERCENT, ask, asked_ports, at_load, draw, idle

Stated = tuple[tuple[str, float], ...]
SAFETY_CHECKS = "safety_checks"
COMES_UP_S = 5.0
OFF_S = (10.0, 60.0, 240.0)  # one after the other, until it is back
OFF_FOR = "off_s"  # stated with a point: how long the input was off before
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
        yield Confirm(
            "Before power",
            " ".join(x for x in (text, open_words(ctx).strip()) if x),
            (*cautions_for(ctx.unit).values(), *probing(ctx.captured), *ALWAYS),
        )


def stands_words(unit: Unit) -> str:
    """How the unit lies on the bench: what a gate asks a person to check has to be true of it."""
    if unit.kind == "open board":
        return "The board lies on insulation, nothing loose under it, its live parts covered."
    if unit.in_force.open_case:
        return "The case is open: its live parts are covered, nothing loose lies in it."
    return "The unit is closed and stands free."


def open_words(ctx: Context) -> str:
    """Of a unit with several inputs: what the others are while one feeds it."""
    if not ctx.left_open:
        return ""
    return f"Nothing is connected to its input {' and '.join(ctx.left_open)}: that counts as live while the unit runs. "


def selector_words(unit: Unit) -> str:
    """Of units fed from mains: a label does not always show that there is one."""
    mains = any(i.type == "ac" for i in unit.nameplate.inputs)
    return "The range selector, if it has one, stands right. " if mains else ""


def feed(ctx: Context, title: str, detail: str, line: Line) -> Steps:
    """A stage that begins with the input switched to a line, the load off, and waits until the output is there; ports
    are then asked for the modes of the part."""
    yield Stage(title, detail)
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")
    yield from ask(ctx)


def comes_back(ctx: Context, recover_s: float, line: Line, port: str, tripped: bool) -> Steps:
    """By itself, unloaded, or once its input was off until the output had gone."""
    yield Dwell(recover_s if tripped else 1.0, "does it come back?", period_s=POLL_S)
    if (yield from is_back(ctx, line, port)):
        return
    yield from ask(ctx)  # a port that let go is back at the volts that nobody asks for
    if port in asked_ports(ctx) and (yield from is_back(ctx, line, port)):
        return
    yield from idle(ctx)
    yield Dwell(recover_s, "does it come back unloaded?", period_s=POLL_S)
    if (yield from is_back(ctx, line, port)):
        return
    for off_s in OFF_S:  # a latch may hold for as long as its bulk capacitor does
        yield SetSource(0.0, line.frequency_Hz, False)
        yield from draw(ctx, EMPTIES_PERCENT)
        yield Dwell(off_s, "its input is off", period_s=POLL_S if off_s <= OFF_S[0] else None)
        yield from idle(ctx)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(COMES_UP_S, "output comes up", period_s=POLL_S)
        yield from ask(ctx)
        if (yield from is_back(ctx, line, port, ((OFF_FOR, off_s),))):
            return


def volts_of(
    ctx: Context, line: Line, port: str, stated: Stated = ()
) -> Generator[Action, Outcome, float | None]:  # fmt: skip
    name = at_port("output_voltage", port)
    answer = yield Measure((name,), LOOK_S, replace(at_load(ctx, line, 100.0), stated=stated), from_zero=True)
    reading = answer.point.get(name) if isinstance(answer, Measured) else None
    return reading.value if reading is not None else None


def is_back(ctx: Context, line: Line, port: str, stated: Stated = ()) -> Generator[Action, Outcome, bool]:
    now = yield from volts_of(ctx, line, port, stated)
    return now is not None and abs(now) >= BACK * abs(ctx.volts[port])
