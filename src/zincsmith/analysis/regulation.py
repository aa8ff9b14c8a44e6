"""Load effect, source effect and output resistance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def load_regulation(voltage_lowest_load_V: float, voltage_highest_load_V: float, denominator_V: float) -> float:
    """(V at the lowest load - V at the highest) / denominator as a plain ratio; a drop is positive."""
    return (voltage_lowest_load_V - voltage_highest_load_V) / denominator_V


def line_regulation(voltages_V: NDArray[np.float64], nominal_V: float) -> float:
    """Greatest less least output over the input range at one load, over nominal, as a plain ratio."""
    return float((np.max(voltages_V) - np.min(voltages_V)) / nominal_V)


def output_resistance(voltages_V: NDArray[np.float64], currents_A: NDArray[np.float64]) -> float:
    """Minus the least-squares slope of V on I in ohm. Raises ValueError unless the currents differ."""
    spread = currents_A - np.mean(currents_A)
    square = float(np.sum(spread**2))
    if square == 0.0:
        raise ValueError("an output resistance needs at least two different currents")
    return float(-np.sum(spread * voltages_V) / square)
