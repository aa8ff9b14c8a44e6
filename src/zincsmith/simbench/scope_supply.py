"""What the terminals of a bench supply do within milliseconds: set to other volts, switched off, driven through the
corner between the volts and the amps that it holds.

Closed forms of one capacitor, what charges it and what empties it. Times are counted from the event.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.world import Event

Array = NDArray[np.float64]

SET_HZ, SET_PAST = 400.0, 0.008  # of the swing at the end of a way up, and how far it goes past, of the volts
HELD = 0.01  # of the amps: so near to its limit, the limit holds them
FALLS = 0.95  # of the volts: what its limit leaves of them, where it acts


def of_a_supply(unit: BenchSupply, t: Array, event: Event) -> Array | None:
    """None where nothing of this is what happens."""
    if event.kind == "mode":
        return _set(unit, t, event)
    ohm = passes_its_corner(unit, event)
    if not ohm:
        return None
    return _held(unit, t, event, ohm) if event.output_after_V < event.output_before_V else _let_go(unit, t, event, ohm)


def passes_its_corner(unit: BenchSupply, event: Event) -> float:
    """The resistance that is its load afterwards, where a step of the load takes it to its limit, or away from it; zero
    where it does not, or where that is next to a short."""
    if event.kind != "load" or event.amps_after <= 0.0 or event.output_after_V < 0.5:
        return 0.0
    low, high = sorted((event.output_before_V, event.output_after_V))
    falls = event.output_after_V < event.output_before_V
    amps = event.amps_after if falls else event.amps_before
    held = abs(amps - unit.limit_A(low, event.input_after_V)) <= HELD * amps
    return event.output_after_V / event.amps_after if held and low < FALLS * high else 0.0


def _held(unit: BenchSupply, t: Array, event: Event, ohm: float) -> Array:
    """For its lag the volts stand and the load has what it likes; then the capacitor empties over the load to what the
    limit leaves, R C long: v = I R + (V - I R) exp(-t / R C)."""
    since = np.maximum(t - unit.supply.limit_lag_s, 0.0)
    ends, left = event.output_after_V, event.output_before_V - event.output_after_V
    return np.asarray(ends + left * np.exp(-since / (ohm * unit.output.capacitor_F)))


def _let_go(unit: BenchSupply, t: Array, event: Event, ohm: float) -> Array:
    """The limit's amps charge the capacitor and feed the load, v = I R - (I R - V) exp(-t / R C), past what is set for
    as long as its volts loop needs to notice; then load and bleeder empty it until it holds again."""
    supply, farad = unit.supply, unit.output.capacitor_F
    late, amps = np.maximum(t, 0.0), event.amps_before
    ends, aim = event.output_after_V, amps * ohm

    def rises(s: Array) -> Array:
        return np.asarray(aim - (aim - event.output_before_V) * np.exp(-s / (ohm * farad)))

    there_s = ohm * farad * math.log((aim - event.output_before_V) / (aim - ends))
    peak_s = there_s + supply.volts_lag_s
    peak = float(rises(np.array([peak_s]))[0])
    both = ohm * unit.output.bleeder_ohm / (ohm + unit.output.bleeder_ohm)
    falls = np.maximum(ends, peak * np.exp(-np.maximum(late - peak_s, 0.0) / (both * farad)))
    return np.where(late < peak_s, rises(late), falls)


def _set(unit: BenchSupply, t: Array, event: Event) -> Array:
    """An output that its user has set: its capacitor is charged by what its limit leaves of the load, and emptied by
    the load and its bleeder, v(t) = (V + I R) exp(-t / R C) - I R; a swing at the end of the way up."""
    farad, bleeder = unit.output.capacitor_F, unit.output.bleeder_ohm
    late, before, after = np.maximum(t, 0.0), event.output_before_V, event.output_after_V
    if after >= before:
        slope = max(1e-3, unit.limit_A(after, event.input_after_V) - event.amps_after) / farad
        takes_s = (after - before) / slope
        omega = 2.0 * math.pi * SET_HZ
        past = np.maximum(late - takes_s, 0.0)
        ring = SET_PAST * after * np.exp(-0.5 * omega * past) * np.sin(omega * past)
        return np.asarray(before + np.minimum(late * slope, after - before) + ring)
    s = unit.supply
    hump = s.glitch_V * np.sin(math.pi * np.clip(late / s.glitch_s, 0.0, 1.0)) if after == 0.0 else 0.0
    pulled = event.amps_before * bleeder
    fallen = hump + (before + pulled) * np.exp(-late / (bleeder * farad)) - pulled
    return np.asarray(np.maximum(after, fallen))
