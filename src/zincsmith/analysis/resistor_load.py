"""Resistors as load: the current follows from the volts across them and what they measure while hot."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from zincsmith.model.rig import MOST_STEPS

MEASURED_PERCENT = 1.0  # a resistance measured hot with a handheld meter; common practice, no source


def current_A(voltage_V: float, resistance_ohm: float) -> float:
    """V / R. Raises ValueError for a resistance that is none."""
    if resistance_ohm <= 0.0:
        raise ValueError("a resistance is above zero")
    return voltage_V / resistance_ohm


def bank_steps(steps_W: Sequence[float], at_V: float, output_V: float, wanted_A: float) -> tuple[float, ...]:
    """Which steps of a bank, each marked for its watts at ``at_V``, together draw most nearly ``wanted_A`` at
    ``output_V``; the fewest of equally near ones, the largest first. None of them when nothing is wanted.

    Raises ValueError for a bank of more steps than can be tried.
    """
    if len(steps_W) > MOST_STEPS:
        raise ValueError(f"a bank has {MOST_STEPS} steps at most, not {len(steps_W)}")
    # Power goes with the square of the volts, so the current of a step goes with the volts.
    wanted_W = wanted_A * at_V**2 / output_V
    tried = (c for n in range(len(steps_W) + 1) for c in combinations(sorted(steps_W, reverse=True), n))
    return min(tried, key=lambda c: (round(abs(sum(c) - wanted_W), 9), len(c)))


def bank_ohm(steps_W: Sequence[float], at_V: float) -> float:
    """The resistance of some steps of a bank together. Raises ValueError where none is switched on."""
    if not sum(steps_W) > 0.0:
        raise ValueError("no step of the bank is switched on")
    return at_V**2 / sum(steps_W)
