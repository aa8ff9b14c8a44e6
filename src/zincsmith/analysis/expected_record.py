"""A record of the input as the nameplate lets expect it, for what a rig can decide about harmonics."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

CONDUCTION = 0.155  # of each half period: a block of current so long has the power factor of the expectation
SAMPLES_A_PERIOD, PERIODS = 200, 10
DIRECT_S = 0.2


def expected_record(
    input_V: float, frequency_Hz: float, amps: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """(volts, amps, step in s) over ten periods: a sine, and a current that flows around its crests only, for so long
    that its power factor is the one of the expectation. Of direct current nothing but that, for a fifth of a second."""
    count = SAMPLES_A_PERIOD * PERIODS
    if not frequency_Hz:
        return np.full(count, input_V), np.full(count, amps), DIRECT_S / count
    phase = 2.0 * np.pi * (np.arange(count) + 0.5) / SAMPLES_A_PERIOD
    voltage = np.sqrt(2.0) * input_V * np.sin(phase)
    flows = np.abs(np.sin(phase)) > np.cos(0.5 * np.pi * CONDUCTION)
    current = np.where(flows, np.sign(np.sin(phase)), 0.0)
    rms = float(np.sqrt(np.mean(current**2)))
    return voltage, current * (amps / rms), 1.0 / (frequency_Hz * SAMPLES_A_PERIOD)
