"""Starts: switched on into loads, capacitors and an output that stands already, each from an input that was off."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Note, Outcome, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import LoadLaw, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, LOOK_S, OFF_S, POLL_S, gate
from zincsmith.procedures.ports import at_load, draw, emptied, everywhere, idle
from zincsmith.procedures.starts.figures import (
    BIASED,
    CAPACITOR,
    FED_BACK,
    KIND,
    STARTED,
    UNDER_CAPACITOR,
    UNDER_LAW,
    findings_of_starts,
)
from zincsmith.procedures.starts.options import StartOptions

NAME = "starts"
LIMIT_A = 0.1  # of what holds an output of a unit that is off; common practice, no source
CAPACITOR_V = 1.2  # times the volts of the output: what a capacitor across it stands at least
CAPACITOR_CAUTIONS = (
    "A capacitor the wrong way round, or of too few volts, bursts: plus to plus, and stand clear as it is switched on.",
    "It is emptied through a resistor before it comes off, never by a short.",
)
BACK_CAUTIONS = (
    "Never a battery: what holds the output gives 0.1 A at most. A unit that is fed from behind may have live parts on "
    "its input side.",
)


class Starts(Procedure):
    name = NAME
    title = "Starts"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "which loads, capacitors and volts at its output it still starts into, and what it takes back while off"
    options = StartOptions
    tested_as = "starts"

    def steps(self, ctx: Context) -> Steps:
        """By each law the greatest load first, until it starts; capacitors behind that; then the output held."""
        options = ctx.asked(StartOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        most = 0.0
        for law in (x for x in options.laws if all(x in ctx.laws.get(port, ("CC",)) for port in ctx.outputs)):
            for load in sorted((p for p in options.loads_percent if p), reverse=True):
                if (yield from _starts(replace(ctx, law=law), options, line, load, UNDER_LAW)):
                    most = max(most, load)
                    break
        yield from _behind_capacitors(ctx, options, line, most)
        if options.bias_percent:
            yield from _held(ctx, options, line)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        return findings_of_starts(evidence.points, nameplate)


def _starts(
    ctx: Context, options: StartOptions, line: Line, load: float, kind: float, uF: float = 0.0
) -> Generator[Action, Outcome, bool]:
    """From an input that was off, with its load connected; a latch is given time to let go."""
    words = f"{uF:g} µF and " if uF else ""
    yield Stage("Starts", f"into {words}{load:g} % load, {_law(ctx.law)}")
    yield from emptied(ctx, line.frequency_Hz)
    yield Dwell(OFF_S[0], "its input is off")
    yield from draw(ctx, load)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S + options.settle_s, "does it start?", period_s=POLL_S)
    return (yield from _seen(ctx, replace(at_load(ctx, line, load), stated=((KIND, kind), (CAPACITOR, uF)))))


def _seen(ctx: Context, at: OperatingPoint) -> Generator[Action, Outcome, bool]:
    """Read, and whether every output is there; what was not read did not start."""
    drawn = ("output_current",) if at.load_percent else ()
    names = tuple(n for n in everywhere(ctx, ("output_voltage", *drawn)) if n in ctx.measured)
    answer = yield Measure(names, LOOK_S, at, from_zero=True)
    if not isinstance(answer, Measured):
        return False
    for port, volts in ctx.volts.items():
        reading = answer.point.get(at_port("output_voltage", port))
        if reading is None or reading.value is None or abs(reading.value) < BACK * abs(volts):
            yield Note("it does not start into that")
            return False
    return True


def _law(law: LoadLaw) -> str:
    return {"CC": "constant current", "CR": "as a resistance"}.get(law, law)


def _behind_capacitors(ctx: Context, options: StartOptions, line: Line, load: float) -> Steps:
    """The first output; under the greatest load that it starts with."""
    port = ctx.outputs[0]
    volts = abs(ctx.volts[port])
    for uF in options.capacitors_uF:
        yield from _off(ctx, line)
        yield Confirm(
            f"{uF:g} µF across the output",
            f"{uF:g} µF, {CAPACITOR_V * volts:.3g} V or more, at {port or 'the output'}, plus to plus.",
            CAPACITOR_CAUTIONS, hands_in=True,
        )  # fmt: skip
        if not (yield from _starts(ctx, options, line, load, UNDER_CAPACITOR, uF)):
            break
    if options.capacitors_uF:
        yield from _off(ctx, line)
        yield Confirm("Capacitors off the output", "Emptied through a resistor, then off.", CAPACITOR_CAUTIONS,
                      hands_in=True)  # fmt: skip


def _off(ctx: Context, line: Line) -> Steps:
    yield Stage("The output is wired", "the input is off")
    yield from emptied(ctx, line.frequency_Hz)


def _held(ctx: Context, options: StartOptions, line: Line) -> Steps:
    """Held by a source of 0.1 A: at all of its volts with the unit off, for what it takes back; at a share of them as
    it is switched on."""
    port = ctx.outputs[0]
    volts = abs(ctx.volts[port])
    back = tuple(q for q in ("fed_back_current",) if q in ctx.measured)
    name = at_port("output_voltage", port)
    beside = tuple(q for q in (name, "input_voltage") if q in ctx.measured)
    for title, share, kind in (("all", 100.0, FED_BACK), ("a share", options.bias_percent, BIASED)):
        held_V = share / 100.0 * volts
        yield from _off(ctx, line)
        yield Confirm(
            f"The output held at {title} of its volts",
            f"A source of {held_V:.4g} V, {LIMIT_A:g} A at most, at {port or 'the output'}, plus to "
            f"plus{', a meter for amps in its lead' if back and kind == FED_BACK else ''}; the load's input off.",
            BACK_CAUTIONS, hands_in=True,
        )  # fmt: skip
        yield Dwell(options.settle_s, "it stands there")
        at = replace(at_load(ctx, line, 0.0), stated=((KIND, kind), (CAPACITOR, held_V)))
        yield Measure((*beside, *(back if kind == FED_BACK else ())), 1.0, at, from_zero=True,
                      likely=(("fed_back_current", 0.005), (name, held_V)))  # fmt: skip
        if kind == BIASED:
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(COMES_UP_S + options.settle_s, "does it start?", period_s=POLL_S)
            yield from _seen(ctx, replace(at, stated=((KIND, STARTED), (CAPACITOR, held_V))))
    yield from _off(ctx, line)
    yield Confirm("Nothing holds the output", "The source is off and away from the output.", hands_in=True)


SPEC = Starts()
