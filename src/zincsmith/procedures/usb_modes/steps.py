"""Modes of ports: asked for one after the other, with nothing plugged in anywhere else."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.actions import ChooseMode, Dwell, Measure, SetLoad, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED, of_output
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.ports import NEGOTIATES_S, asked_ports, bare, idle, plugged_in
from zincsmith.procedures.usb_modes.figures import curves, findings_of_modes
from zincsmith.procedures.usb_modes.options import ModesOptions
from zincsmith.procedures.usb_modes.ranges import curves_of_ranges, ranges_of, steps_of

NAME = "usb_modes"
GONE_S = 1.0  # after something was taken off: 0.65 s are allowed to fall (USB PD 3.1, value from memory)


class UsbModes(Procedure):
    name = NAME
    title = "Modes of ports"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "which modes each port gives, their volts, and what it holds with nothing plugged in"
    options = ModesOptions
    tested_as = "modes of ports"

    def steps(self, ctx: Context) -> Steps:
        """Port by port: bare, plugged in, each mode, each programmable range, bare again."""
        options = ctx.asked(ModesOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} A sink that can be told what to ask for is ready at each port, with its load "
            "and the voltmeter at the port itself: its cable is noted, for 5 A it has to be a marked one. No device of "
            "yours is plugged in.",
        )
        yield from feed(ctx, "Ports", f"{line.words}, nothing plugged in", line)
        yield from bare(ctx)
        for port in asked_ports(ctx):
            yield from _port(ctx, options, line, port)

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every port as it is with a sink that asks for nothing."""
        yield from idle(ctx)
        yield from plugged_in(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return curves(evidence.points) + curves_of_ranges(evidence.points)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By port: volts bare, of each mode, once taken off; the modes of the label that were seen."""
        return findings_of_modes(evidence.points, nameplate)


def fixed_modes(ctx: Context, port: str) -> list[str]:
    return [m.name for m in of_output(ctx.envelope.output(port)).modes if m.law == "fixed"]


def _port(ctx: Context, options: ModesOptions, line: Line, port: str) -> Steps:
    yield Stage("Modes", f"{line.words}, {port}")
    yield Dwell(GONE_S, "nothing is plugged in")
    yield _measured(ctx, options, line, port, UNPLUGGED, 0.0, Purpose.BACKGROUND_BEFORE)
    for mode in fixed_modes(ctx, port):
        alone = replace(ctx, modes={p: mode if p == port else UNPLUGGED for p in asked_ports(ctx)})
        yield ChooseMode(mode, port)
        yield Dwell(NEGOTIATES_S, f"{mode} comes up")
        yield _measured(ctx, options, line, port, mode, 0.0)
        if options.loaded:
            yield SetLoad(alone.envelope.load_A(100.0, port, alone=True), True, port)
            yield Dwell(options.settle_s, "settles under its amps")
            yield _measured(alone, options, line, port, mode, 100.0)
            yield SetLoad(0.0, False, port)
    for one in ranges_of(ctx, port) if options.ranges else ():
        yield Stage("Programmable range", f"{line.words}, {port}, {one.low_V:g} to {one.high_V:g} V")
        yield from steps_of(ctx, line, one)
    yield ChooseMode(UNPLUGGED, port)
    yield Dwell(GONE_S, "it was taken off")
    yield _measured(ctx, options, line, port, UNPLUGGED, 0.0, Purpose.BACKGROUND_AFTER)


def _measured(
    ctx: Context, options: ModesOptions, line: Line, port: str, mode: str, percent: float, step: Purpose | None = None
) -> Measure:  # fmt: skip
    level = ctx.envelope.load_A(percent, port, alone=True) if percent else 0.0
    at = OperatingPoint(
        (Feed(line.voltage_V, line.frequency_Hz),), (Draw(percent, level, port=port),), ((port, mode),), step=step,
        about=port,
    )  # fmt: skip
    names = [at_port("output_voltage", port)]
    if percent:
        names.append(at_port("output_current", port))
        names += [q for q in ("input_voltage", "input_current", "input_power") if q in ctx.polled]
    if mode != UNPLUGGED:
        names += [n for q in ("offered_power", "offered_modes") if (n := at_port(q, port)) in ctx.measured]
    return Measure(tuple(names), options.average_s, at, from_zero=True)


SPEC = UsbModes()
