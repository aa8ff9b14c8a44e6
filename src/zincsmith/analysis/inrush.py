"""The current that rushes in when the input comes: its peak, and what it heats a fuse with until it has died down."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import crossing, noise_of, stretches

Array = NDArray[np.float64]

DIES_AT = 0.1  # of its peak: the pulse ends there
BRIEF = 0.1  # of the length of the pulse: shorter ones before it are of the X capacitors
CLEAR = 6.0  # times the noise


@dataclass(frozen=True)
class Inrush:
    """``peak_A`` without sign, ``squares_A2s`` the integral of its square over the first pulse, ``time_s`` how long it
    lasts, ``begin_s`` from the first sample; ``spike_A`` what the X capacitors took before it, None where nothing."""

    peak_A: float
    squares_A2s: float
    time_s: float
    begin_s: float
    spike_A: float | None


def inrush_of(amps: Array, step_s: float) -> Inrush | None:
    """The first pulse of a record (n,): of the stretches above a tenth of the largest current the one that heats most,
    up to where it falls below a tenth of its own peak. None where nothing is clear of the noise."""
    size = np.abs(amps)
    largest = float(np.max(size))
    if largest <= CLEAR * max(noise_of(amps), 1e-12):
        return None
    pulses = stretches(size > DIES_AT * largest)
    begin, end = max(pulses, key=lambda one: float(np.sum(size[one[0] : one[1]] ** 2)))
    before = [one for one in pulses if one[1] <= begin and one[1] - one[0] < BRIEF * (end - begin)]
    peak = float(np.max(size[begin:end]))
    top = begin + int(np.argmax(size[begin:end]))
    below = np.flatnonzero(size[top:] < DIES_AT * peak)
    last = top + int(below[0]) if len(below) else len(size)
    dies = crossing(size, last, DIES_AT * peak) if len(below) else float(len(size) - 1)
    starts = crossing(size, begin, DIES_AT * largest)
    # By straight lines between samples; the ends are where the level is passed.
    inner = np.arange(int(np.ceil(starts)), int(np.floor(dies)) + 1)
    at = np.concatenate([[starts], inner, [dies]])
    values = np.interp(at, np.arange(len(size)), size)
    gaps = np.diff(at)
    squares = float(np.sum(gaps * (values[:-1] ** 2 + values[:-1] * values[1:] + values[1:] ** 2) / 3.0)) * step_s
    spike = max((float(np.max(size[a:b])) for a, b in before), default=None)
    return Inrush(peak, squares, (dies - starts) * step_s, starts * step_s, spike)
