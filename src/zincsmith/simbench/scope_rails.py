"""What a scope sees at one of several outputs: each follows the bus it is made of, with its own delay and capacitor.

Closed forms, as those of the bus are.
"""

from __future__ import annotations

import math

import numpy as np

from zincsmith.simbench.scope import Array, answer_to, coming, hold_up_s, pick_up, ripple, slew_s
from zincsmith.simbench.units.rails import Ports, Rail
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
    if event.kind == "mode":
        return np.asarray(np.where(t < 0.0, before, after))
    if event.kind == "load":
        share = np.clip(t / slew_s(world, event), 0.0, 1.0)
        return np.asarray(before + (after - before) * share)
    level = np.abs(_level(world, t, event, _rail(world, port)))
    return np.asarray(max(before, after) * np.clip(level, 0.0, 1.0))


def _asked(world: World, t: Array, event: Event, rail: Rail) -> Array:
    """A port that is asked for something else; one beside it that is told anew because somebody came or went: it
    stands at its lowest mode for a while. A port that starts anew empties, stays empty, and comes to its lowest."""
    rails = world.unit.rails
    before, after = event.rails_before[rail.name][0], event.rails_after[rail.name][0]
    since = t - rail.mode_delay_s
    if not isinstance(rails, Ports) or before == after:
        return np.full(len(t), after)
    if rail.name == event.reset:
        lowest = rails.modes_of(rail.name)[0] * (1.0 + rail.setpoint_error_percent / 100.0)
        back = since - rails.shared.reset_s
        return np.asarray(np.where(back < 0.0, _gone_to(rail, since, before, 0.0), _gone_to(rail, back, 0.0, lowest)))
    there = _gone_to(rail, since, before, after)
    if rail.name in event.asking:
        return there
    back = since - rails.shared.tells_s
    return np.asarray(np.where(back < 0.0, there, _gone_to(rail, back, after, before)))


def _gone_to(rail: Rail, t: Array, before: float, after: float) -> Array:
    """From one voltage to another: a straight slope and a swing at its end; to nothing by R C of its discharge."""
    late = np.maximum(t, 0.0)
    if after == 0.0:
        return np.asarray(before * np.exp(-late / (rail.discharge_ohm * rail.capacitor_F)))
    way = after - before
    takes_s = abs(way) / rail.mode_V_per_s
    past = np.maximum(late - takes_s, 0.0)
    omega = 2.0 * math.pi * rail.mode_Hz
    ring = rail.mode_past * way * np.exp(-0.3 * omega * past) * np.sin(omega * past) * (late > takes_s)
    return np.asarray(before + way * np.minimum(late / takes_s, 1.0) + ring)


def _rail(world: World, port: str) -> Rail:
    rails = world.unit.rails
    return next(r for r in (rails.rails if rails is not None else ()) if r.name == port)


def _level(world: World, t: Array, event: Event | None, rail: Rail) -> Array:
    if event is None:
        return np.full(len(t), world.output_of(rail.name)[0])
    (before_V, before_A), (after_V, after_A) = event.rails_before[rail.name], event.rails_after[rail.name]
    if event.kind == "mode":
        return _asked(world, t, event, rail)
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
