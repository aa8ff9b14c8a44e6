"""The plug pulled again and again, its pins recorded: where in its period that happens is chance."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

from zincsmith.model.actions import Capturing, Confirm, Dwell, Measure, Stage
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import ALWAYS, COMES_UP_S, gate
from zincsmith.procedures.intake import FigureRequest, Intake
from zincsmith.procedures.plug_volts.figures import ACROSS, AFTER, CAPACITOR, LIMIT, named, plug_volts_of
from zincsmith.procedures.plug_volts.options import PlugOptions
from zincsmith.procedures.ports import at_load, idle, let_fall
from zincsmith.procedures.waveforms.capturing import needs_input, source_at, whole_input
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.intake import WaveformIntake
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "plug_volts"
SAMPLES, BEFORE = 400_000, 0.05
PINS = (
    "What opens the line opens both poles and leaves nothing across the pins: the plug itself, or a relay between "
    "source and plug. A source that is set to zero with its output on would empty them.",
    "Pins of a pulled plug bite: nobody touches them, whatever the reading says.",
)


class PlugRecord(WaveformIntake):
    """Volts at the pins over time."""

    kind = "plug-volts"
    words = "volts at the pins of a plug over time while it is pulled"
    asks = PlugOptions
    asks_load = False
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "input_V": "volts at the pins"}

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return {"input_voltage": ((asked.input, "input_voltage_V"), "V", "--input")}

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return plug_volts_of(traces, choices)


class PlugVolts(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Volts at the pulled plug"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "what is left at the pins of its plug, and for how long, from the worst moment to pull it"
    options = PlugOptions
    tested_as = "volts at the pulled plug"
    intakes: tuple[Intake, ...] = (PlugRecord(),)
    of = "input_voltage"
    typed = (TypedFigure("left", "plug_voltage", "Volts at the plug", "V", "35"),)

    def steps(self, ctx: Context) -> Steps:
        """InputError where no channel of the scope is on the input."""
        options = ctx.asked(PlugOptions)
        line = ctx.reachable((options.line,))[0]
        needs_input(ctx)
        yield from gate(ctx)
        yield Stage("The pins of the plug", f"{line.words}, pulled {options.pulls} times, no load")
        yield Confirm(
            "What reads the pins",
            "A differential probe sits on the pins. All that lies across them, of probe, meters and dividers, comes to "
            f"{options.across_Mohm:g} Mohm; {_capacitor(options)}.",
            (*PINS, *ALWAYS),
        )
        for _ in range(options.pulls):
            yield from idle(ctx)
            yield source_at(line, True)
            yield Dwell(COMES_UP_S, "output comes up")
            yield Measure((), 0.0, at_load(ctx, line, 0.0), capture=_pulled(options, line))
            yield from let_fall(ctx)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return plug_volts_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        return named(found)


def _capacitor(options: PlugOptions) -> str:
    if options.capacitor_uF:
        return f"the X capacitor is {options.capacitor_uF:g} µF as printed on it"
    return "what that takes off the pins is not made up for, for nobody states the X capacitor"


def _pulled(options: PlugOptions, line: Line) -> Capturing:
    volts, seconds = options.limit
    said = {LIMIT: volts, AFTER: seconds, ACROSS: options.across_Mohm, CAPACITOR: options.capacitor_uF}
    return Capturing(
        NAME, (whole_input(line),), options.record_s, SAMPLES, BEFORE, None, source_at(line, True), 0.0,
        source_at(line, False), said=tuple((key, f"{value:g}") for key, value in said.items()),
        why="started, then the plug is pulled: some periods before, and the pins as they empty",
    )  # fmt: skip


SPEC = PlugVolts()
