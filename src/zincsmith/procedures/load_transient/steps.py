"""Load steps: dip, rise and recovery at steps of the load."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, Dwell, Measure
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.capturing import captured_outputs, drawn_amps, load_at, whole_output
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.load_transient.figures import load_step
from zincsmith.procedures.load_transient.intake import LoadStepRecord
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.ports import at_load, draw
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures, TypedFigure, largest
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
    typed = (
        TypedFigure("dip", "load_step", "Dip or rise at a load step", "V", "0.4"),
        TypedFigure("recovery", "recovery_time", "Transient recovery", "s", "0.3m"),
    )

    def steps(self, ctx: Context) -> Steps:
        """At each line every step up and back, the scope armed before the load moves. InputError where no scope is on
        an output."""
        options = ctx.asked(LoadTransientOptions)
        ports = captured_outputs(ctx)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Load steps", line.words, line)
            for low, high in options.steps_percent:
                yield from draw(ctx, low)
                yield Dwell(1.0, "load climbs")
                for port in ports:
                    for begin, end in ((low, high), (high, low)):
                        yield Measure((), 0.0, at_load(ctx, line, end), capture=_edge(ctx, options, port, begin, end))

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return load_step(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        over = [f for name, f in found.figures.items() if name.endswith(("overshoot", "undershoot"))]
        recovered = [f for name, f in found.figures.items() if name.endswith("recovery_time")]
        return (
            Named("load_step", "Dip or rise at a load step", "V", largest(over), "the largest of all edges"),
            Named("recovery_time", "Transient recovery", "s", largest(recovered), "the longest of all edges"),
        )


SAMPLES = 100_000
BEFORE = 0.1
LEAVES = 0.01  # of nominal: how far the volts go for a trigger, where no channel has the current


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
        NAME, (volts, *amps), options.record_s, SAMPLES, BEFORE, trigger, first, options.settle_s, then, look=True,
        said=(("band", options.band), ("about", options.about)),
    )  # fmt: skip


SPAN = 0.25  # of nominal: what a step may swing
SPEC = LoadTransient()
