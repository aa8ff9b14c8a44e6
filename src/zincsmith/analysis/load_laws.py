"""What a load is set to so that it takes a current at a voltage, by its law, and what it then takes at another."""

from __future__ import annotations

from zincsmith.model.operating_point import LoadLaw


def level_of(law: LoadLaw, voltage_V: float, current_A: float) -> float | None:
    """The setting, in the unit of the law (A, ohm, V, W), at which a load takes ``current_A`` from ``voltage_V``; None
    where no setting does: no resistance takes nothing."""
    volts = abs(voltage_V)
    if law == "CC":
        return current_A
    if law == "CV":
        return volts
    if current_A <= 0.0:
        return None
    return volts / current_A if law == "CR" else volts * current_A


def current_of(law: LoadLaw, level: float, voltage_V: float) -> float | None:
    """The current in A that a load set so takes at ``voltage_V``; None where its law does not say: one that holds the
    volts takes what there is."""
    volts = abs(voltage_V)
    if law == "CC":
        return level
    if law == "CV" or volts == 0.0:
        return None
    return volts / level if law == "CR" else level / volts
