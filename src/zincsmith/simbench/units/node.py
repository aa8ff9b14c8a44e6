"""The volts at the switch of the converter, as a probe at its node sees them, or one that is held near it.

Closed forms: on, the switch drops what its resistance makes of the current; off, the bulk volts, those that the
secondary reflects, and a ring of the leakage that dies. The duty is that at which the volt-seconds of both balance.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zincsmith.simbench.world import Event, World

Array = NDArray[np.float64]

ON_OHM, RING_S = 0.5, 0.6e-6
SPIKE_A, SPIKE_S = 0.3, 60e-9  # of the winding's capacitance, as the switch closes
RINGS_AT_START = 1.8  # times the ring of the steady state
SATURATED = 0.2  # of the inductance is left
NEAR_HZ, NEAR_SHARE = 2e6, 2e-3  # what a probe without contact lets through, and how much of it
PACKET, WORKS = 40, 0.25  # cycles from packet to packet at light load, and the share of them that it works
SKIPS, SWAYS = 0.08, 0.02  # of the cycles skipped; of the period, to and fro


def node_volts(world: World, t: Array, ground: str, event: Event | None = None) -> Array:
    """Volts of the switch against the minus of the bulk capacitor; ``ground`` NEAR: without contact."""
    unit = world.unit
    off = abs(unit.output_V) < 0.5 or world.input_V <= 0.0
    volts = np.full(len(t), unit.bulk_V) if off else _switched(world, t)
    if event is not None and event.kind == "input" and event.input_after_V > event.input_before_V and not off:
        volts = _starting(world, t)
    if ground != "NEAR":
        return volts
    step_s = float(t[1] - t[0]) if len(t) > 1 else 1e-9
    return _high_passed(volts, step_s) * NEAR_SHARE


def _starting(world: World, t: Array) -> Array:
    """The bulk volts until it begins; then, until it is up, with the current at its limit and a ring to match."""
    unit, s = world.unit, world.unit.start
    up_s = s.delay_s + (s.soft_start_s or 2e-3)
    hard = _switched(world, t, RINGS_AT_START)
    running = np.where(t < up_s, hard, _switched(world, t))
    return np.asarray(np.where(t < s.delay_s, unit.bulk_V * (t >= 0.0), running))


def _switched(world: World, t: Array, harder: float = 1.0) -> Array:
    unit, s = world.unit, world.unit.switch
    begins = cycles(world, float(t[0]), float(t[-1]))
    since = t - begins[np.searchsorted(begins, t, side="right") - 1]
    bulk = unit.bulk_V
    on_s = _on_s(world)
    late = np.maximum(since - on_s, 0.0)
    ring = harder * s.leakage_share * s.reflected_V * np.exp(-late / RING_S) * np.sin(2.0 * np.pi * s.leakage_Hz * late)
    return np.asarray(np.where(since < on_s, ON_OHM * _ramp(world, since / on_s), bulk + s.reflected_V + ring))


def node_amps(world: World, t: Array) -> Array:
    """Amps of the switch: a ramp while it is on, with the charge of the winding's own capacitance at its begin."""
    unit = world.unit
    if abs(unit.output_V) < 0.5 or world.input_V <= 0.0:
        return np.zeros(len(t))
    begins = cycles(world, float(t[0]), float(t[-1]))
    since = t - begins[np.searchsorted(begins, t, side="right") - 1]
    on_s = _on_s(world)
    spike = SPIKE_A * np.exp(-since / SPIKE_S)
    return np.asarray(np.where(since < on_s, _ramp(world, since / on_s) + spike, 0.0))


def _on_s(world: World) -> float:
    reflected = world.unit.switch.reflected_V
    return reflected / (reflected + world.unit.bulk_V) / world.unit.ripple.switching_Hz


def _ramp(world: World, share: Array) -> Array:
    """From what is left to twice that, of the mean that the power asks for; steeper beyond where the core saturates."""
    unit = world.unit
    duty = _on_s(world) * unit.ripple.switching_Hz
    first = unit.output_V * max(0.1, unit.current_A) / (unit.bulk_V * 1.5 * duty)
    straight = first * (1.0 + share)
    beyond = np.maximum(straight - unit.switch.saturates_A, 0.0)
    return np.asarray(straight + (1.0 / SATURATED - 1.0) * beyond)


def cycles(world: World, first_s: float, last_s: float) -> Array:
    """When each cycle begins, from before the first moment to beyond the last: even, to and fro, with some left out, or
    in packets where the load is light."""
    unit, s = world.unit, world.unit.switch
    period = 1.0 / unit.ripple.switching_Hz
    dice = np.random.default_rng([world.seed, world.epoch, 11])
    count = math.ceil((last_s - first_s) / period) + 4
    lengths = period * (1.0 + s.jitter * dice.standard_normal(count))
    if s.pattern == "alternating":
        lengths *= 1.0 + SWAYS * np.where(np.arange(count) % 2 == 0, 1.0, -1.0)
    begins = first_s - 2.0 * period + np.concatenate([[0.0], np.cumsum(lengths)])
    kept = np.ones(len(begins), dtype=bool)
    if s.pattern == "skipping":
        kept = dice.random(len(begins)) > SKIPS
    if unit.output_V * unit.current_A < unit.burst.below_W:
        kept = np.arange(len(begins)) % PACKET < WORKS * PACKET
    kept[0] = True
    return np.asarray(begins[kept])


def _high_passed(volts: Array, step_s: float) -> Array:
    """What a small capacitor lets through of it: first order, as far as its answer reaches."""
    share = 1.0 - math.exp(-2.0 * math.pi * NEAR_HZ * step_s)
    taps = max(1, math.ceil(-16.0 / math.log1p(-share)))
    answer = share * (1.0 - share) ** np.arange(taps)
    before = np.full(taps - 1, volts[0])
    return np.asarray(volts - np.convolve(np.concatenate([before, volts]), answer / answer.sum(), mode="valid"))
