"""A unit with several inputs as a bench feeds it: one of them at a time, with what it gives on that one.

A unit that mains or a battery feeds is characterized on each by a plan of its own; the rig says which: by its source.
"""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.rig import Rig
from zincsmith.model.roles import SOURCES
from zincsmith.model.unit import InputRating, Nameplate, Unit


def fed_input(plate: Nameplate, rig: Rig) -> int:
    """Which of its inputs the rig feeds, by its place: the first that the rig has a source of its kind for, else the
    first."""
    there = (n for n, one in enumerate(plate.inputs) if rig.instrument(SOURCES[one.type]) is not None)
    return next(there, 0)


def as_fed(unit: Unit, rig: Rig) -> Unit:
    """The unit with the input that the rig feeds, rated for what it may give on that; one with one input as it is."""
    if len(unit.nameplate.inputs) < 2:
        return unit
    return replace(unit, nameplate=on_input(unit.nameplate, fed_input(unit.nameplate, rig)))


def on_input(plate: Nameplate, n: int) -> Nameplate:
    """The plate of a unit on one of its inputs."""
    one = plate.inputs[n]
    outputs = tuple(
        replace(
            o,
            current_A=one.output_A.get(o.name, o.current_A),
            power_W=_least(o.power_W, one.output_power_W),
        )
        for o in plate.outputs
    )
    total = _least(plate.total_power_W, one.output_power_W)
    return replace(plate, inputs=(one,), outputs=outputs, total_power_W=total)


def on_each_input(plate: Nameplate) -> tuple[Nameplate, ...]:
    """The plate on each of its inputs; one with one input, or none, as it is."""
    many = len(plate.inputs) > 1
    return tuple(on_input(plate, n) for n in range(len(plate.inputs))) if many else (plate,)


def left_open(plate: Nameplate, rig: Rig) -> tuple[str, ...]:
    """The inputs that the rig does not feed, by name, else by what they are made for."""
    if len(plate.inputs) < 2:
        return ()
    fed = fed_input(plate, rig)
    return tuple(_called(one) for n, one in enumerate(plate.inputs) if n != fed)


def _called(one: InputRating) -> str:
    low, high = one.voltage_V
    return one.name or f"{low:g} to {high:g} V {one.type.upper()}"


def _least(stated: float | None, most: float | None) -> float | None:
    return most if stated is None else min(stated, most) if most is not None else stated
