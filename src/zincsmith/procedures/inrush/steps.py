"""Inrush: the input switched on again and again, the largest of the pulses that follow."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.actions import Capturing, Dwell, Measure, SetSource, Stage, WantedChannel
from zincsmith.model.capture import OFF_BEFORE, Trigger
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import gate
from zincsmith.procedures.inrush.figures import inrush_figures
from zincsmith.procedures.inrush.options import InrushOptions
from zincsmith.procedures.ports import at_load, emptied, idle, ramp
from zincsmith.procedures.waveforms.capturing import source_at, whole_input
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.intake import SOURCE_LIMIT, SOURCE_OHM
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "inrush"
SAMPLES = 200_000
BEFORE = 0.1
SPAN_A = 200.0  # before anything is known; a first record tells better
TRIGGER_A = 1.0
AT_THE_CREST = 4  # times fewer where it comes at the crest each time
CREST_DEG = 90.0
HOT = "hot"


class InrushCurrent(OfCaptures):
    """At no load: what it charges is the input side."""

    name = NAME
    title = "Inrush current"
    version = 3
    needs: tuple[str, ...] = ("ac_source", "scope")
    serves = "peak, heating (I2t) and time of the current that rushes in"
    options = InrushOptions
    tested_as = "inrush"
    of = "input_current"
    typed = (TypedFigure("peak", "inrush", "Inrush current", "A", "32"),)

    def steps(self, ctx: Context) -> Steps:
        """InputError where no current probe of the scope is on the input."""
        options = ctx.asked(InrushOptions)
        if "input_current" not in ctx.captured:
            raise InputError("no channel of the scope has the current of the input", key="instrument.scope.channel")
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield Stage("Inrush", line.words)
            times = -(-options.repeats // AT_THE_CREST) if ctx.phased else options.repeats
            for _ in range(times):
                yield from emptied(ctx, line.frequency_Hz)
                yield Measure((), 0.0, at_load(ctx, line, 0.0), capture=_coming(ctx, options, line))
                yield Dwell(1.0, "it runs")
            for _ in range(times if options.hot else 0):
                yield SetSource(line.voltage_V, line.frequency_Hz, True)
                yield Dwell(1.0, "it runs")
                yield from ramp(ctx)
                yield Dwell(options.runs_s, "what limits the inrush gets hot")
                yield Measure((), 0.0, at_load(ctx, line, 100.0), capture=_coming(ctx, options, line, hot=True))
                yield Dwell(1.0, "it runs")
                yield from idle(ctx)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return inrush_figures(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        f = found.figures
        phase = found.facts.get("phase_deg")
        note = f"switched at {phase:g} degrees" if isinstance(phase, float) else "switched at a phase that nobody knows"
        if found.facts.get("record") == HOT:
            return (
                Named("inrush_hot", "Inrush current, restarted hot", "A", f["peak"], note),
                Named("inrush_hot_i2t", "Inrush, I2t of the first pulse, restarted hot", "A2s", f["i2t"]),
            )
        return (
            Named("inrush", "Inrush current", "A", f["peak"], note),
            Named("inrush_i2t", "Inrush, I2t of the first pulse", "A2s", f["i2t"], "until a tenth of its peak"),
            Named("inrush_time", "Inrush, length of the first pulse", "s", f["time"]),
        )


def _coming(ctx: Context, options: InrushOptions, line: Line, hot: bool = False) -> Capturing:
    amps = WantedChannel("input_current", SPAN_A)
    channels = (amps, whole_input(line)) if "input_voltage" in ctx.captured else (amps,)
    behind = ((SOURCE_OHM, ctx.source_ohm), (SOURCE_LIMIT, ctx.source_limit_A))
    said = tuple((key, f"{value:g}") for key, value in behind if value is not None)
    return Capturing(
        NAME, channels, options.record_s, SAMPLES, BEFORE, Trigger("input_current", TRIGGER_A, "either"),
        source_at(line, False), options.break_s if hot else options.off_s,
        source_at(line, True, CREST_DEG if ctx.phased else None), look=True,
        said=((OFF_BEFORE, f"{options.break_s if hot else options.off_s:g} s"), *((("record", HOT),) if hot else ()),
              *said),
        why="the first pulse down to a tenth of its peak, and those after it; hundreds of samples in the first",
    )  # fmt: skip


SPEC = InrushCurrent()
