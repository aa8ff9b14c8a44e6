"""The stand-in oscilloscope: what the output looks like within microseconds, quantized as an 8-bit scope shows it."""

from __future__ import annotations

import math
import random

from zincsmith.simbench.world import World

LEVELS = 256
DIVISIONS = 8
BANDWIDTH_HZ = 20e6


def output_wave(world: World, times_s: list[float], long_lead: bool = False) -> list[float]:
    """Output volts at moments counted from now: DC, mains and switching ripple, load response, spikes, noise."""
    unit, r = world.unit, world.unit.ripple
    if unit.state != "running":
        return [unit.output_V] * len(times_s)
    esr = r.esr_ohm * unit.ageing.esr_factor
    farad = unit.output.capacitor_F * unit.ageing.capacity_share
    share = 0.3 + 0.7 * min(1.0, unit.current_A / unit.output.limit_A)
    bulk_peak = math.sqrt(2.0) * world.input_V
    mains = r.mains_rejection * max(0.0, bulk_peak - unit.intake.bulk_min_V) if unit.intake.bulk_min_V else 0.0
    began, step = world.last_step
    dice = random.Random(f"scope {world.seed} {world.epoch} {world.time_s}")
    wave = []
    for t in times_s:
        phase = (t * r.switching_Hz) % 1.0
        triangle = abs(2.0 * phase - 1.0) * 2.0 - 1.0
        volts = 0.5 * share * r.current_A * esr * triangle
        volts += share * r.current_A / (8.0 * r.switching_Hz * farad) * math.sin(2.0 * math.pi * phase)
        volts += mains * math.sin(2.0 * math.pi * 2.0 * world.input_Hz * t)
        volts += dip(world, world.time_s + t - began, step)
        if phase < 2e-7 * r.switching_Hz:
            volts += r.spike_V * (6.0 if long_lead else 1.0)
        wave.append(unit.output_V + volts + dice.gauss(0.0, r.noise_V))
    return wave


def dip(world: World, since_s: float, step_A: float) -> float:
    """What is left of the answer to a load step: a damped second-order swing."""
    a = world.unit.response
    if step_A == 0.0 or since_s < 0.0:
        return 0.0
    omega = 2.0 * math.pi * a.natural_Hz
    damped = omega * math.sqrt(1.0 - a.damping**2)
    return -step_A * a.dip_ohm * math.exp(-a.damping * omega * since_s) * math.sin(damped * since_s)


def quantized(wave: list[float], scale_V: float, offset_V: float) -> list[int]:
    """Codes of an 8-bit converter over DIVISIONS of ``scale_V``; clipped at its ends."""
    step = DIVISIONS * scale_V / LEVELS
    return [max(-128, min(127, round((v - offset_V) / step))) for v in wave]
