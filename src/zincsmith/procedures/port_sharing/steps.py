"""Sharing: ports in use together, each with its share; what a neighbour notices when another is plugged in or out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from zincsmith.model.actions import Capturing, ChooseMode, Dwell, Measure, SetLoad, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED, of_output
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Section, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.port_sharing.figures import STEADY, curves, findings_of_sharing, in_use, table
from zincsmith.procedures.port_sharing.options import SharingOptions
from zincsmith.procedures.ports import NEGOTIATES_S, asked_ports, bare, idle, plugged_in

NAME = "port_sharing"
WATCH_POLL_S, SHORT_S = 0.1, 0.5
LOGGED = 200  # polls, about


class PortSharing(Procedure):
    name = NAME
    title = "Sharing of ports"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "what each port gives beside which others, and what it notices when they come and go"
    options = SharingOptions
    tested_as = "sharing of ports"

    def steps(self, ctx: Context) -> Steps:
        """Each combination, from all bare: one runs, the others come one by one, all are loaded, they go again."""
        options = ctx.asked(SharingOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} A sink that can be told what to ask for is ready at each port, with a load of "
            "its own and the voltmeter at the port itself; cables are noted. No device of yours is plugged in.",
        )
        yield from feed(ctx, "Ports", f"{line.words}, nothing plugged in", line)
        for together in combinations_of(ctx.nameplate):
            yield from _together(ctx, options, line, together)

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every port with a sink that asks for its lowest mode."""
        yield from idle(ctx)
        yield from plugged_in(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return curves(evidence.points)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By combination and port: watts held, and the dip when another came or went."""
        return findings_of_sharing(evidence)

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """The matrix: who is in use, and what each then has."""
        return table(findings)


def combinations_of(plate: Nameplate) -> list[tuple[str, ...]]:
    """Those of the label, the smallest first; each pair of ports where it names none."""
    named = [one.ports for one in plate.sharing]
    pairs = list(combinations([one.name for one in plate.outputs], 2))
    return sorted(named or pairs, key=len)


@dataclass(frozen=True)
class Asked:
    """What a port is asked for while others are in use: its mode, and the amps that its share comes to."""

    port: str
    mode: str
    amps: float
    percent: float


def asked_of(ctx: Context, together: tuple[str, ...]) -> list[Asked]:
    """The mode of each port that carries its share with the least current, and that current; of a port without a share
    on the label all it is rated for."""
    shares = next((dict(zip(one.ports, one.each_W, strict=True)) for one in ctx.nameplate.sharing
                   if set(one.ports) == set(together)), {})  # fmt: skip
    found = []
    for port in together:
        output = ctx.envelope.output(port)
        modes = [m for m in of_output(output).modes if m.law == "fixed"]
        watts = shares.get(port, output.rated_power_W)
        able = [m for m in modes if abs(m.voltage_V[1]) * (m.current_A or output.current_A) >= 0.99 * watts] or modes
        mode = max(able, key=lambda m: abs(m.voltage_V[1]))
        most = mode.current_A or output.current_A
        amps = min(most, watts / abs(mode.voltage_V[1]))
        found.append(Asked(port, mode.name, amps, 100.0 * amps / most))
    return found


def _together(ctx: Context, options: SharingOptions, line: Line, together: tuple[str, ...]) -> Steps:
    yield Stage("Sharing", f"{line.words}, {' and '.join(together)}")
    yield from idle(ctx)
    yield from bare(ctx)
    asked = asked_of(ctx, together)
    asks = asked_ports(ctx)
    first, *others = sorted(asked, key=lambda one: one.port not in asks)
    asked = [first, *others]
    if first.port in asks:
        yield ChooseMode(first.mode, first.port)
    yield Dwell(NEGOTIATES_S, f"{first.mode} comes up")
    yield SetLoad(first.amps, True, first.port)
    yield Dwell(options.settle_s, "runs alone")
    yield _measured(ctx, options, line, asked[:1], first.port)
    for n, one in enumerate(others, start=2):
        yield Stage("Neighbour", f"{one.port} is plugged in beside {first.port}")
        if one.port in asks:
            yield ChooseMode(one.mode, one.port)
        else:
            yield SetLoad(one.amps, True, one.port)
        yield from _watched(ctx, options, line, asked[:n], first, Purpose.RISING)
        yield Dwell(NEGOTIATES_S, f"{one.mode} comes up")
        yield SetLoad(one.amps, True, one.port)
    for one in asked:  # who was told anew asks again for what it wants
        if one.port in asks:
            yield ChooseMode(one.mode, one.port)
    yield Dwell(options.settle_s, "all of them with their share")
    yield _measured(ctx, options, line, asked, "")
    yield Stage("Neighbour", f"{' and '.join(one.port for one in others)} taken off beside {first.port}")
    for one in others:
        yield SetLoad(0.0, False, one.port)
        if one.port in asks:
            yield ChooseMode(UNPLUGGED, one.port)
    yield from _watched(ctx, options, line, asked[:1], first, Purpose.FALLING)


def _watched(
    ctx: Context, options: SharingOptions, line: Line, asked: list[Asked], first: Asked, way: Purpose
) -> Steps:  # fmt: skip
    """Right after somebody came or went: the volts of the one that was there, again and again."""
    name = at_port("output_voltage", first.port)
    if name not in ctx.polled:
        return
    yield Dwell(options.watch_s, "does the neighbour notice?", period_s=WATCH_POLL_S)
    log = Capturing(NAME, (WantedChannel(name, 1.0),), 0.0, LOGGED, logged=True)
    yield Measure((name,), SHORT_S, _at(line, asked, first.port, way), capture=log, from_zero=True)


def _at(line: Line, asked: list[Asked], about: str, step: Purpose | None = None) -> OperatingPoint:
    ordered = sorted(asked, key=lambda one: one.port != about)
    return OperatingPoint(
        (Feed(line.voltage_V, line.frequency_Hz),),
        tuple(Draw(one.percent, one.amps, port=one.port) for one in ordered),
        tuple((one.port, one.mode) for one in ordered),
        step=step, about=about, stated=((in_use([one.port for one in asked]), 1.0), STEADY),
    )  # fmt: skip


def _measured(ctx: Context, options: SharingOptions, line: Line, asked: list[Asked], about: str) -> Measure:
    names: list[str] = []
    for one in asked:
        names += [at_port("output_voltage", one.port), at_port("output_current", one.port)]
        names += [at_port("offered_power", one.port)] if at_port("offered_power", one.port) in ctx.measured else []
    names += [q for q in ("input_voltage", "input_current", "input_power") if q in ctx.polled]
    return Measure(tuple(names), options.average_s, _at(line, asked, about), from_zero=True)


SPEC = PortSharing()
