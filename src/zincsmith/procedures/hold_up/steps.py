"""Hold-up: how long the output lasts when the input goes."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.actions import Capturing, Measure
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.capturing import captured_outputs, needs_input, source_at, whole_input, whole_output
from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.hold_up.intake import HoldUpRecord
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, idle, let_fall, ramp
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures, TypedFigure
from zincsmith.recorded.result import Analysed

NAME = "hold_up"


class HoldUp(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Hold-up"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how long the output lasts when the input goes"
    options = HoldUpOptions
    intakes: tuple[Intake, ...] = (HoldUpRecord(),)
    typed = (TypedFigure("hold", "hold_up", "Hold-up", "s", "18m"),)
    least = ("hold_up",)

    def steps(self, ctx: Context) -> Steps:
        """At each line and load the input switched off, as often as was asked for: each time at another phase.
        InputError where no scope is on output and input."""
        options = ctx.asked(HoldUpOptions)
        ports = captured_outputs(ctx)
        needs_input(ctx)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            for load in options.loads_percent:
                for _ in range(options.repeats):
                    for port in ports:
                        yield from feed(ctx, "Hold-up", f"{line.words}, {load:g} %", line)
                        yield from ramp(ctx, [p for p in RAMP_PERCENT if p < load])
                        yield from draw(ctx, load)
                        yield Measure((), 0.0, at_load(ctx, line, load), capture=_going(ctx, options, line, port))
                        yield from idle(ctx)
                        yield from let_fall(ctx)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return hold_up_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        return (Named("hold_up", "Hold-up", "s", found.figures["hold_up_time"], f"to {found.facts['threshold']}"),)


SAMPLES = 400_000
BEFORE = 0.9  # what lasts lies before the trigger, which waits for its end


def _going(ctx: Context, options: HoldUpOptions, line: Line, port: str) -> Capturing:
    nominal = ctx.volts[port]
    level = 0.5 * nominal
    trigger = Trigger(at_port("output_voltage", port), level, "falling" if nominal > 0.0 else "rising")
    return Capturing(
        NAME, (whole_output(ctx, port), whole_input(line)), options.record_s, SAMPLES, BEFORE, trigger,
        source_at(line, True), options.on_s, source_at(line, False), said=(("threshold", options.threshold),),
    )  # fmt: skip


SPEC = HoldUp()
