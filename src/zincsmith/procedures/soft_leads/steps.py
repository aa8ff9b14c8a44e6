"""Soft leads: a resistance in the input lead, greater from go to go, until the unit no longer starts behind it.

What takes constant power draws more the less it gets: beyond V^2 / 4P no volts are left at which it could be fed, and
short of that it may start, pull its own input down, stop and start again.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Note, Outcome, SetSource, Stage
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, feed, gate
from zincsmith.procedures.dropout.figures import RISES, is_good
from zincsmith.procedures.input_limit import too_much_drawn
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, emptied, everywhere, idle, let_fall, ramp
from zincsmith.procedures.soft_leads.figures import (
    ADDED,
    GOOD,
    LOADED,
    OPEN,
    STARTED,
    UNLOADED,
    findings_of_soft_leads,
    map_of_soft_leads,
)
from zincsmith.procedures.soft_leads.options import SoftOptions

NAME = "soft_leads"
POLL_S, AVERAGE_S = 0.11, 1.0  # no even share of a second: what hunts evenly is not missed each time
WANTED = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current")
CAUTIONS = (
    "A resistor in the lead gets hot: one that is rated for these watts, on something that does not burn.",
    "A unit that hunts switches its output on and off by itself: treat it as live, with no device attached.",
)


class SoftLeads(Procedure):
    """Worked out of the readings behind each resistance."""

    name = NAME
    title = "Soft leads"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter", "power_meter")
    serves = "how soft a source or lead the unit still starts behind, and stays"
    options = SoftOptions
    tested_as = "soft leads"

    def steps(self, ctx: Context) -> Steps:
        """As it is wired first; then each resistance, put in with the input off, until no load starts behind it."""
        options = ctx.asked(SoftOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        yield from feed(ctx, "Soft leads", f"as it is wired, {line.words}", line)
        yield Measure(_names(ctx), AVERAGE_S, replace(at_load(ctx, line, 0.0), stated=((ADDED, 0.0), (STARTED, OPEN))))
        left = sorted(options.loads_percent)
        for ohm in (0.0, *options.ohms):
            if ohm:
                yield from _off(ctx, line)
                yield Confirm(_title(ohm), _text(ctx, line, ohm), CAUTIONS, hands_in=True)
            runs = []
            for load in left:
                if (yield from _goes(ctx, options, line, load, ohm)):
                    runs.append(load)
            left = runs
            if not left:
                break
        yield from _off(ctx, line)
        yield Confirm("Leads as they were", "Take the resistor out of the input lead.", hands_in=True)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By load: the greatest resistance behind which it started, and behind which it stayed."""
        return findings_of_soft_leads(evidence, nameplate)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """What is left at the input, over what was put before it."""
        return map_of_soft_leads(evidence)


def _names(ctx: Context, names: Sequence[str] = WANTED) -> tuple[str, ...]:
    return tuple(q for q in everywhere(ctx, names) if q in ctx.measured)


def _title(ohm: float) -> str:
    return f"{ohm:g} Ω in the input lead"


def _text(ctx: Context, line: Line, ohm: float) -> str:
    """Where it goes, and what it has to stand: at worst half of the volts drop there."""
    drawn_A = min(line.voltage_V / (2.0 * ohm), 2.0 * ctx.load_W(100.0) / line.voltage_V)
    return (
        f"A resistor of {ohm:g} Ω between the plus of the source and the power meter, so that the meter reads what the "
        f"unit gets. It has to stand {max(0.1, drawn_A**2 * ohm):.2g} W."
    )


def _off(ctx: Context, line: Line) -> Steps:
    yield Stage("A lead is wired", "the input is off")
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield from idle(ctx)
    yield from let_fall(ctx)


def _goes(ctx: Context, options: SoftOptions, line: Line, load: float, ohm: float) -> Generator[Action, Outcome, bool]:
    """On under its load; where it does not start so, unloaded and the load after it. Whether more may follow."""
    words = f"{ohm:g} Ω more" if ohm else "as it is wired"
    yield Stage("Soft leads", f"{words}, {load:g} % load")
    yield from emptied(ctx, line.frequency_Hz)
    yield from draw(ctx, load)
    yield Dwell(1.0, "off, its load connected", origin=True)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    point = yield from _seen(ctx, options, line, load, ohm, LOADED, COMES_UP_S + options.settle_s)
    good = point is not None and is_good(point, ctx.nameplate, options.tolerance_percent)
    if not good:
        yield Note(f"it does not start under {load:g} % load, {words}")
        yield from emptied(ctx, line.frequency_Hz)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(COMES_UP_S, "comes up unloaded", period_s=POLL_S)
        yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
        point = yield from _seen(ctx, options, line, load, ohm, UNLOADED, options.settle_s)
    if (why := too_much_drawn(ctx, point)) != "":
        yield Note(f"nothing greater at {load:g} % load: {why}")
        return False
    return point is not None and is_good(point, ctx.nameplate, options.tolerance_percent)


def _seen(
    ctx: Context, options: SoftOptions, line: Line, load: float, ohm: float, started: float, wait_s: float
) -> Generator[Action, Outcome, Point | None]:
    """Watched for as long, how often its output rose; then read."""
    port = ctx.outputs[0]
    quantity = everywhere(ctx, ("output_voltage",))[0]
    answer = yield Dwell(
        wait_s, "does it hold?", period_s=POLL_S,
        rising=quantity if quantity in ctx.polled else None, rises_above=0.5 * abs(ctx.volts[port]),
    )  # fmt: skip
    rises = float(getattr(answer, "rises", 0))
    stated = (
        (ADDED, ohm),
        (STARTED, started),
        (GOOD, options.tolerance_percent),
        *(((RISES, rises),) if rises else ()),
    )
    at = replace(at_load(ctx, line, load), stated=stated)
    taken = yield Measure(_names(ctx), AVERAGE_S, at, from_zero=True)
    return taken.point if isinstance(taken, Measured) else None


SPEC = SoftLeads()
