"""Changes of mode of ports, one after the other, each recorded: what a device at the port, and one beside it, meets."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise

from zincsmith.model.actions import Capturing, ChooseMode, Dwell, Measure, Note, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.capture import Capture, Trigger
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.port import HARD_RESET, UNPLUGGED, of_output
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.finding_of import at_most
from zincsmith.procedures.mode_changes.figures import (
    BESIDE,
    CHANGE,
    DETACH,
    MOST,
    RESET,
    changes_of,
    past_allowed_V,
)
from zincsmith.procedures.mode_changes.options import ChangesOptions
from zincsmith.procedures.ports import asked_ports, at_load, bare, idle, plugged_in
from zincsmith.procedures.usb_modes.figures import BY
from zincsmith.procedures.waveforms.capturing import captured_outputs
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, Seen, TypedFigure
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "mode_changes"
RECORD_S = {CHANGE: 0.5, DETACH: 1.5, RESET: 3.0, BESIDE: 2.5}  # longer than the longest that is allowed
SAMPLES = 100_000
BEFORE = 0.1
AWAY = 0.2  # of the way: where the trigger waits
SPAN = 1.4  # of the highest volts: from below nothing to beyond them
WHOSE, ASKED = "port", "asked"
TITLES = {
    "mode_change_time": "Change to {} settles after", "mode_change_past": "Beyond {} while it changes",
    "mode_change_slew": "Steepest slope to {}", "discharge_time": "Empty after it was taken off",
    "hard_reset_time": "Back after a hard reset", "neighbour_dip": "Dip of {} as the port beside {}",
    "neighbour_out_time": "Out of {} as the port beside {}",
}  # fmt: skip
NOTES = {
    "mode_change_time": "from where it leaves to where it stays within the limits of the mode",
    "mode_change_past": "beyond the volts that it ends at, in the mean of 0.2 ms",
    "mode_change_slew": "over a fifth of the time from 10 % to 90 % of the way",
    "discharge_time": "from where it leaves to where it stays below 0.8 V",
    "hard_reset_time": "from where it lets go to where its lowest mode stands again",
    "neighbour_dip": "nominal volts less the lowest",
    "neighbour_out_time": "from where it leaves the limits of its mode to where it is back for good",
}


class ModeChanges(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Changes of mode"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how a port goes from one mode to another, lets go and starts anew, and what one beside it meets"
    options = ChangesOptions
    tested_as = "changes of mode"
    typed = (
        TypedFigure("time", "mode_change_time", "Change of mode settles after", "s", "40m"),
        TypedFigure("past", "mode_change_past", "Beyond its volts while it changes", "V", "0.2"),
    )

    def steps(self, ctx: Context) -> Steps:
        """Port by port, nothing plugged in elsewhere; then with one beside. InputError where no channel of a scope is
        joined to any."""
        options = ctx.asked(ChangesOptions)
        line = ctx.reachable((options.line,))[0]
        ports = [port for port in captured_outputs(ctx) if port in asked_ports(ctx)]
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} A sink that can be told what to ask for is at each port, and no device of "
            "yours; the probes of the scope are at the ports themselves.",
        )
        yield from feed(ctx, "Changes of mode", f"{line.words}, nothing plugged in", line)
        yield from bare(ctx)
        for port in ports:
            yield Stage("Changes of mode", f"{line.words}, {port}")
            yield from _alone(ctx, options, line, port)
        for port in ports if options.beside else ():
            yield from _neighbours(ctx, options, line, port, ports)

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every port as it is with a sink that asks for nothing."""
        yield from idle(ctx)
        yield from plugged_in(ctx)

    def ports_in(self, capture: Capture) -> tuple[str, ...]:
        """The one that it is about: another in the record is what it was triggered by."""
        return (capture.said[WHOSE],) if capture.channels and WHOSE in capture.said else super().ports_in(capture)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return changes_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        return [Named(name, TITLES[name], one.unit, one, NOTES[name]) for name, one in found.figures.items()]

    def gathered(self, finding: Finding, seen: Sequence[Seen]) -> Finding:
        """By the name of the mode, with what the standard allows."""
        asked = " or ".join(dict.fromkeys(one.capture.said.get(ASKED, "changes") for one in seen))
        title = finding.title.format(finding.at.mode() or "", asked) if "{" in finding.title else finding.title
        most = MOST.get(finding.name)
        if finding.name == "mode_change_past" and (nominal := volts_of(str(finding.at.mode() or ""))) is not None:
            most = past_allowed_V(nominal)
        finding = replace(finding, title=title)
        return finding if most is None else at_most(finding, most, BY)


def volts_of(mode: str) -> float | None:
    """Of a fixed mode, by its name."""
    try:
        return float(mode.removesuffix(" V"))
    except ValueError:
        return None


def fixed_volts(ctx: Context, port: str) -> dict[str, float]:
    """The fixed modes of a port by name, the lowest first."""
    found = {m.name: m.voltage_V[1] for m in of_output(ctx.envelope.output(port)).modes if m.law == "fixed"}
    return dict(sorted(found.items(), key=lambda one: one[1]))


def _alone(ctx: Context, options: ChangesOptions, line: Line, port: str) -> Steps:
    """Plugged in, up mode by mode, from the highest to the lowest, up again at one go, taken off; a hard reset."""
    volts = fixed_volts(ctx, port)
    names = list(volts)
    way = [(UNPLUGGED, names[0]), *pairwise(names), (names[-1], names[0]), (names[0], names[-1])]
    for begin, end in dict.fromkeys((a, b) for a, b in way if a != b):
        yield _record(ctx, options, line, port, CHANGE, begin, end, volts)
    yield _record(ctx, options, line, port, DETACH, names[-1], UNPLUGGED, volts)
    if options.reset:
        yield _record(ctx, options, line, port, RESET, names[-1], HARD_RESET, volts)
        yield Dwell(options.settle_s, "starts anew")
    yield ChooseMode(UNPLUGGED, port)


def _record(
    ctx: Context, options: ChangesOptions, line: Line, port: str, kind: str, begin: str, end: str,
    volts: dict[str, float],
) -> Measure:  # fmt: skip
    """The port recorded while it is asked for something else."""
    there = {UNPLUGGED: 0.0, **volts}
    low = next(iter(volts))
    final = low if end == HARD_RESET else end
    first, last = there[begin], 0.0 if end == HARD_RESET else there[end]
    level = first + AWAY * (last - first)
    trigger = Trigger(at_port("output_voltage", port), level, "rising" if last > first else "falling")
    about = replace(ctx, modes=_modes(ctx, {port: final}), about=port)
    capture = Capturing(
        NAME, (_channel(port, volts),), RECORD_S[kind], SAMPLES, BEFORE, trigger, ChooseMode(begin, port),
        options.settle_s, ChooseMode(end, port),
        said=(("record", kind), (WHOSE, port), (ASKED, f"{begin} to {end}")),
        why="until it is where it is to be, as long as the standard lets it and longer",
    )  # fmt: skip
    return Measure((), 0.0, at_load(about, line, 0.0), capture=capture)


def _neighbours(
    ctx: Context, options: ChangesOptions, line: Line, port: str, ports: Sequence[str]
) -> Iterator[Stage | ChooseMode | Dwell | Measure | Note]:
    """A port in its highest mode, while something comes to one beside it and goes again."""
    volts = fixed_volts(ctx, port)
    top = list(volts)[-1]
    for other in asked_ports(ctx):
        if other == port:
            continue
        if other not in ports:
            yield Note(f"No channel of the scope is at {other}: nothing tells when something comes to it.")
            continue
        yield Stage("A port beside", f"{line.words}, {port} in {top}, {other} comes and goes")
        yield ChooseMode(top, port)
        yield Dwell(options.settle_s, f"{top} comes up")
        others = fixed_volts(ctx, other)
        low = next(iter(others))
        for begin, end, goes in ((UNPLUGGED, low, "comes"), (low, UNPLUGGED, "goes")):
            about = replace(ctx, modes=_modes(ctx, {port: top, other: end}), about=port)
            slope = "rising" if goes == "comes" else "falling"
            trigger = Trigger(at_port("output_voltage", other), 0.5 * others[low], slope)  # type: ignore[arg-type]
            capture = Capturing(
                NAME, (_channel(port, volts), _channel(other, others)), RECORD_S[BESIDE], SAMPLES, BEFORE, trigger,
                ChooseMode(begin, other), options.settle_s, ChooseMode(end, other),
                said=(("record", BESIDE), (WHOSE, port), (ASKED, goes)),
                why="a port that is told anew is without its volts for a while",
            )  # fmt: skip
            yield Measure((), 0.0, at_load(about, line, 0.0), capture=capture)
        yield ChooseMode(UNPLUGGED, port)


def _modes(ctx: Context, asked: dict[str, str]) -> dict[str, str]:
    return {p: asked.get(p, UNPLUGGED) for p in asked_ports(ctx)}


def _channel(port: str, volts: dict[str, float]) -> WantedChannel:
    top = max(volts.values())
    return WantedChannel(at_port("output_voltage", port), SPAN * top, 0.5 * top)


SPEC = ModeChanges()
