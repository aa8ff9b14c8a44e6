"""What a scope sees at one of several outputs: each follows the bus it is made of, with its own delay and capacitor.

Closed forms, as those of the bus are.
"""

from __future__ import annotations

import math

import numpy as np

from zincsmith.simbench.scope import Array, answer_to, coming, hold_up_s, pick_up, ripple, slew_s
from zincsmith.simbench.units.rails import Rail
from zincsmith.simbench.world import Event, World


def rail_volts(world: World, t: Array, event: Event | None, ground: str, port: str) -> Array:
    """Volts of one output, with what rides on them."""
    level = _level(world, t, event, _rail(world, port))
    nominal = abs(_rail(world, port).voltage_V)
    riding = ripple(world, t, ground) * np.clip(np.abs(level) / nominal, 0.0, 1.0)
    return np.asarray(level + riding + pick_up(world, t, ground))


def rail_amps(world: World, t: Array, event: Event | None, port: str) -> Array:
    """What the load at one output draws."""
    amps = world.output_of(port)[1]
    if event is None:
        return np.full(len(t), amps)
    before, after = event.rails_before[port][1], event.rails_after[port][1]
    if event.kind == "load":
        share = np.clip(t / slew_s(world, event), 0.0, 1.0)
        return np.asarray(before + (after - before) * share)
    level = np.abs(_level(world, t, event, _rail(world, port)))
    return np.asarray(max(before, after) * np.clip(level, 0.0, 1.0))


def _rail(world: World, port: str) -> Rail:
    rails = world.unit.rails
    return next(r for r in (rails.rails if rails is not None else ()) if r.name == port)


def _level(world: World, t: Array, event: Event | None, rail: Rail) -> Array:
    if event is None:
        return np.full(len(t), world.output_of(rail.name)[0])
    (before_V, before_A), (after_V, after_A) = event.rails_before[rail.name], event.rails_after[rail.name]
    if event.kind == "load":
        own = answer_to(world, t, event, after_A - before_A)
        rest = sum(a[1] - event.rails_before[n][1] for n, a in event.rails_after.items() if n != rail.name)
        sign = math.copysign(1.0, rail.voltage_V)
        swing = own + rail.coupled * answer_to(world, t, event, rest)
        return np.asarray(np.where(t < 0.0, before_V, after_V) + sign * swing)
    if event.input_after_V > event.input_before_V:
        bus = world.unit.regulated_V(event.input_after_V, event.amps_after, world.unit.core_degC)
        settled = after_V or rail.voltage_V
        return np.asarray(settled * coming(world, t - rail.comes_after_s, event) / bus)
    slope = max(before_A, 1e-4) / rail.capacitor_F
    left = abs(before_V) - slope * np.maximum(0.0, t - hold_up_s(world, event))
    return np.asarray(math.copysign(1.0, before_V) * np.maximum(0.0, left))
