"""Load steps: dip, rise and recovery at steps of the load."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, Dwell, Measure, Pulses, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.capture import Capture, Trigger
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.load_transient.cross import cross_dips, stepped_port
from zincsmith.procedures.load_transient.figures import load_step, with_lowest
from zincsmith.procedures.load_transient.intake import LoadStepRecord
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.ports import at_load, draw
from zincsmith.procedures.waveforms.capturing import captured_outputs, drawn_amps, load_at, whole_output
from zincsmith.procedures.waveforms.findings import COLUMNS, MOST_DRAWN, Named, OfCaptures, TypedFigure, largest
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "load_transient"


class LoadTransient(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Load steps"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "dip, rise and recovery at steps of the load"
    options = LoadTransientOptions
    intakes: tuple[Intake, ...] = (LoadStepRecord(),)
    least = ("lowest_output",)
    typed = (
        TypedFigure("dip", "load_step", "Dip or rise at a load step", "V", "0.4"),
        TypedFigure("recovery", "recovery_time", "Transient recovery", "s", "0.3m"),
    )

    def steps(self, ctx: Context) -> Steps:
        """At each line every step up and back, the scope armed before the load moves. InputError where no scope is on
        an output."""
        options = ctx.asked(LoadTransientOptions)
        ports = captured_outputs(ctx)
        if options.stepped_by == "switch" and not ctx.switched_ohm:
            raise InputError("the rig has no load switch whose resistor is stated", key="instrument.load_switch")
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Load steps", line.words, line)
            if options.stepped_by == "switch":
                yield from _by_switch(ctx, options, line, ports)
                continue
            for low, high in options.steps_percent:
                yield from draw(ctx, low)
                yield Dwell(1.0, "load climbs")
                for port in ports:
                    for begin, end in ((low, high), (high, low)):
                        yield Measure((), 0.0, at_load(ctx, line, end), capture=_edge(ctx, options, port, begin, end))

    def ports_in(self, capture: Capture) -> tuple[str, ...]:
        """The output whose load was stepped: what the others did is no answer to a step of their own."""
        return (stepped_port(capture),) if capture.channels else super().ports_in(capture)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With what each step did to the other outputs that were recorded beside."""
        return [*super().findings(evidence, nameplate, conventions), *cross_dips(evidence, NAME)]

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        found = load_step(traces, choices)
        return found if traces.channels["output_voltage"].coupling == "AC" else with_lowest(found, traces)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Every edge over the others, counted from the trigger, from the level before it; then the records."""
        lines = []
        for point in evidence.points:
            for capture in point.captures:
                channel = next((c for c in capture.channels if c.quantity == "output_voltage"), None)
                if channel is None or evidence.traces is None or not capture.before:
                    continue
                half = min(capture.before, capture.count - capture.before, LAID_OVER)
                first = capture.before - half // 2
                values = evidence.traces.read(channel, first, capture.before + 2 * half)
                level = float(values[: half // 2].mean()) if half > 1 else float(values[0])
                every = max(1, len(values) // COLUMNS)
                times = [1e3 * capture.step_s * (first - capture.before + k) for k in range(0, len(values), every)]
                lines.append((point.at.words, times, [float(v) - level for v in values[::every]]))
        over = Curves("Load steps laid over each other", "time", "ms", "output volts from before", "V", "voltage",
                      tuple(lines[:MOST_DRAWN]), marked=False)  # fmt: skip
        return [*([over] if lines else []), *super().plots(evidence)]

    def named(self, found: Analysed) -> Sequence[Named]:
        over = [f for name, f in found.figures.items() if name.endswith(("overshoot", "undershoot"))]
        recovered = [f for name, f in found.figures.items() if name.endswith("recovery_time")]
        return (
            Named("load_step", "Dip or rise at a load step", "V", largest(over), "the largest of all edges"),
            Named("recovery_time", "Transient recovery", "s", largest(recovered), "the longest of all edges"),
            *(
                [Named("lowest_output", "Lowest instantaneous output", "V", lowest, "ripple and dip together")]
                if (lowest := found.figures.get("lowest")) is not None
                else []
            ),
        )


SAMPLES = 100_000
LAID_OVER = 20_000  # samples on either side of an edge
BEFORE = 0.1
LEAVES = 0.01  # of nominal: how far the volts go for a trigger, where no channel has the current


def _by_switch(ctx: Context, options: LoadTransientOptions, line: Line, ports: Sequence[str]) -> Steps:
    """On top of each lower load, both edges in one record: what comes on, and how fast, is what the amps show."""
    for low in dict.fromkeys(low for low, _ in options.steps_percent):
        yield from draw(ctx, low)
        yield Dwell(1.0, "load climbs")
        for port in ports:
            ohm = ctx.switched_ohm.get(port)
            if ohm is not None:
                yield Measure((), 0.0, at_load(ctx, line, low), capture=_pulsed(ctx, options, port, low, ohm))
                yield load_at(ctx, low, port)  # the switch rests


def _pulsed(ctx: Context, options: LoadTransientOptions, port: str, low: float, ohm: float) -> Capturing:
    added = abs(ctx.volts[port]) / ohm
    edge = _edge(ctx, options, port, low, low)
    level = ctx.load_A(low, port) + 0.5 * added
    amps = at_port("output_current", port)
    trigger = Trigger(amps, level, "rising") if amps in ctx.captured else edge.trigger
    return replace(
        edge, samples=OF_A_SWITCH, seconds=PERIODS / options.rate_Hz, trigger=trigger, then=None,
        first=replace(load_at(ctx, low, port), pulses=Pulses(added, options.rate_Hz, options.duty)),
        said=(*edge.said, ("stepped_by", "a load switch")),
    )  # fmt: skip


def _edge(ctx: Context, options: LoadTransientOptions, port: str, begin: float, end: float) -> Capturing:
    first, then = (load_at(ctx, percent, port) for percent in (begin, end))
    amps = drawn_amps(ctx, port)
    up = end > begin
    if amps:
        middle = 0.5 * (ctx.load_A(begin, port) + ctx.load_A(end, port))
        trigger = Trigger(amps[0].address, middle, "rising" if up else "falling")
    else:
        level = ctx.volts[port] * (1.0 - LEAVES if up else 1.0 + LEAVES)
        trigger = Trigger(at_port("output_voltage", port), level, "falling" if up else "rising")
    volts = replace(whole_output(ctx, port), centre=ctx.volts[port], span=SPAN * abs(ctx.volts[port]))
    return Capturing(
        NAME, (volts, *amps, *_others(ctx, port)), options.record_s, SAMPLES, BEFORE, trigger, first,
        options.settle_s, then, look=True,
        said=(("band", options.band), ("about", options.about)),
        why="until it has recovered and stays; the edge of the load needs ten samples",
    )  # fmt: skip


def _others(ctx: Context, port: str) -> tuple[WantedChannel, ...]:
    """What the other outputs do meanwhile, as far as channels are joined to them."""
    return tuple(
        replace(whole_output(ctx, other), centre=volts, span=BESIDE_SPAN * abs(volts))
        for other, volts in ctx.volts.items()
        if other != port and at_port("output_voltage", other) in ctx.captured
    )


BESIDE_SPAN = 0.2  # of nominal
OF_A_SWITCH = 500_000  # samples: its edges are fast
PERIODS = 2.2  # of a load switch in a record
SPAN = 0.25  # of nominal: what a step may swing
SPEC = LoadTransient()
