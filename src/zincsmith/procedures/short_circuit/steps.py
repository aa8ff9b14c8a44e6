"""Short circuit: a contactor, or the load's short input, onto a unit that runs; the collapse, what flows, what is back.

Nobody makes a short by hand: contacts bounce, and what melts is not rated for it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import (
    Capturing,
    Confirm,
    Dwell,
    Measure,
    SetLoad,
    SetSource,
    Stage,
    Stop,
    WantedChannel,
)
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, POLL_S, comes_back, gate, is_back, volts_of
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.overcurrent.share import RATED, RELEASED
from zincsmith.procedures.overcurrent.steps import log_of
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, ramp
from zincsmith.procedures.short_circuit.figures import collapse_of
from zincsmith.procedures.short_circuit.intake import ShortRecord
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.short_circuit.shorted import AMMETER, BY_CONTACTOR, LOG, shorted_figures
from zincsmith.procedures.waveforms.capturing import drawn_amps, whole_output
from zincsmith.procedures.waveforms.findings import Named, OfCaptures
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "short_circuit"
STANDS = 1.6  # times the rated current: what a load has to stand that shorts it
SAMPLES, BEFORE = 200_000, 0.2
CAUTIONS = (
    "The output is shorted on purpose, by what is wired for it and nothing else: no lead is touched, no clip is moved.",
    "Leads and clips carry whatever the unit gives into a short; a battery or an inverter is never shorted.",
)


class ShortCircuit(OfCaptures):
    """Worked out of records of the collapse and of the log of each trial."""

    name = NAME
    title = "Short circuit"
    version = 3
    needs: tuple[str, ...] = ("load", "voltmeter")
    serves = "how fast the output collapses, what flows into the short, how it comes back"
    options = ShortCircuitOptions
    intakes: tuple[Intake, ...] = (ShortRecord(),)

    def steps(self, ctx: Context) -> Steps:
        """At each line and output as often as was asked for; what a battery feeds, or alternates, is not suited."""
        options = ctx.asked(ShortCircuitOptions)
        yield from gate(ctx)
        yield Confirm(
            "Short circuit",
            f"Each output is shorted {options.repeats} times, {options.hold_s:g} s each, by a contactor or the load.",
            CAUTIONS,
        )  # fmt: skip
        for line in ctx.reachable(options.lines):
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(COMES_UP_S, "output comes up")
            for port in ctx.outputs:
                about = replace(ctx, about=port if len(ctx.outputs) > 1 else "")
                trials = [load for load in options.preloads for _ in range(options.repeats)]
                for trial, load in enumerate(trials, 1):
                    yield from _trial(about, replace(options, preload_percent=load), line, port, trial)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return (
            shorted_figures(traces, choices) if choices.record in (LOG, BY_CONTACTOR) else collapse_of(traces, choices)
        )

    def named(self, found: Analysed) -> Sequence[Named]:
        f, facts = found.figures, found.facts
        if "short_current" not in f:
            return (
                Named("short_circuit_time", "Collapse at a short circuit", "s", f["collapse_time"],
                      f"to {facts['threshold']}"),
            )  # fmt: skip
        feeds = "keeps feeding the short" if facts["keeps_feeding_the_short"] else "feeds nothing into the short"
        read = f["short_current"].value is not None
        did = f"{facts['protection']}, {feeds}" if read else "its amps were not read"
        wanted = [
            *((Named("short_circuit_current", "Amps into the short", "A", f["short_current"], did),) if read else ()),
            Named("short_circuit_residual", "Volts left at the short", "V", f["residual_voltage"], did),
        ]
        if "short_input_power" in f:
            wanted.append(Named("short_circuit_power", "Input watts while shorted", "W", f["short_input_power"], did))
        if f["recovery_time"].value is not None:
            wanted.append(
                Named("short_circuit_recovery", f"Recovery, {facts['recovery']}", "s", f["recovery_time"], did)
            )
        return wanted


def _trial(ctx: Context, options: ShortCircuitOptions, line: Line, port: str, number: int) -> Steps:
    """From the load before, shorted, held, released, kept as a log; with a scope on the output the collapse too."""
    whose = f"{port}, " if port else ""
    yield Stage("Short circuit", f"{line.words}, {whose}trial {number}, {options.hold_s:g} s")
    if options.preload_percent:
        yield from ramp(ctx, [p for p in (*RAMP_PERCENT, options.preload_percent) if p <= options.preload_percent])
    yield Dwell(2.0, "as it was loaded before", period_s=POLL_S)
    before = yield from volts_of(ctx, line, port)
    if before is None or abs(before) < BACK * abs(ctx.volts[port]):
        yield Stop(f"it does not run at {line.words}: it is not shorted")
    most = STANDS * ctx.load_A(RATED, port)
    record = BY_CONTACTOR if port in ctx.contactors else LOG
    short = SetLoad(most, True, port, beyond=STANDS, shorted=True)
    at = at_load(ctx, line, options.preload_percent)
    if at_port("output_voltage", port) in ctx.captured:
        yield Measure((), 0.0, at, capture=_collapse(ctx, options, port, short))
    else:
        yield short
    yield Dwell(options.hold_s, "shorted", period_s=POLL_S)
    yield from draw(ctx, RELEASED)
    yield from comes_back(ctx, options.recover_s, line, port, True)
    log = log_of(ctx, NAME, port, (("record", record), ("trial", f"{number}")))
    if record == BY_CONTACTOR and at_port(AMMETER, port) in ctx.polled:
        log = replace(log, channels=(*log.channels, WantedChannel(at_port(AMMETER, port), 1.0)))
    yield Measure((), 0.0, at, capture=log)
    if not (yield from is_back(ctx, line, port)):
        yield Stop(f"it did not come back after short {number}: released, unloaded, its input cycled")
    yield Dwell(options.rest_s, "rests")


def _collapse(ctx: Context, options: ShortCircuitOptions, port: str, short: SetLoad) -> Capturing:
    nominal = ctx.volts[port]
    trigger = Trigger(at_port("output_voltage", port), 0.5 * nominal, "falling" if nominal > 0.0 else "rising")
    amps = tuple(replace(one, span=4.0 * one.span) for one in drawn_amps(ctx, port))
    return Capturing(
        NAME, (whole_output(ctx, port), *amps), options.record_s, SAMPLES, BEFORE, trigger, then=short,
        said=(("threshold", options.threshold),), why="the fall of the output, with some of it before; its ring after",
    )  # fmt: skip


SPEC = ShortCircuit()
