"""An output that alternates: over its loads, over its input, and where its input is too low."""

from __future__ import annotations

import math
from collections.abc import Generator
from dataclasses import replace

from zincsmith.model.actions import Action, Dwell, Measure, Measured, Outcome, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Purpose
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, feed, gate, stands_words
from zincsmith.procedures.inverter_output.at_rest import at_rest, bond, findings_at_rest
from zincsmith.procedures.inverter_output.figures import curves, findings_of_output
from zincsmith.procedures.inverter_output.options import InverterOptions
from zincsmith.procedures.ports import at_load, draw, idle, ramp

NAME = "inverter_output"
READ = ("output_voltage", "output_current", "output_real_power", "output_frequency", "output_thd", "output_crest",
        "output_dc")  # fmt: skip
INPUT = ("input_voltage", "input_current", "input_power")
LIGHT = 10.0  # percent of the load at which its input is lowered
LOWEST, BACK = 0.7, 0.5  # of the lowest rated input; of nominal output: above it runs


class InverterOutput(Procedure):
    name = NAME
    title = "Output that alternates"
    version = 2
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter", "power_meter")
    serves = "volts, frequency, shape and efficiency of an output that alternates, over load and input"
    options = InverterOptions
    tested_as = "an output that alternates"

    def steps(self, ctx: Context) -> Steps:
        """Warm; every load; the ends of the load at other inputs; where its input is too low."""
        options = ctx.asked(InverterOptions)
        lines = ctx.reachable(options.lines)
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} Both legs of the output are live and neither is earthed, unless the rig says "
            "so: no scope clip, no earthed meter at it. The load is a resistance made for these volts. Its input is "
            "read at its own terminals, behind the leads. Nothing feeds back into its output.",
        )
        yield from bond(ctx, lines[0])
        yield from feed(ctx, "Output that alternates", lines[0].words, lines[0])
        if options.warm_up_s:
            yield from ramp(ctx, (50.0,))
            yield Dwell(options.warm_up_s, "warms up", warms=True)
        for percent in sorted(options.loads_percent):
            yield from _at(ctx, options, lines[0], percent)
        yield from idle(ctx)
        for line in lines[1:]:
            yield Stage("Over its input", line.words)
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(options.settle_s, "settles at the input")
            for percent in (min(options.loads_percent), max(options.loads_percent)):
                yield from _at(ctx, options, line, percent)
            yield from idle(ctx)
        if options.battery and ctx.source == "settable":
            yield from _battery(ctx, options, lines[0])

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return curves(evidence.points)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Volts, regulation, frequency, shape, efficiency; the input at which it stops and starts; how it rests."""
        return findings_of_output(evidence.points, nameplate) + findings_at_rest(evidence.points)


def _at(ctx: Context, options: InverterOptions, line: Line, percent: float) -> Steps:
    yield from draw(ctx, percent)
    yield Dwell(options.settle_s, "settles")
    measured = _measured(ctx, options.average_s, line, percent)
    if percent:
        yield measured
    else:
        yield from at_rest(ctx, line, measured)


def _measured(ctx: Context, average_s: float, line: Line, percent: float, step: Purpose | None = None) -> Measure:
    at = at_load(ctx, line, percent)
    names = [n for q in READ for port in ctx.outputs if (n := at_port(q, port)) in ctx.measured]
    names = [n for n in names if percent or not n.startswith("output_current")]
    names += [q for q in INPUT if q in ctx.measured]
    if "case_temperature" in ctx.polled:
        names.append("case_temperature")
    return Measure(tuple(names), average_s, replace(at, step=step), from_zero=step is not None)


def _battery(ctx: Context, options: InverterOptions, line: Line) -> Steps:
    """Lowered in steps from the lowest rated input until it stops, then raised until it starts again."""
    lowest = ctx.nameplate.input.voltage_min_V
    step = options.step_percent / 100.0 * lowest
    yield Stage("Where its input is too low", f"from {lowest:g} V, {LIGHT:g} % load")
    yield SetSource(lowest, line.frequency_Hz, True)
    yield from draw(ctx, LIGHT)
    yield Dwell(COMES_UP_S, "runs", origin=True)
    volts, runs = lowest, True
    while runs and volts > LOWEST * lowest:
        volts -= step
        yield SetSource(volts, line.frequency_Hz, True)
        yield Dwell(options.settle_s, "does it hold?")
        runs = yield from _runs(ctx, Line(volts, line.frequency_Hz), Purpose.STOP)
    most = line.voltage_V
    while not runs and volts < most - 1e-9:
        volts = min(volts + step, most)
        yield SetSource(volts, line.frequency_Hz, True)
        yield Dwell(max(options.settle_s, COMES_UP_S), "does it start again?")
        runs = yield from _runs(ctx, Line(volts, line.frequency_Hz), Purpose.START)
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")


def _runs(ctx: Context, line: Line, step: Purpose) -> Generator[Action, Outcome, bool]:
    answer = yield _measured(ctx, 1.0, line, LIGHT, step)
    if not isinstance(answer, Measured):
        return False
    for port, nominal in ctx.volts.items():
        reading = answer.point.get(at_port("output_voltage", port))
        if reading is None or reading.value is None or not math.fabs(reading.value) > BACK * abs(nominal):
            return False
    return True


SPEC = InverterOutput()
