"""What the terminals of the unit do within microseconds: ripple, the answer to a load step, coming up, going away.

Closed forms throughout, drawn by NumPy; nothing here knows how any of it is judged. Times are counted from the event
that the record is about: a change of the load, the input that comes or goes.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincsmith.simbench.scope_alternating import alternating, alternating_amps, twice
from zincsmith.simbench.scope_supply import of_a_supply, passes_its_corner
from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.units.dcdc import DcStage
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.world import SHORT_OHM, SWITCH_EDGE_S, SWITCH_RATE_OFF, Event, World

Array = NDArray[np.float64]
Codes = NDArray[np.int8]

LEVELS = 256  # of the converter
FULL_HZ = 200e6  # what the front end passes without its limit
EDGE_S = 2e-7  # how long a spike at an edge lasts
BURST_RATIO = 0.25  # of a packet of light load that it works
HUM_V, STATION_HZ, STATION_V = 0.4e-3, 1.04e6, 0.25e-3  # what a probe picks up in this room, unit on or off
LOOKED_UP, AT_ONCE = 16_385, 262_144  # places of a period; samples worked on together
SLOW, SLOWLY = 512, 1e-3  # every so many samples is enough of what moves by less than this share of a period
SHORTED = 0.3  # of the volts before: what a load step leaves no less than
OPEN_S = ((0.9e-3, 2.1e-3), (2.6e-3, 3.1e-3))  # after the first make, while a contact bounces
OF_LOAD = ("load", "pulses", "mode")
AT_TERMINAL_S = 20e-6  # time constant of what is at the terminal of power-good
OVERSHOOT = 0.015  # of the volts, when it comes up without a load


def output_volts(world: World, t: Array, event: Event | None, ground: str = "SPR") -> Array:
    """Volts of the output, with everything that rides on them; with the tip at its ground what the lead alone adds."""
    if world.tip_at_ground:
        on = abs(world.unit.output_V) > 0.5
        added = ripple(world, t, ground) - ripple(world, t, "SPR") if on else np.zeros(len(t))
        return np.asarray(added + pick_up(world, t, ground))
    if isinstance(world.unit, Inverter) or world.at_outlet:
        return alternating(world, t, event) + pick_up(world, t, ground)
    volts = _level(world, t, event)
    if event is None:  # it stands
        return (ripple(world, t, ground) if abs(volts[0]) > 0.5 else 0.0) + volts + pick_up(world, t, ground)
    riding = ripple(world, t, ground) * np.clip(volts / world.unit.output.voltage_V, 0.0, 1.0)
    return np.asarray(volts + riding + pick_up(world, t, ground))


def _level(world: World, t: Array, event: Event | None) -> Array:
    unit = world.unit
    if event is None:
        return np.full(len(t), unit.output_V)
    if event.kind == "pulses":
        return _pulsed(world, t, event)
    if isinstance(unit, BenchSupply) and (drawn := of_a_supply(unit, t, event)) is not None:
        return drawn
    if event.kind == "dip":
        return _dipped(world, t, event)
    if event.kind == "load":
        if event.output_after_V < SHORTED * event.output_before_V:
            return _collapsing(world, t, event)
        level = np.where(t < 0.0, event.output_before_V, event.output_after_V)
        return np.asarray(level + _answer(world, t, event))
    return coming(world, t, event) if event.input_after_V > event.input_before_V else going(world, t, event)


def _dipped(world: World, t: Array, event: Event) -> Array:
    """The line away for a while: nothing shows where what is left of it, or the bulk capacitor, carries the output;
    else it falls as if the line were gone, and comes up once it is back."""
    if event.input_after_V >= world.unit.start.stop_V or hold_up_s(world, event) >= event.dip_s:
        return np.full(len(t), event.output_before_V)
    back = replace(event, input_after_V=event.input_before_V, input_before_V=0.0)
    fallen = going(world, t, event)
    return np.asarray(np.where(t < event.dip_s, fallen, np.maximum(fallen, coming(world, t - event.dip_s, back))))


# Ripple


def ripple(world: World, t: Array, ground: str) -> Array:
    """Switching current through capacitor and ESR, spikes at the edges of each period; what the regulator leaves of the
    bulk ripple; at light load in packets."""
    unit, r = world.unit, world.unit.ripple
    if isinstance(unit, BenchSupply) and unit.holds == "CC" and unit.current_A:  # Ohm's law on what is its load
        sine = 0.5 * unit.supply.cc_noise_A * np.sin(4.0 * math.pi * world.input_Hz * t)
        return np.asarray(sine * unit.output_V / unit.current_A)
    dice = np.random.default_rng([world.seed, world.epoch, 3])
    volts = _looked_up(_period(world, ground), t, r.switching_Hz, dice.uniform())
    if unit.output_V * unit.current_A < unit.burst.below_W:
        volts *= (t / (40.0 / r.switching_Hz) + dice.uniform()) % 1.0 < BURST_RATIO
    peak = math.sqrt(2.0) * world.input_V
    if unit.intake.bulk_min_V and not unit.correcting:
        height = r.mains_rejection * max(0.0, peak - unit.intake.bulk_min_V)
        saw = np.linspace(0.0, 1.0, LOOKED_UP)
        table = height * np.where(saw < 0.2, saw / 0.2 - 0.5, 0.5 - (saw - 0.2) / 0.8)
        volts += _looked_up(table, t, 2.0 * world.input_Hz, dice.uniform())
    return volts


def _period(world: World, ground: str) -> Array:
    """One period of the switching: a triangular current through the ESR, its charge in the capacitor, a ring that dies
    within each spike; a long lead to the ground of the probe makes an antenna of it."""
    unit, r = world.unit, world.unit.ripple
    esr = r.esr_ohm * unit.ageing.esr_factor
    farad = unit.output.capacitor_F * unit.ageing.capacity_share
    share = 0.3 + 0.7 * min(1.0, unit.current_A / unit.output.limit_A)
    phase = np.linspace(0.0, 1.0, LOOKED_UP)
    rising = phase < 0.5
    swing = np.where(rising, 4.0 * phase - 1.0, 3.0 - 4.0 * phase)  # of the current, -1 to 1
    charge = np.where(rising, 2.0 * phase * (2.0 * phase - 1.0), (2.0 * phase - 1.0) * (2.0 - 2.0 * phase))
    volts = 0.5 * share * r.current_A * esr * swing + share * r.current_A / (4.0 * r.switching_Hz * farad) * charge
    since = (phase % 0.5) / r.switching_Hz
    size = r.spike_V * {"LONG": 6.0, "COAX": 0.6}.get(ground, 1.0)
    spike = size * np.exp(-since / (EDGE_S / 4.0)) * np.cos(2.0 * np.pi * 25e6 * since)
    return np.asarray(volts + np.where(since < EDGE_S, spike, 0.0))


def _looked_up(table: Array, t: Array, hertz: float, start: float) -> Array:
    """A period at each of some times, the nearest of its places; ``start`` is where in it time zero stands."""
    if len(t) > AT_ONCE and (t[SLOW] - t[0]) * hertz < SLOWLY:  # between places so near to each other: a straight line
        nodes = np.append(t[::SLOW], t[-1])
        return np.asarray(np.interp(t, nodes, _looked_up(table, nodes, hertz, start)))
    out = np.empty(len(t))
    for begin in range(0, len(t), AT_ONCE):  # so little that it stays near the processor
        at = t[begin : begin + AT_ONCE] * hertz
        at += start
        at -= np.floor(at)
        at *= len(table) - 1
        out[begin : begin + AT_ONCE] = table[at.astype(np.int32)]
    return out


def pick_up(world: World, t: Array, ground: str) -> Array:
    """Hum, a station, and whatever else is in the room; by how the ground is made, whether the unit is on or not."""
    size = {"LONG": 5.0, "COAX": 0.4}.get(ground, 1.0)
    dice = np.random.default_rng([world.seed, world.epoch, 7])
    sine = size * np.sin(np.linspace(0.0, 2.0 * math.pi, LOOKED_UP))
    found = _looked_up(HUM_V * sine, t, 50.0, dice.uniform())
    found += _looked_up(STATION_V * sine, t, STATION_HZ, dice.uniform())
    return found


# The answer to a step of the load


def _answer(world: World, t: Array, event: Event) -> Array:
    return answer_to(world, t, event, event.amps_after - event.amps_before)


def answer_to(world: World, t: Array, event: Event, step_A: float) -> Array:
    """A damped second-order swing, the mean of those that begin while the current still slews."""
    slewed = slew_s(world, event)
    late = np.maximum(t, 0.0)
    mean = (_swung(world, late) - _swung(world, np.maximum(t - slewed, 0.0))) / slewed
    return np.asarray(np.where(t > 0.0, -step_A * mean, 0.0))


def _collapsing(world: World, t: Array, event: Event) -> Array:
    """The output capacitor through the short and its leads: exp(-t / R C)."""
    left = event.output_before_V - event.output_after_V
    fallen = np.exp(-np.maximum(t, 0.0) / collapse_s(world))
    return np.asarray(event.output_after_V + left * fallen)


def collapse_s(world: World) -> float:
    """Its time constant."""
    unit = world.unit
    esr = unit.ripple.esr_ohm * unit.ageing.esr_factor
    return (SHORT_OHM + world.lead_ohm + esr) * unit.output.capacitor_F * unit.ageing.capacity_share


def _pulsed(world: World, t: Array, event: Event) -> Array:
    """The level of an open and a closed switch, and the answers to every edge that is not forgotten yet."""
    level = event.output_before_V + (event.output_after_V - event.output_before_V) * closed_share(world, t, event)
    way = -(event.amps_after - event.amps_before)
    slewed = slew_s(world, event)
    for at_s, closes in edges(world, float(t[0]), float(t[-1])):
        late = np.maximum(t - at_s, 0.0)
        mean = (_swung(world, late) - _swung(world, np.maximum(t - at_s - slewed, 0.0))) / slewed
        level = level + np.where(t > at_s, (way if closes else -way) * mean, 0.0)
    return np.asarray(level)


FORGOTTEN_PERIODS = 3


def edges(world: World, first_s: float, last_s: float) -> list[tuple[float, bool]]:
    """(s, closes) of a load switch that closed at time zero, with those of the periods just before."""
    load = world.load
    period = 1.0 / (load.pulses_Hz * (1.0 + SWITCH_RATE_OFF))
    found = []
    for n in range(math.floor(first_s / period) - FORGOTTEN_PERIODS, math.ceil(last_s / period) + 1):
        found += [(n * period, True), ((n + load.pulses_duty) * period, False)]
    return found


def closed_share(world: World, t: Array, event: Event) -> Array:
    """How far the current of a load switch has come, 0 to 1."""
    slewed, share = slew_s(world, event), np.zeros(len(t))
    for at_s, closes in edges(world, float(t[0]), float(t[-1])):
        ramp = np.clip((t - at_s) / slewed, 0.0, 1.0)
        share = share + (ramp if closes else -ramp)
    return np.asarray(np.clip(share - round(float(share.min())), 0.0, 1.0))


def _swung(world: World, t: Array) -> Array:
    """The integral of the unit swing from zero: closed form of that of exp(-a t) sin(w t)."""
    r = world.unit.response
    omega = 2.0 * math.pi * r.natural_Hz
    a, w = r.damping * omega, omega * math.sqrt(1.0 - r.damping**2)
    decayed = np.exp(-a * t) * (a * np.sin(w * t) + w * np.cos(w * t))
    return np.asarray(r.dip_ohm * (w - decayed) / (a * a + w * w))


def dip(world: World, since_s: float, step_A: float) -> float:
    """What is left of the answer to a step that took no time."""
    a = world.unit.response
    if step_A == 0.0 or since_s < 0.0:
        return 0.0
    omega = 2.0 * math.pi * a.natural_Hz
    damped = omega * math.sqrt(1.0 - a.damping**2)
    return -step_A * a.dip_ohm * math.exp(-a.damping * omega * since_s) * math.sin(damped * since_s)


def slew_s(world: World, event: Event) -> float:
    """How long the current takes: the load's own slew, or what the volts allow through the leads' inductance."""
    change = abs(event.amps_after - event.amps_before)
    if event.kind == "pulses":  # its leads are short and twisted
        return SWITCH_EDGE_S
    by_leads = world.lead_H * change / max(1.0, 0.5 * world.unit.output.voltage_V)
    return max(change / world.load_slew_A_per_s, by_leads, 1e-9)


def output_amps(world: World, t: Array, event: Event | None) -> Array:
    """What the load draws."""
    if isinstance(world.unit, Inverter):
        return alternating_amps(world, t, event)
    if event is not None and event.kind == "pulses":
        step = event.amps_after - event.amps_before
        return np.asarray(event.amps_before + step * closed_share(world, t, event))
    unit = world.unit
    if event is not None and isinstance(unit, BenchSupply) and (ohm := passes_its_corner(unit, event)):
        return np.asarray(np.where(t < 0.0, event.amps_before, _level(world, t, event) / ohm))
    if event is None or event.kind != "load":
        volts = _level(world, t, event)
        now = world.unit.current_A if event is None else event.amps_before
        return np.asarray(now * np.clip(np.abs(volts), 0.0, 1.0))
    if event.output_after_V < SHORTED * event.output_before_V:  # what the capacitor gives, and what the unit does
        given = (event.output_before_V - event.output_after_V) / (collapse_s(world) / world.unit.output.capacitor_F)
        fallen = np.exp(-np.maximum(t, 0.0) / collapse_s(world))
        return np.asarray(np.where(t < 0.0, event.amps_before, event.amps_after + given * fallen))
    share = np.clip(t / slew_s(world, event), 0.0, 1.0)
    return np.asarray(event.amps_before + (event.amps_after - event.amps_before) * share)


# The input that comes or goes


def input_volts(world: World, t: Array, event: Event | None) -> Array:
    """Volts of the mains as they come, stand or go; when they go the X capacitor keeps what it had, and its bleeder and
    what reads its volts empty it."""
    if event is None or event.kind in OF_LOAD:
        return _fed(world.input_V, world.input_Hz, t, 0.3)
    if event.kind == "dip":
        fed = _fed(1.0, event.input_Hz, t, event.phase)
        return fed * np.where((t >= 0.0) & (t < event.dip_s), event.input_after_V, event.input_before_V)
    if event.input_after_V > event.input_before_V:
        made = np.where(t >= 0.0, _fed(event.input_after_V, event.input_Hz, t, event.phase), 0.0)
        for begins_s, ends_s in OPEN_S if world.bounces else ():
            made = np.where((t >= begins_s) & (t < ends_s), 0.0, made)
        return made
    running = _fed(event.input_before_V, event.input_Hz, t, event.phase)
    left = float(_fed(event.input_before_V, event.input_Hz, np.zeros(1), event.phase)[0])
    mains = world.unit.mains
    bleeds_ohm = 1.0 / (1.0 / mains.bleeder_ohm + 1.0 / world.across_pins_ohm)
    keeps_s = max(1e-4, bleeds_ohm * mains.x_capacitor_F)
    return np.where(t < 0.0, running, left * np.exp(-np.maximum(t, 0.0) / keeps_s))


def _fed(rms: float, hertz: float, t: Array, phase: float) -> Array:
    """A sine, or direct current."""
    if not hertz:
        return np.full(len(t), rms)
    return np.asarray(math.sqrt(2.0) * rms * np.sin(2.0 * np.pi * hertz * t + phase))


def coming(world: World, t: Array, event: Event) -> Array:
    """Nothing, then a soft start to the volts it regulates, and a small swing past them."""
    unit, s = world.unit, world.unit.start
    if event.input_after_V < s.start_V:
        return np.zeros(len(t))
    rise_s = s.soft_start_s or 2e-3
    since = t - s.delay_s
    climb = np.clip(since / rise_s, 0.0, 1.0)
    past = np.maximum(since - rise_s, 0.0)
    omega = 2.0 * math.pi * unit.response.natural_Hz * 0.2
    light = 1.0 - 0.8 * min(1.0, event.amps_after / max(1e-9, unit.output.limit_A))
    ring = OVERSHOOT * light * np.exp(-unit.response.damping * omega * past) * np.sin(omega * past)
    final = unit.regulated_V(event.input_after_V, event.amps_after, unit.core_degC)
    return np.asarray(final * (climb + np.where(since > rise_s, ring, 0.0)))


def hold_up_s(world: World, event: Event, lowest_V: float = 0.0) -> float:
    """From the removal to where the output lets go, or the bulk volts are down to ``lowest_V`` where that is sooner:
    what the bulk capacitor held at that phase, over what is drawn from it. C (V1^2 - V2^2) / (2 P)."""
    unit = world.unit
    drawn = event.output_before_V * event.amps_before
    converter = drawn + unit.loss_W(event.input_before_V, event.amps_before, unit.core_degC)
    peak = unit.crest_V(event.input_before_V)
    if event.correcting or not event.input_Hz:
        bulk = unit.corrector.bulk_V if event.correcting else peak
    else:  # since the last crest it has fed the converter alone
        since_crest = ((event.phase - math.pi / 2.0) % math.pi) / (2.0 * math.pi * event.input_Hz)
        bulk = math.sqrt(max(0.0, peak**2 - 2.0 * converter * since_crest / unit.mains.bulk_F))
        bulk = max(bulk, abs(math.sin(event.phase)) * peak)
    lowest = max(lowest_V, unit.crest_V(unit.start.stop_V))
    return max(0.0, unit.mains.bulk_F * (bulk**2 - lowest**2) / (2.0 * max(0.05, converter)))


def going(world: World, t: Array, event: Event) -> Array:
    """It regulates as long as the bulk capacitor lasts; then the load empties the output capacitor."""
    unit = world.unit
    farad = unit.output.capacitor_F * unit.ageing.capacity_share
    lasts = hold_up_s(world, event)
    slope = max(event.amps_before, event.output_before_V / unit.output.bleeder_ohm) / farad
    return np.asarray(np.maximum(0.0, event.output_before_V - slope * np.maximum(0.0, t - lasts)))


def power_good_volts(world: World, t: Array, event: Event | None) -> Array:
    """The terminal that says whether the outputs are good: high so long after the last of them is up, low once the bulk
    capacitor has come down so far, each through the resistor and capacitor at it."""
    unit, pg = world.unit, world.unit.power_good
    if event is None or event.kind in OF_LOAD:
        return np.full(len(t), pg.level_V if abs(unit.output_V) > 0.5 else 0.0)
    if event.input_after_V > event.input_before_V:
        rails = unit.rails.rails if unit.rails is not None else ()
        last_s = max((r.comes_after_s for r in rails), default=0.0)
        comes_s = unit.start.delay_s + (unit.start.soft_start_s or 2e-3) + last_s + pg.delay_s
        level = pg.level_V * (event.input_after_V >= unit.start.start_V)
        return np.asarray(level * (1.0 - np.exp(-np.maximum(t - comes_s, 0.0) / AT_TERMINAL_S)))
    stood = pg.level_V * (abs(event.output_before_V) > 0.5)
    return np.asarray(stood * np.exp(-np.maximum(t - hold_up_s(world, event, pg.bulk_V), 0.0) / AT_TERMINAL_S))


def reflected(world: World, unit: DcStage, t: Array) -> Array:
    """What rides on the amps of an input of direct current: the switch takes pulses, or the inductor its triangle, off
    the input capacitor; its volts, over the inductance of source and leads, are what comes from there. By integration
    over one period, twice, each time less its mean."""
    stage, hertz = unit.stage, unit.ripple.switching_Hz
    phase = np.linspace(0.0, 1.0, LOOKED_UP)
    mean = unit.intake.current_A
    if stage.steps == "down":
        duty = min(1.0, max(0.02, abs(unit.output_V) / world.input_V))
        taken = np.where(phase < duty, mean / duty, 0.0)
    else:
        taken = mean + 0.5 * unit.ripple.current_A * np.where(phase < 0.5, 4.0 * phase - 1.0, 3.0 - 4.0 * phase)
    step_s = (phase[1] - phase[0]) / hertz
    riding = taken
    for divisor in (-stage.input_F, -stage.source_H):
        riding = riding - float(np.mean(riding[:-1]))
        riding = np.concatenate([[0.0], np.cumsum(0.5 * (riding[1:] + riding[:-1]))]) * step_s / divisor
    dice = np.random.default_rng([world.seed, world.epoch, 17])
    return _looked_up(np.asarray(riding - float(np.mean(riding[:-1]))), t, hertz, dice.uniform())


def input_amps(world: World, t: Array, event: Event | None) -> Array:
    """The inrush into an empty bulk capacitor through bridge, wiring and thermistor, by steps of the same circuit; else
    what is drawn, as the power meter sees it."""
    if event is None or event.kind in OF_LOAD or event.input_after_V <= event.input_before_V:
        unit = world.unit
        if isinstance(unit, Inverter) and world.input_V > 0.0:
            return np.asarray(unit.intake.current_A * twice(unit, t))
        if isinstance(unit, DcStage) and world.input_V > 0.0 and (event is None or event.kind in OF_LOAD):
            return np.asarray(unit.intake.current_A + reflected(world, unit, t))
        drawn = world.unit.input_current_wave(world.input_V, world.input_Hz or 50.0, list(t[:: max(1, len(t) // 4000)]))
        amps = np.interp(t, t[:: max(1, len(t) // 4000)], drawn)
        return np.asarray(amps if event is None or event.kind in OF_LOAD else np.where(t < 0.0, amps, 0.0))
    unit = world.unit
    ohm = unit.inrush.cold_ohm if event.cold else unit.inrush.hot_ohm
    ohm += unit.inrush.source_ohm + unit.mains.series_ohm
    dt = 2e-6
    times = np.arange(0.0, max(0.02, min(0.2, float(t[-1]))), dt)
    driving = np.abs(_fed(event.input_after_V, event.input_Hz, times, event.phase)) - 2.0 * unit.mains.diode_V
    sign = np.sign(_fed(event.input_after_V, event.input_Hz, times, event.phase))
    charged, current = 0.0, np.zeros(len(times))
    for k, volts in enumerate(driving):
        now = (volts - charged) / ohm
        if now > 0.0:
            current[k] = now
            charged += now * dt / unit.mains.bulk_F
    return np.asarray(np.interp(t, times, sign * current, left=0.0, right=0.0))


# The front end


def codes_of(values: Array, span: float, centre: float, rate_Hz: float, bandwidth_Hz: float, dice: Any) -> Codes:
    """An 8-bit converter over ``span``, behind a first-order front end and its noise; clipped at its ends."""
    if bandwidth_Hz < 0.1 * rate_Hz:  # what is faster changes nothing that samples so far apart show
        values = _limited(values, rate_Hz, bandwidth_Hz)
    out = np.empty(len(values), dtype=np.int8)
    for begin in range(0, len(values), AT_ONCE):
        piece = (values[begin : begin + AT_ONCE] - centre) * (LEVELS / span)
        piece += dice.standard_normal(len(piece), dtype=np.float32) * 0.6
        out[begin : begin + AT_ONCE] = np.clip(np.rint(piece), -LEVELS // 2, LEVELS // 2 - 1)
    return out


def _limited(values: Array, rate_Hz: float, bandwidth_Hz: float) -> Array:
    """A first-order low-pass by its own answer to an impulse, as long as anything of it is left."""
    share = 1.0 - math.exp(-2.0 * math.pi * bandwidth_Hz / rate_Hz)
    taps = max(1, math.ceil(-16.0 / math.log1p(-share)))
    answer = share * (1.0 - share) ** np.arange(taps)
    before = np.full(taps - 1, values[0])
    return np.asarray(np.convolve(np.concatenate([before, values]), answer / answer.sum(), mode="valid"))
