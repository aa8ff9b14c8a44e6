"""Copper leads: gauge, resistance, drop and what they may carry."""

from __future__ import annotations

import math

from zincsmith.model.rig import Lead

COPPER_OHM_M = 1.7241e-8  # IACS copper at 20 degC (IEC 60028, value from memory)
COPPER_PER_K = 0.00393
ADIABATIC, INFERRED_K = 226.0, 234.5  # copper: A s^0.5 / mm2, and where its resistance would end (IEC 60949, memory)
PVC_DEGC = 70.0  # what common insulation stands for good (IEC 60227, value from memory)
# In open air and short; 20 A through 14 AWG (9.6 A/mm2) is the very least. Common practice, no source.
MOST_A_PER_MM2 = 10.0
GOOD_A_PER_MM2 = 6.5


def gauge_area(awg: float) -> float:
    """Cross-section in mm2 of a solid wire of a gauge (ASTM B258: d = 0.127 mm x 92^((36 - n) / 39))."""
    diameter: float = 0.127 * 92.0 ** ((36.0 - awg) / 39.0)
    return math.pi / 4.0 * diameter**2


def area_of(lead: Lead) -> float:
    """Cross-section in mm2 of one wire of a lead, whichever way its size is stated."""
    if lead.area_mm2 is not None:
        return lead.area_mm2
    if lead.awg is None:
        raise ValueError("a lead states neither cross-section nor gauge")
    return gauge_area(lead.awg)


def adiabatic_degC(current_A: float, area_mm2: float, seconds: float, from_degC: float = 20.0) -> float:
    """What a copper wire comes to at most, in degC, that carries an rms current for so long and gives no heat away:
    I^2 t = (226 A)^2 ln((234.5 + end) / (234.5 + begin)), A in mm2 (IEC 60949, values from memory)."""
    share = current_A**2 * seconds / (ADIABATIC * area_mm2) ** 2
    return (INFERRED_K + from_degC) * math.exp(min(share, 50.0)) - INFERRED_K


def pair_resistance(length_m: float, area_mm2: float, temperature_degC: float = 20.0) -> float:
    """Resistance in ohm of both wires of a copper lead of one-way length in m and cross-section in mm2."""
    return 2.0 * COPPER_OHM_M * (1.0 + COPPER_PER_K * (temperature_degC - 20.0)) * length_m / (area_mm2 * 1e-6)


def lead_resistance(lead: Lead) -> float:
    """Resistance in ohm of both ways, at the stated temperature, with the contacts."""
    copper = pair_resistance(lead.length_m, area_of(lead) * lead.wires, lead.temperature_degC)
    return copper + lead.contacts * lead.contact_ohm
