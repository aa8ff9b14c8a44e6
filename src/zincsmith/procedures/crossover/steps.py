"""Crossover: an output driven into its limit by a resistance, and let out of it, each recorded by a scope."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from zincsmith.analysis.mode_change import ModeChange, corner
from zincsmith.model.actions import Capturing, ChooseMode, Measure, SetLoad, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, SetPoint
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.crossover.options import CrossoverOptions
from zincsmith.procedures.cv_cc.seen import PORT, OfASetOutput
from zincsmith.procedures.ports import set_ports, top_of
from zincsmith.procedures.waveforms.capturing import captured_outputs
from zincsmith.procedures.waveforms.findings import Named
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

NAME = "crossover"
INTO, OUT = "into its limit", "out of its limit"
OHM = "across_ohm"
SAMPLES, BEFORE = 100_000, 0.1
SPAN, CENTRE = 2.4, 0.9  # of the volts: the first look
PEAK_S = 20e-6  # spikes are told elsewhere; a loop of a linear supply swings more slowly. Common practice, no source
UNITS = {
    "crossover_charge": "C", "crossover_undershoot": "A", "crossover_time": "s",
    "crossover_overshoot": "V", "crossover_back_time": "s",
}  # fmt: skip
ROWS = {
    INTO: (
        ("crossover_charge", "Charge beyond its limit", "its capacitor, and a late limit"),
        ("crossover_undershoot", "Amps below its limit", "on the way to what it holds, in the mean of 20 us"),
        ("crossover_time", "Holds its amps after", ""),
    ),
    OUT: (
        ("crossover_overshoot", "Overshoot as its limit lets go", "beyond what it ends at, in the mean of 20 us"),
        ("crossover_back_time", "Back at its volts after", ""),
    ),
}  # fmt: skip


class Crossover(OfASetOutput):
    """Worked out of records."""

    name = NAME
    title = "Into its limit and out"
    version = 1
    needs: tuple[str, ...] = ("scope", "load")
    serves = "what an output does as its limit takes over, and how far its volts swing as it lets go"
    options = CrossoverOptions
    tested_as = "crossover of volts and amps"

    def steps(self, ctx: Context) -> Steps:
        """Both ways at one set point of each output whose load can be a resistance: a load that holds amps itself
        would take all the volts of an output that does."""
        options = ctx.asked(CrossoverOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        yield from feed(ctx, self.title, line.words, line)
        for port in captured_outputs(ctx):
            if port in set_ports(ctx) and "CR" in ctx.laws.get(port, ()):
                yield from _both_ways(ctx, options, line, port)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        """About the level that it ends at; amps are volts over the resistance, known far better than a scope reads."""
        traces = traces.upright
        kind, band, ohm = choices.record, choices.band_V(), choices.number(OHM, 0.0)
        values = _values(traces, kind, band, ohm)
        effects = errors_of(lambda moved: _values(moved, kind, band, ohm), traces, values) if traces.known else None
        out = Analysed(
            "crossover", {name: figure_of(name, v, UNITS[name], effects) for name, v in values.items()},
            {"record": kind, "band": choices.band, OHM: f"{ohm:.4g} ohm"},
        )  # fmt: skip
        one = _change(traces, band)
        for name, at in (("leaves", one.left_s), ("is there", one.settled_s)):
            if at is not None:
                out.marks.append(Mark(name, traces.begin_s + at, "first, or last, sample beyond its level"))
        doubt_alike(out, traces, None)
        if (one.level_V >= one.before_V) is (kind == INTO):
            out.doubt("limit_not_seen", "Its volts did not go the way that its limit takes them: it did not act here.",
                      "Look at how its limit is set, and at the resistance; take it once more.")  # fmt: skip
        elif any(v is None for v in values.values()):
            out.doubt("not_there_in_time", "It is not where it stays before the record ends.",
                      "Record longer; see whether its limit hunts.")  # fmt: skip
        return out

    def named(self, found: Analysed) -> Sequence[Named]:
        band = f"within {found.facts['band']} of the volts"
        return [
            Named(name, title, UNITS[name], found.figures[name], note or band)
            for name, title, note in ROWS[str(found.facts["record"])]
        ]


def _change(traces: Traces, band_V: float) -> ModeChange:
    return corner(traces.values("output_voltage"), traces.step_s, band_V, PEAK_S)


def _values(traces: Traces, kind: str, band_V: float, ohm: float) -> dict[str, float | None]:
    one, volts = _change(traces, band_V), traces.values("output_voltage")
    if kind == OUT:
        return {"crossover_overshoot": one.past_V, "crossover_back_time": one.time_s}
    charge = None
    if ohm and one.left_s is not None and one.settled_s is not None:  # to the end: beyond, what is left is noise
        first = round(one.left_s / traces.step_s)
        charge = float(np.sum(volts[first:] - one.level_V)) * traces.step_s / ohm
    past = one.past_V / ohm if ohm else None
    return {"crossover_charge": charge, "crossover_undershoot": past, "crossover_time": one.time_s}


def _both_ways(ctx: Context, options: CrossoverOptions, line: Line, port: str) -> Steps:
    top = top_of(ctx, port)
    to = SetPoint(0.01 * options.volts_percent * top.voltage_V, 0.01 * options.amps_percent * top.current_A)
    less, more = (to.voltage_V / (0.01 * percent * to.current_A) for percent in options.loads_percent)
    yield Stage("Through its corner", f"{to}{f', {port}' if port else ''}")
    yield ChooseMode(to, port)
    for kind, begin, end in ((INTO, less, more), (OUT, more, less)):
        yield _record(options, line, port, to, kind, (begin, end))
    yield SetLoad(0.0, False, port)


def _record(
    options: CrossoverOptions, line: Line, port: str, to: SetPoint, kind: str, ohms: tuple[float, float]
) -> Measure:
    held = min(ohms) * to.current_A  # across the smaller one, at the limit
    address = at_port("output_voltage", port)
    trigger = Trigger(address, 0.5 * (to.voltage_V + held), "falling" if kind == INTO else "rising")
    first, then = (SetLoad(min(to.voltage_V / ohm, to.current_A), True, port, "CR", ohm) for ohm in ohms)
    capture = Capturing(
        NAME, (WantedChannel(address, SPAN * to.voltage_V, CENTRE * to.voltage_V),), options.record_s, SAMPLES, BEFORE,
        trigger, first, options.settle_s, then, look=True,
        said=(("record", kind), ("band", f"{0.01 * options.band_percent * to.voltage_V:.6g}V"), (PORT, port),
              (OHM, repr(ohms[1]))),
        why="until it holds what it is to hold, and stays",
    )  # fmt: skip
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(None, ohms[1], "CR", port),), ((port, to),),
                        about=port)  # fmt: skip
    return Measure((), 0.0, at, capture=capture)


SPEC = Crossover()
