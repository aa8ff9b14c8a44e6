"""Ports: where a unit takes power in and gives it out. An adapter with one output is the case of one port on each side.

They are read off a nameplate, which stays the record that is stored.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from zincsmith.model.operating_point import Mode, SetPoint
from zincsmith.model.record import Span
from zincsmith.model.unit import InputRating, Nameplate, OutputRating

HARD_RESET = "hard reset"  # likewise: the port starts anew, and stands in its lowest mode once it has
UNPLUGGED = "nothing plugged in"  # in place of a mode: a port that nobody asks gives nothing


def gives_nothing(mode: Mode) -> bool:
    """Whether a port has no volts in this mode: nobody asks for any, or its own switch is off."""
    return mode == UNPLUGGED or (isinstance(mode, SetPoint) and not mode.on)


PortSide = Literal["in", "out"]
PortKind = Literal["ac", "dc"]
Law = Literal["fixed", "adjustable", "programmable"]


@dataclass(frozen=True)
class PortMode:
    """One way a port can work, as the plate states it: volts as a span (equal ends where they are fixed), the amps and
    watts that belong to them, None where nobody printed them."""

    law: Law
    voltage_V: Span
    current_A: float | None = None
    power_W: float | None = None
    frequency_Hz: tuple[float, ...] = ()

    @property
    def name(self) -> str:
        low, high = self.voltage_V
        return f"{high:g} V" if low == high else f"{low:g} to {high:g} V"


@dataclass(frozen=True)
class Port:
    """``name`` is empty where a side has one port that nobody named."""

    name: str
    side: PortSide
    kind: PortKind
    modes: tuple[PortMode, ...]


def ports_of(plate: Nameplate) -> tuple[Port, ...]:
    """Every port of a plate, inputs first, in the order they are printed."""
    return (*(_of_input(one) for one in plate.inputs), *(of_output(one) for one in plate.outputs))


def power_good(plate: Nameplate) -> tuple[str, ...]:
    """The terminals that say whether the outputs are good."""
    return tuple(one.name for one in plate.signals if one.what == "power-good")


def output_ports(plate: Nameplate) -> tuple[str, ...]:
    """The outputs by the names that addresses go by: empty where there is one, so that nobody has to name it."""
    return tuple(one.name for one in plate.outputs) if len(plate.outputs) > 1 else ("",)


def output_volts(plate: Nameplate) -> dict[str, float]:
    """By port what the outputs are rated for, V, always positive; nothing where no output is stated."""
    return {port: abs(one.voltage_V) for port, one in zip(output_ports(plate), plate.outputs, strict=False)}


def _of_input(one: InputRating) -> Port:
    modes = tuple(PortMode("adjustable", r.voltage_V, r.current_A, r.power_W, r.frequency_Hz) for r in one.each_range)
    return Port(one.name, "in", one.type, modes)


def strongest_modes(plate: Nameplate) -> dict[str, str]:
    """By port the mode with the most watts, of those that can work in several."""
    found = {}
    for port, one in zip(output_ports(plate), plate.outputs, strict=False):
        modes = [m for m in of_output(one).modes if m.law == "fixed"]
        if len(modes) > 1:
            found[port] = max(modes, key=lambda m: abs(m.voltage_V[1]) * (m.current_A or 0.0)).name
    return found


def can_be_set(one: OutputRating) -> bool:
    """Whether its user sets the volts of an output, at the unit itself."""
    return one.adjustable_V is not None


def top_set_points(plate: Nameplate) -> dict[str, SetPoint]:
    """By port the upper ends of what an output can be set to: where it stands while nobody asks for anything else."""
    return {
        port: SetPoint(one.voltage_V, one.current_A)
        for port, one in zip(output_ports(plate), plate.outputs, strict=False)
        if can_be_set(one)
    }


def whole_modes(plate: Nameplate) -> dict[str, Mode]:
    """How every output stands while the unit gives all it is rated for: the mode with the most watts, the upper ends of
    what is set."""
    return {**strongest_modes(plate), **top_set_points(plate)}


def setter_of(one: OutputRating) -> str:
    """The role that sets an output: the unit's own interface, else the sink that asks its port."""
    return "unit_interface" if can_be_set(one) else "sink_controller"


def seen_from(plate: Nameplate, port: str, mode: Mode = "") -> Nameplate:
    """What a plate states of one output, in a mode of it: the plate of a unit that has nothing else. The only output of
    a unit, in no mode, is seen as the plate stands."""
    if not port and not mode:
        return plate
    output = next(one for one in plate.outputs if port in ("", one.name))
    chosen = next((m for m in of_output(output).modes if m.name == mode), None)
    if isinstance(mode, SetPoint):
        output = replace(output, voltage_V=mode.voltage_V, modes=(), programmable=(), adjustable_V=None)
    elif chosen is not None:
        current = output.current_A if chosen.current_A is None else chosen.current_A
        output = replace(output, voltage_V=chosen.voltage_V[1], current_A=current, power_W=chosen.power_W, modes=())
    return replace(plate, outputs=(output,), total_power_W=None)


def of_output(one: OutputRating) -> Port:
    """An output with its modes."""
    fixed = tuple(PortMode("fixed", (m.voltage_V, m.voltage_V), m.current_A, m.power_W) for m in one.modes)
    ranges = tuple(PortMode("programmable", p.voltage_V, p.current_A) for p in one.programmable)
    if one.adjustable_V is not None:
        ranges = (PortMode("adjustable", one.adjustable_V, one.current_A, one.power_W), *ranges)
    headline = (PortMode("fixed", (one.voltage_V, one.voltage_V), one.current_A, one.power_W, one.frequency_Hz),)
    return Port(one.name, "out", one.type, fixed + ranges or headline)
