"""Volts at their set points, amps at theirs, and the corner between both."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.actions import ChooseMode, Dwell, Measure, SetLoad, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, LoadLaw, OperatingPoint, Purpose, SetPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.cv_cc.figures import SMALL, curves, findings_of_settings
from zincsmith.procedures.cv_cc.options import SetOptions
from zincsmith.procedures.ports import idle, set_ports, top_of

NAME = "cv_cc"
HELD_AT = (10.0, 50.0, 90.0)  # percent of the volts that were set, to which the load drags an output that holds amps
CORNER = (1.20, 1.05, 1.02, 0.98, 0.95, 0.80)  # times the resistance at which both limits meet
SMALL_V = (0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1)  # steps, from the middle of the volts up
LEAST_DRAW_V = 1.0  # a load works from here up; common practice, no source
READ = ("output_voltage", "output_current", "readback_voltage", "readback_current", "panel_voltage", "panel_current")
NOTHING_ATTACHED = (
    "Nothing but the load is at the output: no battery, no device of yours. Its volts are at zero and its output is "
    "off; what it remembers from its last use is unknown."
)


class SetPoints(Procedure):
    name = NAME
    title = "Set points, volts and amps"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "what an output gives against what it was set to and what it shows, in constant volts and constant current"
    options = SetOptions
    tested_as = "set points"

    def steps(self, ctx: Context) -> Steps:
        """Warm; volts without and with load, amps held at several volts, the corner; both ends again at other lines."""
        options = ctx.asked(SetOptions)
        lines = ctx.reachable(options.lines)
        yield from gate(ctx, f"{stands_words(ctx.unit)} {NOTHING_ATTACHED}")
        yield from feed(ctx, "What is set", lines[0].words, lines[0])
        for port in set_ports(ctx):
            yield from _warm(ctx, options, port)
            yield from _volts(ctx, options, lines[0], port)
            if options.least_step:
                yield from _small_steps(ctx, options, lines[0], port)
            yield from _amps(ctx, options, lines[0], port)
            if options.crossover and "CR" in ctx.laws.get(port, ()):
                yield from _corner(ctx, options, lines[0], port)
        for line in lines[1:]:
            yield Stage("At another line", line.words)
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(options.settle_s, "settles at the line")
            for port in set_ports(ctx):
                yield from _ends(ctx, options, line, port)

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every output as other parts have it."""
        yield from idle(ctx)
        for port in set_ports(ctx):
            yield ChooseMode(top_of(ctx, port), port)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return curves(evidence.points)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By output: off what was set and what is shown, in volts and amps; what load and line do; the corner; heat."""
        return findings_of_settings(evidence.points, nameplate)


def _share(ctx: Context, port: str, volts: float = 1.0, amps: float = 1.0) -> SetPoint:
    """A share of the upper ends, no lower than the range goes."""
    low_V, _ = ctx.envelope.output(port).adjustable_V or (0.0, 0.0)
    to = top_of(ctx, port).at(volts, amps)
    return to if to.voltage_V >= low_V else replace(to, voltage_V=low_V)


def _law(ctx: Context, port: str) -> LoadLaw | None:
    """What a load that drags an output down is told: to hold volts, else a resistance; None where it can do neither."""
    laws = ctx.laws.get(port, ())
    return next((law for law in ("CV", "CR") if law in laws), None)


def _warm(ctx: Context, options: SetOptions, port: str) -> Steps:
    if not options.warm_up_s:
        return
    top = top_of(ctx, port)
    yield ChooseMode(top, port)
    yield SetLoad(0.5 * top.current_A, True, port)
    yield Dwell(options.warm_up_s, "warms up", warms=True)
    yield SetLoad(0.0, False, port)


def _volts(ctx: Context, options: SetOptions, line: Line, port: str) -> Steps:
    """Each set point without a load, and clear of the limit with it."""
    yield Stage("Volts as set", f"{line.words}{_of(port)}")
    for to in dict.fromkeys(_share(ctx, port, volts=percent / 100.0) for percent in options.volts_percent):
        yield ChooseMode(to, port)
        yield from _loaded(ctx, options, line, port, to, 0.0)
        if to.voltage_V >= LEAST_DRAW_V:
            yield from _loaded(ctx, options, line, port, to, 100.0)
            yield SetLoad(0.0, False, port)


def _small_steps(ctx: Context, options: SetOptions, line: Line, port: str) -> Steps:
    """From the middle of its volts, each step anew from there: what it was set to before leaves no mark."""
    base = _share(ctx, port, volts=0.5)
    yield Stage("Least step it follows", f"{line.words}{_of(port)}, from {base}")
    for step in SMALL_V:
        for add in (0.0, step):
            to = replace(base, voltage_V=base.voltage_V + add)
            yield ChooseMode(to, port)
            yield Dwell(options.settle_s, "settles")
            draw = Draw(0.0, 0.0, port=port)
            yield _measured(ctx, options, line, port, to, draw, step=Purpose.TURN, small=step)


def _loaded(ctx: Context, options: SetOptions, line: Line, port: str, to: SetPoint, percent: float) -> Steps:
    """Full load lies clear of the limit that was set, by more than its error."""
    amps = replace(ctx, modes={port: to}).envelope.load_A(percent, port)
    if percent:
        yield SetLoad(amps, True, port)
    yield Dwell(options.settle_s, "settles")
    yield _measured(ctx, options, line, port, to, Draw(percent, amps, port=port))


def _amps(ctx: Context, options: SetOptions, line: Line, port: str) -> Steps:
    """Each limit with the load in the middle of the volts; one in the middle over all of them."""
    law = _law(ctx, port)
    if law is None:
        return
    yield Stage("Amps as set", f"{line.words}{_of(port)}")
    middle = min(options.amps_percent, key=lambda p: abs(p - 50.0))
    for percent in options.amps_percent:
        to = _share(ctx, port, amps=percent / 100.0)
        yield ChooseMode(to, port)
        for share in HELD_AT if percent in (middle, max(options.amps_percent)) else HELD_AT[1:2]:
            yield from _held(ctx, options, line, port, to, share, law)
        yield SetLoad(0.0, False, port)


def _held(ctx: Context, options: SetOptions, line: Line, port: str, to: SetPoint, share: float, law: LoadLaw) -> Steps:
    """The load drags the output down to a share of its volts, so that its current is all it holds."""
    volts = share / 100.0 * to.voltage_V
    level = volts if law == "CV" else volts / to.current_A
    yield SetLoad(to.current_A, True, port, law, level)
    yield Dwell(options.settle_s, "holds its current")
    yield _measured(ctx, options, line, port, to, Draw(None, level, law, port), held=share)


def _corner(ctx: Context, options: SetOptions, line: Line, port: str) -> Steps:
    """Resistances through the one at which volts and amps both are what was set."""
    to = _share(ctx, port, 0.5, 0.5)
    yield Stage("Where its limit takes over", f"{line.words}{_of(port)}, {to}")
    yield ChooseMode(to, port)
    for number, times in enumerate(CORNER, start=1):
        ohm = times * to.voltage_V / to.current_A
        yield SetLoad(min(1.0, 1.0 / times) * to.current_A, True, port, "CR", ohm)
        yield Dwell(options.settle_s, "settles")
        yield _measured(ctx, options, line, port, to, Draw(None, ohm, "CR", port), step=Purpose.TURN, number=number)
    yield SetLoad(0.0, False, port)


def _ends(ctx: Context, options: SetOptions, line: Line, port: str) -> Steps:
    """What the line does: to the volts at their upper end under load, to the amps in the middle of the volts."""
    law, top = _law(ctx, port), top_of(ctx, port)
    yield ChooseMode(top, port)
    yield from _loaded(ctx, options, line, port, top, 100.0)
    yield SetLoad(0.0, False, port)
    if law is not None:
        yield from _held(ctx, options, line, port, top, HELD_AT[1], law)
        yield SetLoad(0.0, False, port)


def _measured(
    ctx: Context, options: SetOptions, line: Line, port: str, to: SetPoint, draw: Draw, held: float | None = None,
    step: Purpose | None = None, number: int = 0, small: float = 0.0,
) -> Measure:  # fmt: skip
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (draw,), ((port, to),), step=step,
                        step_number=number, about=port)  # fmt: skip
    if held is not None:
        at = replace(at, stated=(("held_at_percent", held),))
    if small:
        at = replace(at, stated=((SMALL, small),))
    bare = draw.law == "CC" and not draw.level
    names = [n for q in READ if (n := at_port(q, port)) in ctx.measured and not (bare and q == "output_current")]
    names += [q for q in ("input_voltage", "input_current", "input_power") if q in ctx.polled]
    return Measure(tuple(names), options.average_s, at, from_zero=True)


def _of(port: str) -> str:
    return f", {port}" if port else ""


SPEC = SetPoints()
