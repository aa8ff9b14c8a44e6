"""What a procedure asks of every output of a unit at once; of a unit with one output that is the one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from zincsmith.model.actions import ChooseMode, Dwell, SetLoad, SetSource, Watch
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.operating_point import Draw, Feed, Mode, OperatingPoint, SetPoint
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED, can_be_set, strongest_modes
from zincsmith.model.quantities import QUANTITIES, READ_TWICE, TOUCH_LIMIT_V
from zincsmith.model.reading import Point
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.planning import RATED

MODE_S = 2.0  # from the request to the volts; common practice, no source
NEGOTIATES_S = 3.0  # from plugging in or asking to volts that are measured; common practice, no source
EMPTIES_PERCENT = 10.0
RAMP_PERCENT = (10.0, 25.0, 50.0, 75.0, 100.0)


def draw(ctx: Context, percent: float) -> Steps:
    """Load at every output, each at this share of its rating or at what the part of the plan keeps it at."""
    for port in ctx.outputs:
        share = ctx.share(percent, port)
        level = ctx.level(share, port) if ctx.law != "CC" and share > 0.0 else None
        yield SetLoad(ctx.load_A(share, port), share > 0.0, port, ctx.law, level)


def idle(ctx: Context) -> Steps:
    """The load of every output off."""
    for port in ctx.outputs:
        yield SetLoad(0.0, False, port)


def ramp(ctx: Context, percents: Iterable[float] = RAMP_PERCENT) -> Steps:
    """Up gradually, so that overshoot does not trip the overcurrent protection; a hand turns it up gradually itself."""
    steps = tuple(percents)
    for percent in steps[-1:] if ctx.load_by_hand else steps:
        yield from draw(ctx, percent)
        yield Dwell(1.0, "load climbs")


def at_load(ctx: Context, line: Line, percent: float) -> OperatingPoint:
    """Where the unit stands at a line under a share of its rated load, the output that the part is about first."""
    ports = sorted(ctx.outputs, key=lambda port: port != ctx.about)
    draws = tuple(Draw(s := ctx.share(percent, port), ctx.level(s, port), ctx.law, port) for port in ports)
    modes = tuple((port, mode_now(ctx, port)) for port in ports if can_be_asked(ctx, port))
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), draws, modes, about=ctx.about)


def can_be_asked(ctx: Context, port: str) -> bool:
    """Whether an output gives what it is asked for, or was set to."""
    return bool(ctx.envelope.output(port).modes) or isinstance(ctx.modes.get(port), SetPoint)


def mode_now(ctx: Context, port: str) -> Mode:
    """What a port is asked for by its name, or was set to; that nothing is plugged in, where that is so."""
    if isinstance(set_to := ctx.modes.get(port), SetPoint):
        return set_to
    return UNPLUGGED if ctx.modes.get(port) == UNPLUGGED else ctx.envelope.mode(port).name


def set_ports(ctx: Context) -> tuple[str, ...]:
    """The outputs that are set."""
    return tuple(port for port in ctx.outputs if can_be_set(ctx.envelope.output(port)))


def top_of(ctx: Context, port: str) -> SetPoint:
    """The upper ends of what an output can be set to."""
    output = ctx.envelope.output(port)
    return SetPoint(output.voltage_V, output.current_A)


def asked_ports(ctx: Context) -> tuple[str, ...]:
    """The outputs that are asked for what they give; one that knows one mode is there whoever asks."""
    return tuple(p for p in ctx.outputs if len(ctx.envelope.output(p).modes) > 1)


def ask(ctx: Context) -> Steps:
    """Every port that the part has a mode for is asked for it, or has what asks taken off."""
    for port, mode in ctx.modes.items():
        if port in asked_ports(ctx) or isinstance(mode, SetPoint):
            yield ChooseMode(mode, port)
            yield Dwell(MODE_S, f"{mode} comes up" if mode != UNPLUGGED else "nothing is plugged in there")


def rated(ctx: Context, ports: str) -> Context:
    """The context of a part that takes all ports at what they are rated for."""
    return replace(ctx, modes={**ctx.modes, **strongest_modes(ctx.nameplate)}) if ports == RATED else ctx


def bare(ctx: Context) -> Steps:
    """Nothing plugged in at any of them."""
    for port in asked_ports(ctx):
        yield ChooseMode(UNPLUGGED, port)


def plugged_in(ctx: Context) -> Steps:
    """Each with a sink that asks for its lowest mode."""
    for port in asked_ports(ctx):
        yield ChooseMode(mode_now(replace(ctx, modes={}), port), port)


def everywhere(ctx: Context, quantities: Iterable[str]) -> tuple[str, ...]:
    """The addresses of these quantities: those of an output at every output, the others as they are."""
    found: list[str] = []
    for name in quantities:
        found += [at_port(name, p) for p in ctx.outputs] if QUANTITIES[name].side == "output" else [name]
    return tuple(found)


def read_beside(ctx: Context) -> tuple[str, ...]:
    """What further meters read of what is read already, and nodes inside the unit, by address: as far as anybody reads
    them they are read with every point."""
    further = {"shunt_voltage", *(name for _, name in READ_TWICE)}
    return (*sorted(name for name in ctx.measured if name_of(name) in further), *ctx.nodes_read)


def let_fall(ctx: Context, unread: bool = False) -> Steps:
    """Until no output holds anything any more, each in turn; with ``unread`` those that nobody polls get all the time
    there is."""
    for port, voltage in ctx.volts.items():
        name = at_port("output_voltage", port)
        if unread or name in ctx.polled:
            yield Dwell(2.0, "the output falls", quantity=name, below=0.1 * abs(voltage), at_most_s=120.0)
    for name in ctx.nodes_read:
        if name in ctx.polled:
            yield Dwell(2.0, f"{port_of(name)} falls", quantity=name, below=TOUCH_LIMIT_V, at_most_s=120.0)


def emptied(ctx: Context, hertz: float) -> Steps:
    """The input off, and the unit emptied through a tenth of its load: at no load a bulk capacitor feeds it for
    minutes. Then no load."""
    yield SetSource(0.0, hertz, False)
    yield from draw(ctx, EMPTIES_PERCENT)
    yield from let_fall(ctx)
    yield from idle(ctx)


def watch_outputs(ctx: Context, low: float | None, high: float | None, whose: str, count: int = 2) -> Iterator[Watch]:
    """Watches on the volts of every output that anybody reads; the bounds are shares of its nominal volts."""
    for port, voltage in ctx.volts.items():
        name = at_port("output_voltage", port)
        if name in ctx.measured and ctx.modes.get(port) != UNPLUGGED:
            below, above = (None if share is None else share * voltage for share in (low, high))
            if voltage < 0.0:
                below, above = above, below
            yield Watch(name, below, above, whose, count)


def drawn_ports(point: Point) -> tuple[str, ...]:
    """The outputs that a point states a load for."""
    return tuple(d.port for d in point.at.draws) or ("",)


def output_watts(point: Point, port: str) -> float | None:
    """Volts times amps of an output, None where one of them was not read."""
    read = [point.get(at_port(name, port)) for name in ("output_voltage", "output_current")]
    values = [r.value for r in read if r is not None and r.value is not None]
    return abs(values[0] * values[1]) if len(values) == 2 else None


def outputs_words(ctx: Context) -> str:
    """The outputs as a gate names them: *its 24 V output*, *its outputs +12 V, +5 V*."""
    if len(ctx.outputs) > 1:
        return f"its outputs {', '.join(ctx.outputs)}"
    return f"its {ctx.nameplate.output.voltage_V:g} V output"
