"""What a scope sees of outputs that alternate: their volts, what a load takes, what their input carries of it.

Closed forms: a period of the shape, its size after a step of the load along an exponential; a rectifier takes half
cosines about the crests; an input that stores little carries 1 - cos 2wt of the watts.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zincsmith.simbench.motor import Motor, Start, start
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.world import Event, World

Array = NDArray[np.float64]

OUTLET_V, OUTLET_HZ = 231.0, 49.98
OUTLET_ORDERS = {3: 0.006, 5: 0.024, 7: 0.012, 11: 0.004}  # rectifiers of the street draw at its crests


def alternating(world: World, t: Array, event: Event | None) -> Array:
    """A wall outlet, or an output that alternates with what its switching leaves on it."""
    if world.at_outlet:
        x = 2.0 * math.pi * (OUTLET_HZ * t + _start(world))
        orders = sum(share * np.sin(n * x + (math.pi if n % 4 == 3 else 0.0)) for n, share in OUTLET_ORDERS.items())
        return np.asarray(math.sqrt(2.0) * OUTLET_V * (np.sin(x) + orders))
    unit = world.unit
    if not isinstance(unit, Inverter) or not unit.frequency_Hz:
        return np.zeros(len(t))
    shape = unit.shape()
    at = (t * unit.frequency_Hz + _start(world)) % 1.0 * len(shape)
    volts = np.interp(at, np.arange(len(shape) + 1), [*shape, shape[0]])
    a = unit.alternating
    hiss = math.sqrt(2.0) * a.hiss_V * np.sin(2.0 * math.pi * a.hiss_Hz * t)
    if world.motor is not None:
        begun = _begun(world.motor, unit, t)
        return np.asarray((volts + hiss) * begun.share)
    return np.asarray(volts * _size(unit, t, event) + hiss)


def _begun(motor: Motor, unit: Inverter, t: Array) -> Start:
    a = unit.alternating
    return start(motor, unit.output.voltage_V, a.behind_ohm, a.surge_W, t)


def _start(world: World) -> float:
    """Where in its period a record begins, as a share of it: the same for all channels."""
    return float(np.random.default_rng([world.seed, world.epoch, 11]).uniform())


def _size(unit: Inverter, t: Array, event: Event | None) -> Array:
    """Of its volts as they stand now: what they were before a step, and how far they go past it."""
    if event is None or event.kind != "load" or not unit.output_V:
        return np.ones(len(t))
    a = unit.alternating
    share = (event.amps_after - event.amps_before) / unit.output.limit_A
    late = np.exp(-np.maximum(t, 0.0) / a.step_s)
    return np.asarray(np.where(t < 0.0, event.output_before_V / unit.output_V, 1.0 - a.step_share * share * late))


def alternating_amps(world: World, t: Array, event: Event | None) -> Array:
    """Of a resistance they go with the volts; of a supply they are half cosines about the crests."""
    unit = world.unit
    if not isinstance(unit, Inverter) or not unit.frequency_Hz:
        return np.zeros(len(t))
    if world.rectifier_W:
        return _pulses(world, unit, t)
    if world.motor is not None:
        begun = _begun(world.motor, unit, t)
        x = (t * unit.frequency_Hz + _start(world)) * 2.0 * math.pi
        return np.asarray(math.sqrt(2.0) * begun.amps * np.sin(x - begun.lag))
    now = unit.current_A
    if event is not None and event.kind == "load":
        drawn = np.where(t < 0.0, event.amps_before, event.amps_after)
    else:
        drawn = np.full(len(t), now)
    return np.asarray(drawn * alternating(world, t, event) / unit.output_V)


def pulse_A(watts: float, first_V: float, share: float) -> float:
    """The top of half cosines, each as long as this share of half a period, that draw so many watts of a sine of this
    amplitude: P = (2/pi) Vp Ip times the integral of cos(x) cos(pi x / 2 h) over 0 to h, h in rad of half a pulse."""
    h = 0.5 * math.pi * share
    k = math.pi / (2.0 * h)
    integral = k * math.cos(h) / (k * k - 1.0)
    return watts * math.pi / (2.0 * first_V * integral)


def _pulses(world: World, unit: Inverter, t: Array) -> Array:
    x = (t * unit.frequency_Hz + _start(world)) * 2.0 * math.pi
    near = (x - 0.5 * math.pi + 0.5 * math.pi) % math.pi - 0.5 * math.pi  # from the nearest crest
    share = world.rectifier_share
    top = pulse_A(world.rectifier_W, math.sqrt(2.0) * unit.output_V / math.sqrt(1.0 + unit.thd**2), share)
    h = 0.5 * math.pi * share
    size = np.where(np.abs(near) < h, np.cos(0.5 * math.pi * near / h), 0.0)
    return np.asarray(np.sign(np.sin(x)) * top * size)


def twice(unit: Inverter, t: Array) -> Array:
    """What a unit draws of its input, over its mean."""
    share = unit.alternating.input_ripple
    return np.asarray(1.0 - share * np.cos(4.0 * math.pi * unit.frequency_Hz * t))
