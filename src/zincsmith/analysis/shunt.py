"""A shunt with a voltmeter across it as an ammeter: what it takes, how it heats itself, what it drops."""

from __future__ import annotations

from zincsmith.model.rig import Shunt


def power_W(shunt: Shunt, current: float) -> float:
    """I^2 R."""
    return current**2 * shunt.ohm


def drop_V(shunt: Shunt, current: float) -> float:
    """I R: what it takes from whatever stands behind it."""
    return current * shunt.ohm


def heating_percent(shunt: Shunt, current: float) -> float:
    """By how much its resistance may have risen by what it dissipates, percent: a limit, linear in the watts."""
    return shunt.ppm_per_W * power_W(shunt, current) / 1e4
