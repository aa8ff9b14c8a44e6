"""The wave of an output that alternates: worked out of records of its volts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import ClassVar

from zincsmith.analysis.wave_shape import shape_of
from zincsmith.formats.columns import Columns
from zincsmith.model.actions import Capturing, Confirm, Dwell, Measure, SetSource, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.commands import FileRequest
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.procedures.base import Context, Curves, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt
from zincsmith.procedures.output_wave.figures import (
    DOWN,
    INPUT,
    OUTLET,
    OUTPUT,
    RECTIFIER,
    STEPPED,
    UP,
    figures_of,
    named,
)
from zincsmith.procedures.output_wave.motor import AMPS, MOTOR, VOLTS, motor_of
from zincsmith.procedures.output_wave.options import WaveOptions
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, idle, ramp
from zincsmith.procedures.waveforms.capturing import captured_outputs, load_at
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure, traces_from
from zincsmith.procedures.waveforms.intake import WaveformIntake, volts, volts_and_amps
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "output_wave"
SAMPLES, SPAN = 200_000, 3.4  # times the rms, from end to end
AMPS_SPAN = 12.0  # likewise: those of a rectifier have a crest of five
RECTIFIER_PERCENT, STEP_PERCENT = 50.0, (10.0, 100.0)
STEP_S, STEP_BEFORE = 0.6, 0.2
MOTOR_S = 6.0
SHOWN = 25  # orders that are drawn
CAUTION = (
    "The output is live and belongs to no earth: a differential probe only, rated for mains of its category, put on "
    "with everything off."
)


class WaveRecord(WaveformIntake):
    """Volts of an output that alternates over time."""

    kind = "wave"
    words = "volts of an output that alternates over time"
    asks = WaveOptions
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "voltage_V": "volts of the output"}

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return volts(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return figures_of(traces, choices)


class MotorRecord(WaveformIntake):
    """Volts and amps of an output that alternates, within which a motor was switched on."""

    kind = "motor-start"
    words = "volts and amps of an output that alternates, as a motor is switched on"
    asks = WaveOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "voltage_V": "volts of the output", "current_A": "amps of the output",
    }  # fmt: skip

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return volts_and_amps(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return motor_of(traces, choices)

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        return super().points(found, replace(asked, choices={**asked.choices, "record": MOTOR}), at)


class OutputWave(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Shape of the output"
    version = 2
    needs: tuple[str, ...] = ("scope",)
    serves = "distortion and noise apart, even and odd orders, halves that differ and flat tops of an output"
    options = WaveOptions
    tested_as = "shape of the output"
    intakes: tuple[Intake, ...] = (WaveRecord(), MotorRecord())
    typed = (TypedFigure("crest", "wave_crest", "Crest factor by its record", "1", "1.41"),)

    def steps(self, ctx: Context) -> Steps:
        """Each load, lowest first; then, with everything off, the probe at a wall outlet and back. InputError where no
        channel of a scope is on an output."""
        options = ctx.asked(WaveOptions)
        line = ctx.reachable((options.line,))[0]
        ports = captured_outputs(ctx)
        yield from gate(ctx, f"{stands_words(ctx.unit)} {CAUTION}")
        yield from feed(ctx, self.title, line.words, line)
        for load in sorted(options.loads_percent):
            if load:
                yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
            else:
                yield from draw(ctx, load)
            yield Dwell(options.settle_s, "settles")
            for port in ports:
                yield Measure((), 0.0, at_load(ctx, line, load), capture=_record(ctx, options, port, OUTPUT))
        if options.steps:
            for port in ports:
                yield from _steps(ctx, options, line, port)
        if options.rectifier:
            yield from _rectifier(ctx, options, line, ports[0])
        if options.motor_W:
            yield from _motor(ctx, options, line, ports[0])
        if options.outlet:
            yield from _beside(ctx, options, ports[0])

    def typed_for(self, said: Mapping[str, str]) -> tuple[TypedFigure, ...]:
        """That of the output alone: a wall outlet's, or one under another load, is not what its finding is named."""
        return self.typed if said.get("record", OUTPUT) == OUTPUT else ()

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return figures_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        return named(found)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The orders, those of a wall outlet beside them; then the records."""
        return [*_orders(evidence.captured_for(NAME)), *super().plots(evidence)]


def _channels(ctx: Context, port: str, input_too: bool) -> tuple[WantedChannel, ...]:
    """Volts of the output, and amps of it and of the input where channels have them."""
    rated = max(1e-3, ctx.load_A(100.0, port))
    found = [WantedChannel(at_port(VOLTS, port), SPAN * abs(ctx.volts[port]))]
    if at_port(AMPS, port) in ctx.captured:
        found.append(WantedChannel(at_port(AMPS, port), AMPS_SPAN * rated))
    if input_too and INPUT in ctx.captured:
        most = ctx.nameplate.input.current_A or 2.0 * ctx.load_W(100.0) / ctx.nameplate.input.voltage_min_V
        found.append(WantedChannel(INPUT, 3.0 * most, most))
    return tuple(found)


def _record(ctx: Context, options: WaveOptions, port: str, record: str) -> Capturing:
    channels = _channels(ctx, port, record == OUTPUT)
    return Capturing(
        NAME, channels if record != OUTLET else channels[:1], options.record_s, SAMPLES, said=(("record", record),),
        why="ten periods, with whatever rides on them up to half the sample rate",
    )  # fmt: skip


def _steps(ctx: Context, options: WaveOptions, line: Line, port: str) -> Steps:
    """The load up and down; what is looked at is the rms of each half period."""
    low, high = STEP_PERCENT
    amps = at_port(AMPS, port)
    if amps not in ctx.captured:
        return
    yield Stage("Steps of the load", f"{low:g} to {high:g} %")
    for record, begin, end in ((UP, low, high), (DOWN, high, low)):
        between = 2.0**0.5 * 0.5 * (ctx.load_A(low, port) + ctx.load_A(high, port))
        trigger = Trigger(amps, between, "rising") if record == UP else None
        yield Measure((), 0.0, at_load(ctx, line, end), capture=Capturing(
            NAME, _channels(ctx, port, False), STEP_S, SAMPLES, STEP_BEFORE, trigger, load_at(ctx, begin, port),
            options.settle_s, load_at(ctx, end, port), said=(("record", record),),
            why="periods before the step and until its volts stand again",
        ))  # fmt: skip
    yield from draw(ctx, low)


def _rectifier(ctx: Context, options: WaveOptions, line: Line, port: str) -> Steps:
    """Another supply as load: its output resistor sets the watts."""
    volts = abs(ctx.volts[port])
    yield Stage("A supply as load", "the unit off")
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield Confirm(
        "A supply as load",
        f"A supply without power-factor correction, rated for {volts:g} V, at the output instead of the load; a "
        f"resistor at its own output sets about {0.01 * RECTIFIER_PERCENT * ctx.load_W(100.0):.3g} W.",
        (CAUTION,), hands_in=True,
    )  # fmt: skip
    yield from feed(ctx, "A supply as load", line.words, line)
    yield Dwell(options.settle_s, "settles")
    at = replace(at_load(ctx, line, 0.0), stated=(("supply_as_load", 1.0),))
    yield Measure((), 0.0, at, capture=_record(ctx, options, port, RECTIFIER))
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield Confirm("The load back", "The supply is off the output, the load there again.", (CAUTION,), hands_in=True)


def _motor(ctx: Context, options: WaveOptions, line: Line, port: str) -> Steps:
    """A person switches it: the record runs when their hand is at the switch, and is long enough to be begun late."""
    title = "Start of a motor"
    yield Stage(title, "the unit off")
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield Confirm(
        title,
        f"A motor of {options.motor_W:g} W by its label, for {abs(ctx.volts[port]):g} V, at the output instead of "
        "the load, behind a switch of its own that is open; it is fixed, and nothing hangs at its shaft that it could "
        "throw.",
        (CAUTION, "A motor that stands still heats within seconds: have its switch in your hand."), hands_in=True,
    )  # fmt: skip
    yield from feed(ctx, title, line.words, line)
    yield Dwell(options.settle_s, "settles")
    yield Confirm(
        "Hand at the switch",
        f"A record of {MOTOR_S:g} s is next. As soon as it runs - by wire when you go on, by hand when you start your "
        "scope - count to one, switch the motor on, leave it on until the next line.",
    )
    at = replace(at_load(ctx, line, 0.0), stated=(("motor_W", options.motor_W),))
    yield Measure((), 0.0, at, capture=Capturing(
        NAME, _channels(ctx, port, False), MOTOR_S, SAMPLES, said=(("record", MOTOR),),
        why="the volts before it is switched on, its run-up, and what it runs at",
    ))  # fmt: skip
    yield Confirm("The motor off", "Switch the motor off; let it come to rest.", (CAUTION,))
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield Confirm("The load back", "The motor is off the output, the load there again.", (CAUTION,), hands_in=True)


def _beside(ctx: Context, options: WaveOptions, port: str) -> Steps:
    yield Stage("A wall outlet beside it", "the unit off")
    yield from idle(ctx)
    yield SetSource(options.line.voltage_V, options.line.frequency_Hz, False)
    yield Confirm(
        "The probe at a wall outlet",
        "Put the differential probe to a wall outlet through leads made for it, nothing of the unit in between.",
        (CAUTION,), hands_in=True,
    )  # fmt: skip
    yield Measure((), 0.0, OperatingPoint(), capture=_record(ctx, options, port, OUTLET))
    yield Confirm("The probe back at the output", "Put it back to the output of the unit.", (CAUTION,), hands_in=True)


def _orders(evidence: Evidence) -> list[Curves]:
    """Orders of the last records, percent of the first."""
    lines = []
    for point in evidence.points:
        for capture in point.captures if evidence.traces is not None else ():
            record = capture.said.get("record")
            if not capture.channels or evidence.traces is None or record in (*STEPPED, MOTOR):
                continue
            traces = traces_from(capture, evidence.traces, capture.channels[0].port)
            one = shape_of(traces.values("output_voltage"), traces.step_s)
            if one is not None:
                name = "wall outlet" if record == OUTLET else point.at.words
                shares = [100.0 * float(x / one.orders[1]) for x in one.orders[2 : SHOWN + 1]]
                lines.append((name, [float(n) for n in range(2, SHOWN + 1)], shares))
    if not lines:
        return []
    return [Curves("Orders of the output", "order", "", "of the first", "%", "plain", tuple(lines[-4:]), marked=True)]


SPEC = OutputWave()
