"""Dips of the line: worked out of records of the output, and of what is there some seconds after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.model.actions import Capturing, Dip, Dwell, Measure, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, LOOK_S, OFF_S, feed, gate
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.line_dips.options import DipOptions
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, emptied, everywhere, ramp
from zincsmith.procedures.rows import carrying
from zincsmith.procedures.waveforms.capturing import captured_outputs, whole_output
from zincsmith.procedures.waveforms.findings import Named, OfCaptures
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

NAME = "line_dips"
LEFT, LASTS, END = "line_left_percent", "dip_s", "end_of_frequency"  # stated with a point
SAMPLES, BEFORE_S, AFTER_S = 100_000, 0.1, 1.5
AVERAGED_S = 2e-4  # volts that are out for less are ripple and spikes; common practice, no source


def dip_of(traces: Traces, choices: Choices) -> Analysed:
    """How low the output goes, and how long it is out of its volts in all."""
    traces = traces.upright
    nominal, share = choices.nominal(), choices.number("tolerance_percent", 5.0) / 100.0
    values = _values(traces, nominal, share)
    effects = errors_of(lambda moved: _values(moved, nominal, share), traces, values) if traces.known else None
    units = {"lowest": "V", "highest": "V", "out_time": "s"}
    out = Analysed(
        "line dip", {name: figure_of(name, value, units[name], effects) for name, value in values.items()},
        {"record": choices.record, "band": f"{100.0 * share:g} %"},
    )  # fmt: skip
    doubt_alike(out, traces, nominal)
    volts, each_s = _means(traces)
    off = np.abs(volts - nominal) > share * nominal
    if off.any():
        first = int(np.argmax(off))
        out.marks.append(Mark("out of its volts", traces.begin_s + first * each_s, "first mean beyond the band"))
    if off[-1]:
        out.doubt("not_back_in_record", "It is not back in its volts when the record ends.",
                  "What it did then is told by the reading after it.")  # fmt: skip
    return out


def _means(traces: Traces) -> tuple[np.ndarray, float]:
    """Means of some 0.2 ms each, V; and how long one is, s: a whole number of samples."""
    volts = traces.values("output_voltage")
    block = max(1, round(AVERAGED_S / traces.step_s))
    whole = len(volts) // block
    return np.asarray(volts[: whole * block].reshape(whole, block).mean(axis=1)), block * traces.step_s


def _values(traces: Traces, nominal: float, share: float) -> dict[str, float | None]:
    volts, each_s = _means(traces)
    out_s = float(np.count_nonzero(np.abs(volts - nominal) > share * nominal)) * each_s
    return {"lowest": float(np.min(volts)), "highest": float(np.max(volts)), "out_time": out_s}


class LineDips(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Dips of the line"
    version = 2
    needs: tuple[str, ...] = ("scope", "ac_source")
    serves = (
        "whether an output stays, or comes back, when the line goes away for a moment, sags, jumps or changes its Hz"
    )
    options = DipOptions
    tested_as = "dips of the line"
    least = ("dip_lowest",)

    def steps(self, ctx: Context) -> Steps:
        """Each load, each dip, from an output that is there. InputError where no scope is on an output."""
        options = ctx.asked(DipOptions)
        line = ctx.reachable((options.line,))[0]
        ports = captured_outputs(ctx)
        highest = max(one.voltage_max_V for one in ctx.nameplate.inputs)
        yield from gate(ctx)
        for load in options.loads_percent:
            yield from _up(ctx, options, line, load)
            for left, seconds in options.dips_percent_s:
                yield from _away(ctx, options, line, load, ports, Dip(left / 100.0 * line.voltage_V, seconds))
        if options.jump_s and highest > line.voltage_V * 1.01:
            yield from _up(ctx, options, line, max(options.loads_percent))
            yield from _away(ctx, options, line, max(options.loads_percent), ports, Dip(highest, options.jump_s))
        if options.ends:
            yield from _ends(ctx, options, line)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return dip_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        f, record = found.figures, found.facts["record"]
        note = f"out by more than {found.facts['band']} of nominal, means of some {1e3 * AVERAGED_S:g} ms"
        return (
            Named("dip_out_time", f"Out of its volts, line {record}", "s", f["out_time"], note),
            Named("dip_lowest", f"Lowest volts, line {record}", "V", f["lowest"], "in the mean of some 0.2 ms"),
            Named("dip_highest", f"Highest volts, line {record}", "V", f["highest"], "in the mean of some 0.2 ms"),
        )

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With what was there some seconds after, and what the ends of the frequency do."""
        found = super().findings(evidence, nameplate, conventions)
        gone = _stays_off(evidence.points, nameplate)
        told = []
        for one in found:
            doubt = gone.get(_key(one)) if one.name == "dip_out_time" else None
            told.append(replace(one, doubts=(*one.doubts, doubt)) if doubt is not None else one)
        return told + _over_frequency(evidence.points, nameplate)


def _key(finding: Finding) -> str:
    return finding.title.partition("line ")[2]


def _words(line: Line, dip: Dip) -> str:
    span = f"{1e3 * dip.seconds:g} ms" if dip.seconds < 1.0 else f"{dip.seconds:g} s"
    return f"at {100.0 * dip.voltage_V / line.voltage_V:.3g} % for {span}"


def _up(ctx: Context, options: DipOptions, line: Line, load: float) -> Steps:
    yield from feed(ctx, "Dips of the line", f"{line.words}, {load:g} % load", line)
    yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
    yield Dwell(options.settle_s, "settles")


def _away(ctx: Context, options: DipOptions, line: Line, load: float, ports: Sequence[str], dip: Dip) -> Steps:
    """Recorded; then whether it is there again, with what it had to be done to it."""
    words = _words(line, dip)
    yield Stage("Dips of the line", f"{load:g} % load, {words}")
    at = replace(
        at_load(ctx, line, load), stated=((LEFT, 100.0 * dip.voltage_V / line.voltage_V), (LASTS, dip.seconds))
    )
    on = SetSource(line.voltage_V, line.frequency_Hz, True)
    seconds = BEFORE_S + dip.seconds + AFTER_S
    capture = Capturing(
        NAME, tuple(whole_output(ctx, port) for port in ports), seconds, SAMPLES, BEFORE_S / seconds, None, on, 0.0,
        replace(on, dip=dip), said=(("record", words), ("tolerance_percent", f"{options.tolerance_percent:g}")),
        why="the output before, while the line is away, and as it comes back",
    )  # fmt: skip
    yield Measure((), 0.0, replace(at, stated=()), capture=capture)
    yield Dwell(COMES_UP_S + options.settle_s, "is it there again?", origin=True)
    names = tuple(n for n in everywhere(ctx, ("output_voltage",)) if n in ctx.measured)
    yield Measure(names, LOOK_S, at, from_zero=True)
    # Whatever it did, the next one begins with an output that is there.
    yield from emptied(ctx, line.frequency_Hz)
    yield Dwell(OFF_S[0], "its input is off")
    yield from _up(ctx, options, line, load)


def _ends(ctx: Context, options: DipOptions, line: Line) -> Steps:
    """The output and what goes in at both ends of the rated frequency, under the greatest load."""
    low, high = min(ctx.nameplate.input.hertz), max(ctx.nameplate.input.hertz)
    load = max(options.loads_percent)
    for hertz in dict.fromkeys((low, high)) if low < high else ():
        one = Line(line.voltage_V, hertz)
        yield from _up(ctx, options, one, load)
        wanted = (*everywhere(ctx, ("output_voltage",)), "input_current", "input_power")
        names = tuple(n for n in wanted if n in ctx.measured)
        yield Measure(names, 2.0, replace(at_load(ctx, one, load), stated=((END, hertz),)))
    yield from draw(ctx, 0.0)


def _stays_off(points: Sequence[Point], plate: Nameplate) -> dict[str, Doubt]:
    """By dip, in words, what is wrong some seconds after it."""
    found = {}
    for point in points:
        left, seconds = point.at.fact(LEFT), point.at.fact(LASTS)
        if left is None or seconds is None:
            continue
        for output in plate.outputs:
            port = output.name if len(plate.outputs) > 1 else ""
            reading = point.get(at_port("output_voltage", port))
            if reading is not None and (reading.value is None or abs(reading.value) < BACK * abs(output.voltage_V)):
                volts = point.at.line[0] or 0.0
                words = _words(Line(volts, point.at.line[1] or 0.0), Dip(left / 100.0 * volts, seconds))
                text = f"Some seconds after the line was {words}, the output is not back."
                found[words] = Doubt("stays_off_after_dip", text, "Somebody has to take its input off, or its load.")
    return found


def _over_frequency(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """What the output, and the input, do from the lowest to the highest of the rated frequencies."""
    rows = sorted((p for p in points if p.at.fact(END) is not None), key=lambda p: p.at.fact(END) or 0.0)
    found: list[Finding] = []
    for output in plate.outputs:
        port = output.name if len(plate.outputs) > 1 else ""
        name = at_port("output_voltage", port)
        have = carrying(rows, [name])
        if len(have) < 2:
            continue
        nominal = abs(output.voltage_V)
        made = finding_of(
            "frequency_effect", "Change of output with frequency", "1", [have[0], have[-1]], [name],
            lambda v, name=name, nominal=nominal: float(v[name][1] - v[name][0]) / nominal,  # type: ignore[misc]
            "(V at the highest - V at the lowest Hz) / V nominal", replace(have[-1].at.seen_from(port), stated=()),
            f"{have[0].at.fact(END):g} to {have[-1].at.fact(END):g} Hz",
        )  # fmt: skip
        found.append(replace(made, output=port))
    return found


SPEC = LineDips()
