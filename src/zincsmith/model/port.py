"""Ports: where a unit takes power in and gives it out. An adapter with one output is the case of one port on each side.

They are read off a nameplate, which stays the record that is stored.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.model.record import Span
from zincsmith.model.unit import InputRating, Nameplate, OutputRating

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
    return (*(_of_input(one) for one in plate.inputs), *(_of_output(one) for one in plate.outputs))


def _of_input(one: InputRating) -> Port:
    modes = tuple(PortMode("adjustable", r.voltage_V, r.current_A, r.power_W, r.frequency_Hz) for r in one.each_range)
    return Port(one.name, "in", one.type, modes)


def _of_output(one: OutputRating) -> Port:
    fixed = tuple(PortMode("fixed", (m.voltage_V, m.voltage_V), m.current_A, m.power_W) for m in one.modes)
    ranges = tuple(PortMode("programmable", p.voltage_V, p.current_A) for p in one.programmable)
    if one.adjustable_V is not None:
        ranges = (PortMode("adjustable", one.adjustable_V, one.current_A, one.power_W), *ranges)
    headline = (PortMode("fixed", (one.voltage_V, one.voltage_V), one.current_A, one.power_W, one.frequency_Hz),)
    return Port(one.name, "out", one.type, fixed + ranges or headline)
