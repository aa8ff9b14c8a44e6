"""Dropout: how low the input may go, lowered from a unit that runs and raised from one that is off."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Note, Outcome, SetSource, Stage, Stop
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import Purpose
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, gate, is_back
from zincsmith.procedures.dropout.figures import NOMINAL, RISES, TOLERANCE, findings_of_dropout, is_good, maps
from zincsmith.procedures.dropout.intake import InputSweeps
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.input_limit import too_much_drawn
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, emptied, everywhere, idle, ramp
from zincsmith.procedures.search import bisect

NAME = "dropout"
POLL_S, AVERAGE_S = 0.25, 1.0
SOURCE_GONE = 0.5  # of what was set: less is no sagging
WANTED = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current")
CAUTIONS = (
    "Below its rated input a unit draws more current: fuse, leads and source carry it.",
    "An output that went may come back by itself at any moment: treat it as live.",
)
DOWN, UP = Purpose.FALLING, Purpose.RISING
CLOSING_DOWN, CLOSING_UP = Purpose.CLOSING_FALLING, Purpose.CLOSING_RISING
Asked = Generator[Action, Outcome, Point | None]


class Dropout(Procedure):
    """Worked out of the readings at each input."""

    name = NAME
    title = "Dropout"
    version = 3
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "the lowest input at which the output is still good, by load, from both sides"
    options = DropoutOptions
    intakes: tuple[Intake, ...] = (InputSweeps(),)

    def steps(self, ctx: Context) -> Steps:
        """At each load down from a unit that runs, then up from one that is off; each trial comes from its own side."""
        options = ctx.asked(DropoutOptions)
        ctx = replace(ctx, law=options.law)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        yield Confirm(
            "Below the rated input",
            f"The input goes down from {line.words} to {_floor(options, line):.3g} V at the lowest, "
            "until the output leaves its tolerance.",
            CAUTIONS,
        )
        for load in options.loads_percent:
            gone = yield from _fall(ctx, options, line, load)
            if options.rising:
                yield from _rise(ctx, options, line, load, gone)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The lowest good input at each load, from both sides."""
        return findings_of_dropout(evidence, nameplate)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The lowest good input over load, and the outputs over the input."""
        return maps(evidence)


def _floor(options: DropoutOptions, line: Line) -> float:
    return line.voltage_V * options.down_to_percent / 100.0


def _fall(ctx: Context, options: DropoutOptions, line: Line, load: float) -> Generator[Action, Outcome, float]:
    """Down in steps until the output is no longer good, then closer; returns the first input that was not good, or
    the lowest that was tried."""
    step = line.voltage_V * options.step_percent / 100.0
    yield Stage("Dropout, falling", f"{load:g} % load, from {line.words}")
    if not (yield from _running(ctx, line, load)):
        yield Note(f"at {line.words} its output does not come up at {load:g} % load")
        return line.voltage_V
    good = voltage = line.voltage_V
    while True:
        point = yield from _tried(ctx, options, line, load, voltage, DOWN)
        if not _fine(ctx, options, point):
            break
        good = voltage
        if voltage <= _floor(options, line) + 1e-9:
            yield Note(f"still good at {voltage:.4g} V and {load:g} % load: not followed further down")
            return voltage
        if (why := too_much_drawn(ctx, point)) != "":
            yield Note(f"not followed below {voltage:.4g} V at {load:g} % load: {why}")
            return voltage
        voltage = max(_floor(options, line), voltage - step)

    def beyond(lower: float) -> Generator[Action, Outcome, bool]:
        yield from _running(ctx, line, load)
        yield SetSource(good, line.frequency_Hz, True)
        yield Dwell(options.settle_s, "settles where it was good", period_s=POLL_S)
        closer = yield from _tried(ctx, options, line, load, lower, CLOSING_DOWN)
        return not _fine(ctx, options, closer)

    if ctx.source == "settable" and good > voltage:
        resolution = line.voltage_V * options.resolution_percent / 100.0
        _, voltage = yield from bisect(good, voltage, resolution, beyond)
    return voltage


def _rise(ctx: Context, options: DropoutOptions, line: Line, load: float, gone: float) -> Steps:
    """Up in steps from an off unit, its load connected, until the output is good, then closer, off before each."""
    step = line.voltage_V * options.step_percent / 100.0
    yield Stage("Dropout, rising", f"{load:g} % load, from an off unit")
    begin = max(_floor(options, line), gone - step)
    yield from _off(ctx, line, load)
    before, voltage = begin, begin
    while True:
        point = yield from _tried(ctx, options, line, load, voltage, UP)
        if _fine(ctx, options, point):
            break
        if voltage >= line.voltage_V - 1e-9:
            yield Note(f"it does not start at {load:g} % load up to {line.words}")
            return
        before, voltage = voltage, min(line.voltage_V, voltage + step)

    def comes_up(higher: float) -> Generator[Action, Outcome, bool]:
        yield from _off(ctx, line, load)
        yield SetSource(begin, line.frequency_Hz, True)
        yield Dwell(options.settle_s, "stands below where it starts", period_s=POLL_S)
        closer = yield from _tried(ctx, options, line, load, higher, CLOSING_UP)
        return _fine(ctx, options, closer)

    if ctx.source == "settable" and voltage > before:
        resolution = line.voltage_V * options.resolution_percent / 100.0
        yield from bisect(before, voltage, resolution, comes_up)


def _running(ctx: Context, line: Line, load: float) -> Generator[Action, Outcome, bool]:
    """Back at the line, unloaded until the output is there, then loaded; whether it came back."""
    yield from idle(ctx)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up", period_s=POLL_S)
    if not (yield from _is_back(ctx, line)):
        yield from emptied(ctx, line.frequency_Hz)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(COMES_UP_S, "output comes up after its input was off", period_s=POLL_S)
        if not (yield from _is_back(ctx, line)):
            return False
    yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load) if load else ())
    yield Dwell(1.0, "runs loaded", origin=True)
    return True


def _is_back(ctx: Context, line: Line) -> Generator[Action, Outcome, bool]:
    for port in ctx.outputs:
        if not (yield from is_back(ctx, line, port)):
            return False
    return True


def _off(ctx: Context, line: Line, load: float) -> Steps:
    yield from emptied(ctx, line.frequency_Hz)
    yield from draw(ctx, load)
    yield Dwell(1.0, "off, its load connected", origin=True)


def _tried(
    ctx: Context, options: DropoutOptions, line: Line, load: float, voltage: float, way: Purpose
) -> Asked:  # fmt: skip
    """One input, held: how often the output rose there, then the readings. Where a person sets the source it is what
    they landed on that stands."""
    yield SetSource(voltage, line.frequency_Hz, True)
    port = ctx.outputs[0]
    quantity = everywhere(ctx, ("output_voltage",))[0]
    polled = quantity in ctx.polled
    answer = yield Dwell(
        options.settle_s, "does it hold?", period_s=POLL_S,
        rising=quantity if polled else None, rises_above=0.5 * abs(ctx.volts[port]),
    )  # fmt: skip
    rises = float(getattr(answer, "rises", 0))
    at = at_load(ctx, replace(line, voltage_V=voltage), load)
    stated = (
        (TOLERANCE, options.tolerance_percent), (NOMINAL, abs(ctx.volts[port])), *(((RISES, rises),) if rises else ()),
    )  # fmt: skip
    names = tuple(q for q in everywhere(ctx, WANTED) if q in ctx.measured)
    taken = yield Measure(names, AVERAGE_S, replace(at, step=way, stated=stated), from_zero=True)
    point = taken.point if isinstance(taken, Measured) else None
    fed = point.get("input_voltage") if point is not None else None
    if fed is not None and fed.value is not None and fed.value < SOURCE_GONE * voltage:
        yield Stop(
            f"the input reads {fed.value:.3g} V where {voltage:.4g} V was set: its source went off, not the unit"
        )
    return point


def _fine(ctx: Context, options: DropoutOptions, point: Point | None) -> bool:
    return point is not None and is_good(point, ctx.nameplate, options.tolerance_percent)


SPEC = Dropout()
