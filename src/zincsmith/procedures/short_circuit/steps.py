"""Short circuit: a contactor, or the load's short input, onto a unit that runs; the collapse, what flows, what is back.

Nobody makes a short by hand: contacts bounce, and what melts is not rated for it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zincsmith.model.actions import (
    Capturing,
    ChooseMode,
    Confirm,
    Dwell,
    Measure,
    Note,
    SetLoad,
    SetSource,
    Stage,
    Stop,
    WantedChannel,
)
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import Draw
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Section, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, POLL_S, comes_back, gate, is_back, volts_of
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.overcurrent.share import RATED, RELEASED
from zincsmith.procedures.overcurrent.steps import log_of
from zincsmith.procedures.ports import RAMP_PERCENT, ask, at_load, draw, ramp, set_ports, top_of
from zincsmith.procedures.short_circuit.figures import collapse_of
from zincsmith.procedures.short_circuit.intake import ShortRecord
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.short_circuit.shorted import AMMETER, BY_CONTACTOR, LOG, over_the_short, shorted_figures
from zincsmith.procedures.waveforms.capturing import drawn_amps, whole_output
from zincsmith.procedures.waveforms.findings import Named, OfCaptures
from zincsmith.procedures.waveforms.intake import LEAD_MM2, SHORT_OHM
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "short_circuit"
SHORTS = 1.05  # times the rated current: a resistance that would draw less shorts nothing
STANDS = 1.6  # times the rated current: what a load has to stand that shorts it
SAMPLES, BEFORE = 200_000, 0.2
CAUTIONS = (
    "The output is shorted on purpose, by what is wired for it and nothing else: no lead is touched, no clip is moved.",
    "Leads and clips carry whatever the unit gives into a short; a battery or an inverter is never shorted.",
)


@dataclass(frozen=True)
class Short:
    """One trial: the load before, and what it is shorted with; None is the short input or the contactor."""

    preload_percent: float
    ohm: float | None = None


class ShortCircuit(OfCaptures):
    """Worked out of records of the collapse and of the log of each trial."""

    name = NAME
    title = "Short circuit"
    version = 4
    needs: tuple[str, ...] = ("load", "voltmeter")
    serves = "how fast the output collapses, what flows into the short, how it comes back"
    options = ShortCircuitOptions
    intakes: tuple[Intake, ...] = (ShortRecord(),)

    def steps(self, ctx: Context) -> Steps:
        """At each line and output, at all volts that it is to be set to, as often as was asked for; what a battery
        feeds, or alternates, is not suited."""
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
                for there in _as_set(about, options, port):
                    yield from ask(there)
                    yield from _map(there, options, line, port)

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every output that is set as other parts have it."""
        yield from super().tidy(ctx)
        for port in set_ports(ctx):
            yield ChooseMode(top_of(ctx, port), port)

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """What it does over volts, load before and resistance of the short."""
        return over_the_short(findings)

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


def _as_set(ctx: Context, options: ShortCircuitOptions, port: str) -> list[Context]:
    """As it stands; an output that is set, at each share of its greatest volts."""
    if port not in set_ports(ctx):
        return [ctx]
    top = top_of(ctx, port)
    return [replace(ctx, modes={**ctx.modes, port: top.at(volts=share / 100.0)}) for share in options.set_percent]


def _map(ctx: Context, options: ShortCircuitOptions, line: Line, port: str) -> Steps:
    """Each load before with the short itself, then each resistance from the first of them. A resistance that draws no
    more than the rated current is no short, and is left out with a note."""
    shorts = [Short(load) for load in options.preloads]
    for ohm in options.resistances_ohm:
        draws_A, rated_A = abs(ctx.volts[port]) / ohm, ctx.load_A(RATED, port)
        if draws_A > SHORTS * rated_A:
            shorts.append(Short(options.preload_percent, ohm))
        else:
            yield Note(f"{ohm:g} ohm would draw {draws_A:.3g} A of {rated_A:.3g} A: no short, left out")
    for number, one in enumerate((one for one in shorts for _ in range(options.repeats)), 1):
        yield from _trial(ctx, options, one, line, port, number)


def _trial(ctx: Context, options: ShortCircuitOptions, one: Short, line: Line, port: str, number: int) -> Steps:
    """From the load before, shorted, held, released, kept as a log; with a scope on the output the collapse too."""
    load = one.preload_percent
    what = "".join((f"{port}, " if port else "", f"{one.ohm:g} ohm, " if one.ohm is not None else ""))
    yield Stage("Short circuit", f"{line.words}, {what}trial {number}, {options.hold_s:g} s")
    if load:
        yield from ramp(ctx, [p for p in (*RAMP_PERCENT, load) if p <= load])
    yield Dwell(2.0, "as it was loaded before", period_s=POLL_S)
    before = yield from volts_of(ctx, line, port)
    if before is None or abs(before) < BACK * abs(ctx.volts[port]):
        yield Stop(f"it does not run at {line.words}: it is not shorted")
    most = STANDS * ctx.load_A(RATED, port)
    record = BY_CONTACTOR if port in ctx.contactors and one.ohm is None else LOG
    short = SetLoad(most, True, port, beyond=STANDS, shorted=True)
    at = at_load(ctx, line, load)
    said: tuple[tuple[str, str], ...] = (("record", record), ("trial", f"{number}"))
    if ctx.lead_mm2 is not None:
        said += ((LEAD_MM2, f"{ctx.lead_mm2:g}"),)
    if one.ohm is not None:
        short = SetLoad(min(most, abs(ctx.volts[port]) / one.ohm), True, port, "CR", one.ohm, beyond=STANDS)
        at = replace(at, draws=(Draw(None, one.ohm, "CR", at.draws[0].port), *at.draws[1:]))
        said += ((SHORT_OHM, f"{one.ohm:g}"),)
    if at_port("output_voltage", port) in ctx.captured:
        yield Measure((), 0.0, at, capture=_collapse(ctx, options, port, short))
    else:
        yield short
    yield Dwell(options.hold_s, "shorted", period_s=POLL_S)
    yield from draw(ctx, RELEASED)
    yield from comes_back(ctx, options.recover_s, line, port, True)
    log = log_of(ctx, NAME, port, said)
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
