"""Programming speed: an output set up and down, switched on and off, without its input, each recorded by a scope."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.levels import level_at_end
from zincsmith.analysis.mode_change import ModeChange, beyond, highest, mode_change
from zincsmith.model.actions import (
    Capturing,
    ChooseMode,
    Dwell,
    Measure,
    SetLoad,
    SetSource,
    Stage,
    WantedChannel,
)
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, SetPoint
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import COMES_UP_S, feed, gate
from zincsmith.procedures.cv_cc.seen import PORT, OfASetOutput
from zincsmith.procedures.ports import set_ports, top_of
from zincsmith.procedures.programming_speed.options import SpeedOptions
from zincsmith.procedures.waveforms.capturing import captured_outputs
from zincsmith.procedures.waveforms.findings import Named
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

NAME = "programming_speed"
SAMPLES, BEFORE, AWAY, SPAN = 100_000, 0.1, 0.1, 1.4
UP, DOWN, ON, OFF, GONE = "up", "down", "switched on", "switched off", "input gone"
FALLEN = 0.05  # of its volts: below, an output that is switched off is gone
WIDTH = {OFF: "switch_off_glitch_time", GONE: "input_gone_glitch_time"}  # how long, at half of its height
WORDS = {
    UP: ("program_up_time", "Set up, settles after"), DOWN: ("program_down_time", "Set down, settles after"),
    ON: ("switch_on_time", "Switched on, settles after"), OFF: ("switch_off_time", "Switched off, gone after"),
}  # fmt: skip
PAST = {UP: "program_overshoot", DOWN: "program_undershoot", ON: "switch_on_overshoot", OFF: "switch_off_glitch",
        GONE: "input_gone_glitch"}  # fmt: skip
PAST_WORDS = {
    UP: "Beyond what it is set to, up", DOWN: "Beyond what it is set to, down", ON: "Beyond its volts, switched on",
    OFF: "Above its volts, switched off", GONE: "Above its volts as the input goes",
}  # fmt: skip


class ProgrammingSpeed(OfASetOutput):
    """Worked out of records."""

    name = NAME
    title = "Programming speed"
    version = 2
    needs: tuple[str, ...] = ("scope",)
    serves = "how fast an output follows what it is set to, and what it does as it comes on and goes off"
    options = SpeedOptions
    tested_as = "programming speed"

    def steps(self, ctx: Context) -> Steps:
        """InputError where no channel of a scope is joined to an output that is set."""
        options = ctx.asked(SpeedOptions)
        line = ctx.reachable((options.line,))[0]
        ports = [port for port in captured_outputs(ctx) if port in set_ports(ctx)]
        yield from gate(ctx)
        yield from feed(ctx, "Programming speed", line.words, line)
        for port in ports:
            for percent in (0.0, options.load_percent):
                yield from _stepped(ctx, options, line, port, percent)
            if options.switched:
                yield from _switched(ctx, options, line, port)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        """About the level that it ends at: how far that lies from what was set is told by a voltmeter."""
        kind, band = choices.record, choices.band_V()
        values = _values(traces, kind, band)
        effects = errors_of(lambda moved: _values(moved, kind, band), traces, values) if traces.known else None
        units = {name: "s" if name.endswith("_time") else "V" for name in values}
        out = Analysed(
            "programming speed", {name: figure_of(name, v, units[name], effects) for name, v in values.items()},
            {"record": kind, "band": choices.band},
        )  # fmt: skip
        one = _change(traces, kind, band)
        for name, at in (("leaves", one.left_s), ("is there", one.settled_s)):
            if at is not None:
                out.marks.append(Mark(name, traces.begin_s + at, "first, or last, sample beyond its level"))
        doubt_alike(out, traces, None)
        if any(v is None for v in values.values()):
            out.doubt("not_there_in_time", "It is not where it is to be before the record ends, or does not move.",
                      "Record longer; see whether it was set, and whether its limit holds it.")  # fmt: skip
        return out

    def named(self, found: Analysed) -> Sequence[Named]:
        kind = str(found.facts["record"])
        made = []
        if kind in WORDS and WORDS[kind][0] in found.figures:
            name, title = WORDS[kind]
            made.append(Named(name, title, "s", found.figures[name], f"within {found.facts['band']}"))
        past = PAST[kind]
        made.append(Named(past, PAST_WORDS[kind], "V", found.figures[past], "in the mean of 0.2 ms"))
        if kind in WIDTH:
            lasts = found.figures[WIDTH[kind]]
            made.append(Named(WIDTH[kind], f"{PAST_WORDS[kind]}, for", "s", lasts, "at half of its height"))
        return made


def _change(traces: Traces, kind: str, band_V: float) -> ModeChange:
    volts = traces.values("output_voltage")
    level = 0.0 if kind in (OFF, GONE) else level_at_end(volts)
    return mode_change(volts, traces.step_s, (level - band_V, level + band_V))


def _values(traces: Traces, kind: str, band_V: float) -> dict[str, float | None]:
    one = _change(traces, kind, band_V)
    volts = traces.values("output_voltage")
    past = one.past_V
    if kind in (OFF, GONE):  # above what it stood at, before it falls
        past = max(0.0, highest(volts, traces.step_s) - one.before_V)
    values: dict[str, float | None] = {PAST[kind]: past}
    if kind in (OFF, GONE):
        values[WIDTH[kind]] = beyond(volts, traces.step_s, one.before_V)
    if kind in WORDS:
        values = {WORDS[kind][0]: one.time_s, **values}
    return values


def _shares(ctx: Context, options: SpeedOptions, port: str) -> tuple[SetPoint, SetPoint]:
    low_V, _ = ctx.envelope.output(port).adjustable_V or (0.0, 0.0)
    top = top_of(ctx, port)
    low, high = (top.at(share / 100.0) for share in options.shares_percent)
    return (low if low.voltage_V >= low_V else replace(low, voltage_V=low_V)), high


def _stepped(ctx: Context, options: SpeedOptions, line: Line, port: str, percent: float) -> Steps:
    """Up and down again; the load is one that draws its amps at the lower volts too."""
    low, high = _shares(ctx, options, port)
    yield Stage("Set up and down", f"{line.words}, {percent:g} % of the limit")
    amps = replace(ctx, modes={port: high}).envelope.load_A(percent, port) if percent else 0.0
    yield ChooseMode(low, port)
    if percent:
        yield SetLoad(amps, True, port)
    for kind, begin, end, seconds in ((UP, low, high, options.up_s), (DOWN, high, low, options.down_s)):
        band = options.band_percent / 100.0 * (high.voltage_V - low.voltage_V)
        yield _record(options, line, port, kind, end, (begin.voltage_V, end.voltage_V), seconds, band,
                      ChooseMode(begin, port), ChooseMode(end, port), Draw(percent, amps, port=port))  # fmt: skip
    if percent:
        yield SetLoad(0.0, False, port)


def _switched(ctx: Context, options: SpeedOptions, line: Line, port: str) -> Steps:
    """Its own switch, without a load; then the input off with the output on."""
    _, high = _shares(ctx, options, port)
    off = replace(high, on=False)
    yield Stage("Switched on and off", f"{line.words}, {high}")
    gone = FALLEN * high.voltage_V
    band = options.band_percent / 100.0 * high.voltage_V
    none = Draw(0.0, 0.0, port=port)
    source = [SetSource(line.voltage_V, line.frequency_Hz, on) for on in (True, False)]
    yield _record(options, line, port, ON, high, (0.0, high.voltage_V), options.up_s, band, ChooseMode(off, port),
                  ChooseMode(high, port), none)  # fmt: skip
    yield _record(options, line, port, OFF, high, (high.voltage_V, 0.0), options.down_s, gone, ChooseMode(high, port),
                  ChooseMode(off, port), none)  # fmt: skip
    yield ChooseMode(high, port)
    yield Dwell(options.settle_s, "on again")
    yield _record(options, line, port, GONE, high, (high.voltage_V, 0.0), options.down_s, gone, None, source[1], none)
    yield source[0]
    yield Dwell(COMES_UP_S, "it comes up")


def _record(
    options: SpeedOptions, line: Line, port: str, kind: str, to: SetPoint, way: tuple[float, float], seconds: float,
    band_V: float, first: ChooseMode | None, then: ChooseMode | SetSource, drawn: Draw,
) -> Measure:  # fmt: skip
    top = max(way)
    level = way[0] + AWAY * (way[1] - way[0])
    trigger = Trigger(at_port("output_voltage", port), level, "rising" if way[1] > way[0] else "falling")
    channel = WantedChannel(at_port("output_voltage", port), SPAN * top, 0.5 * top)
    capture = Capturing(
        NAME, (channel,), seconds, SAMPLES, BEFORE, trigger, first, options.settle_s if first is not None else 0.0,
        then,
        said=(("record", kind), ("band", f"{band_V:.6g}V"), (PORT, port)),
        why="until it has settled and stays",
    )  # fmt: skip
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (drawn,), ((port, to),), about=port)
    return Measure((), 0.0, at, capture=capture)


SPEC = ProgrammingSpeed()
