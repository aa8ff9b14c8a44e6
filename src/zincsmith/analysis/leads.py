"""Lead resistance and drop."""

from __future__ import annotations

COPPER_OHM_M = 1.7241e-8  # IACS copper at 20 degC (IEC 60028, value from memory)
COPPER_PER_K = 0.00393


def pair_resistance(length_m: float, area_mm2: float, temperature_degC: float = 20.0) -> float:
    """Resistance in ohm of both wires of a copper lead of one-way length in m and cross-section in mm2."""
    return 2.0 * COPPER_OHM_M * (1.0 + COPPER_PER_K * (temperature_degC - 20.0)) * length_m / (area_mm2 * 1e-6)
