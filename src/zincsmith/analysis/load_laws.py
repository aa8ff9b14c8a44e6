"""What a load is set to so that it takes a current at a voltage, by its law, and what it then takes at another."""

from __future__ import annotations

from zincsmith.model.operating_point import LoadLaw


def level_of(law: LoadLaw, voltage_V: float, current_A: float) -> float | None:
    """The setting, in the unit of the law (A, ohm, V, W), at which a load takes ``current_A`` from ``voltage_V``; None
    where no setting does: no resistance takes nothing."""
    voltage = abs(voltage_V)
    if law == "CC":
        return current_A
    if law == "CV":
        return voltage
    if current_A <= 0.0:
        return None
    return voltage / current_A if law == "CR" else voltage * current_A


def current_of(law: LoadLaw, level: float, voltage_V: float) -> float | None:
    """The current in A that a load set so takes at ``voltage_V``; None where its law does not say: one that holds the
    volts takes what there is."""
    voltage = abs(voltage_V)
    if law == "CC":
        return level
    if law == "CV" or voltage == 0.0:
        return None
    return voltage / level if law == "CR" else level / voltage
