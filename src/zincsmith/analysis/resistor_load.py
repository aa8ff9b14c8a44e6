"""A resistor as load: the current follows from the volts across it and what it measures while hot."""

from __future__ import annotations

MEASURED_PERCENT = 1.0  # a resistance measured hot with a handheld meter; common practice, no source


def current_A(voltage_V: float, resistance_ohm: float) -> float:
    """V / R. Raises ValueError for a resistance that is none."""
    if resistance_ohm <= 0.0:
        raise ValueError("a resistance is above nought")
    return voltage_V / resistance_ohm
