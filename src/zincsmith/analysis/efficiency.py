"""Efficiency and loss from real input power."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Number = TypeVar("Number", float, NDArray[np.float64])


def efficiency(input_power_W: Number, output_voltage_V: Number, output_current_A: Number) -> Number:
    """P / Pin as a plain ratio; the input power must be real power, not volts times amps."""
    return output_voltage_V * output_current_A / input_power_W


def loss(input_power_W: Number, output_voltage_V: Number, output_current_A: Number) -> Number:
    """Pin - P in W."""
    return input_power_W - output_voltage_V * output_current_A


def average_active_efficiency(
    input_power_W: NDArray[np.float64], output_voltage_V: NDArray[np.float64], output_current_A: NDArray[np.float64]
) -> float:
    """Mean of the ratios at 100, 75, 50 and 25 % load (10 CFR 430 subpart B appendix Z, from memory)."""
    return float(np.mean(efficiency(input_power_W, output_voltage_V, output_current_A)))
