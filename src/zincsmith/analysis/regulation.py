"""Load effect, source effect and output resistance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def load_regulation(voltage_lowest_load_V: float, voltage_highest_load_V: float, denominator_V: float) -> float:
    """(V at the lowest load - V at the highest) / denominator as a plain ratio; a drop is positive."""
    return (voltage_lowest_load_V - voltage_highest_load_V) / denominator_V


def line_regulation(voltage_high_line_V: float, voltage_low_line_V: float, nominal_V: float) -> float:
    """(V at the highest line - V at the lowest) / nominal as a plain ratio; an output that rises with the line is
    positive. This is what a regulation as printed speaks of."""
    return (voltage_high_line_V - voltage_low_line_V) / nominal_V


def line_slope(voltages_V: NDArray[np.float64], lines_V: NDArray[np.float64]) -> float:
    """Least-squares slope of the output on the input, V/V. Raises ValueError unless the inputs differ."""
    return -output_resistance(voltages_V, lines_V)


def span_at_most(
    voltages_V: NDArray[np.float64], errors_V: NDArray[np.float64], probability: float
) -> tuple[float, float]:
    """(upper end of the one-sided interval of greatest less least, mean bias of choosing the extremes), both in V.

    ``errors_V`` (draws, n) are drawn as the budget declares, JCGM 101. Greatest less least of n readings is more than
    the range they stand for by what chance adds to its ends; the interval is of the two readings that were the extremes
    then, the bias is told beside it.
    """
    most, least = int(np.argmax(voltages_V)), int(np.argmin(voltages_V))
    drawn = voltages_V + errors_V
    observed = float(voltages_V[most] - voltages_V[least])
    chosen = np.max(drawn, axis=1) - np.min(drawn, axis=1)
    return float(np.quantile(drawn[:, most] - drawn[:, least], probability)), float(np.mean(chosen)) - observed


def output_resistance(voltages_V: NDArray[np.float64], currents_A: NDArray[np.float64]) -> float:
    """Minus the least-squares slope of V on I in ohm. Raises ValueError unless the currents differ."""
    spread = currents_A - np.mean(currents_A)
    square = float(np.sum(spread**2))
    if square == 0.0:
        raise ValueError("an output resistance needs at least two different currents")
    return float(-np.sum(spread * voltages_V) / square)


APART = 0.9  # correlation of time and current from which drift and resistance are not told apart


def order_shows_drift(currents_A: NDArray[np.float64], times_s: NDArray[np.float64]) -> bool:
    """Whether the order in which the currents were taken lets a drift with time be told from a resistance."""
    if len(currents_A) < 4 or np.ptp(times_s) == 0.0 or np.ptp(currents_A) == 0.0:
        return False
    return abs(float(np.corrcoef(currents_A, times_s)[0, 1])) < APART


def resistance_and_drift(
    voltages_V: NDArray[np.float64], currents_A: NDArray[np.float64], times_s: NDArray[np.float64]
) -> tuple[float, float]:
    """(minus the slope of V on I in ohm, drift in V/s) fitted together, both by least squares."""
    base = np.stack([np.ones_like(currents_A), -currents_A, times_s - times_s[0]], axis=1)
    fit, *_ = np.linalg.lstsq(base, voltages_V, rcond=None)
    return float(fit[1]), float(fit[2])
