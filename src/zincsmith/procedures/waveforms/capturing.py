"""How procedures ask for captures: what a scope has to be joined to, and settings that several of them share."""

from __future__ import annotations

from zincsmith.model.actions import SetLoad, SetSource, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.model.port import power_good
from zincsmith.procedures.base import Context

LOGIC_SPAN_V = 8.0  # of a signal of 5 V at most; common practice, no source
SUPPLY_SPAN = 1.4  # of what is nominal: from below zero to beyond it


def captured_outputs(ctx: Context) -> tuple[str, ...]:
    """The outputs that a channel of the scope is joined to. InputError where there is none."""
    found = tuple(port for port in ctx.outputs if at_port("output_voltage", port) in ctx.captured)
    if not found:
        raise InputError(
            "no channel of a scope is joined to an output: join one at Rig, or record with whatever is there and take "
            "the file in",
            key="instrument.scope",
        )
    return found


def needs_input(ctx: Context) -> None:
    """InputError where no channel of the scope is on the input."""
    if "input_voltage" not in ctx.captured:
        raise InputError(
            "no channel of the scope is joined to the input (through a differential probe): when it comes or goes "
            "cannot be told without it",
            key="instrument.scope.channel",
        )


def whole_output(ctx: Context, port: str) -> WantedChannel:
    """The volts of an output from below zero to beyond nominal."""
    nominal = ctx.volts[port]
    return WantedChannel(at_port("output_voltage", port), SUPPLY_SPAN * abs(nominal), 0.5 * nominal)


def whole_input(line: Line) -> WantedChannel:
    """The volts of the mains, peak to peak and a fifth beyond."""
    return WantedChannel("input_voltage", 2.0 * 2.0**0.5 * line.voltage_V * 1.2)


def power_good_channel(ctx: Context) -> tuple[WantedChannel, ...]:
    """What says whether the outputs are good, where a channel is joined to it."""
    found = (at_port("signal_voltage", name) for name in power_good(ctx.nameplate))
    return tuple(WantedChannel(one, LOGIC_SPAN_V, 0.4 * LOGIC_SPAN_V) for one in found if one in ctx.captured)[:1]


def drawn_amps(ctx: Context, port: str) -> tuple[WantedChannel, ...]:
    """The amps of an output, where a channel has them."""
    address = at_port("output_current", port)
    if address not in ctx.captured:
        return ()
    rated = ctx.load_A(100.0, port)
    return (WantedChannel(address, 1.5 * rated, 0.5 * rated),)


def load_at(ctx: Context, percent: float, port: str) -> SetLoad:
    """The load at an output, at a share of its rating."""
    return SetLoad(
        ctx.load_A(percent, port), percent > 0.0, port, ctx.law, ctx.level(percent, port) if ctx.law != "CC" else None
    )


def source_at(line: Line, on: bool, phase_deg: float | None = None) -> SetSource:
    return SetSource(line.voltage_V, line.frequency_Hz, on, phase_deg=phase_deg)
