"""Resistors as load: the current follows from the volts across them and what they measure while hot."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError
from zincsmith.model.rig import MOST_STEPS, Instrument, Rig

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


def base_steps_ohm(base: Instrument) -> tuple[float, ...]:
    """The steps of a base load, ohm; one for a resistor or a lamp. InputError where nobody said what it is made of."""
    made = base.dummy
    if made is not None and made.steps_W and made.at_V:
        off = made.measured_ohm / bank_ohm(made.steps_W, made.at_V) if made.measured_ohm else 1.0
        return tuple(off * made.at_V**2 / power for power in made.steps_W)
    ohm = (made.measured_ohm or made.nominal_ohm) if made is not None else None
    if ohm is None:
        raise InputError(
            f"say what the {base.name} is made of: its ohm, or its steps", key="instrument.base_load.dummy"
        )
    return (ohm,)


def base_percent(base: Instrument) -> float:
    """The limit of its resistance, percent."""
    made = base.dummy
    return MEASURED_PERCENT if made is None or made.measured_ohm else made.tolerance_percent


def base_most_A(rig: Rig, port: str, voltage: float) -> float:
    """What the base load at a port adds at most; zero where there is none."""
    base = rig.instrument(at_port("base_load", port))
    if base is None or not is_described(base):
        return 0.0
    return sum(abs(voltage) / ohm for ohm in base_steps_ohm(base))


def is_described(base: Instrument) -> bool:
    """Whether somebody has said what a base load is made of."""
    made = base.dummy
    return made is not None and bool((made.steps_W and made.at_V) or made.measured_ohm or made.nominal_ohm)
