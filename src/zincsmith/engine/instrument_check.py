"""Trying one instrument while nothing is energised: who it is, and what it reads then. Only harmless things."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from zincsmith.bench.bench import reach
from zincsmith.model.answers import Tried
from zincsmith.model.errors import InputError
from zincsmith.model.rig import Rig
from zincsmith.model.roles import MEASURING

READINGS = 20


def check_instrument(rig: Rig, role: str, addresses: Mapping[str, str], enough: Callable[[], bool]) -> Tried:
    """Ask an instrument for its identity, and for readings if it measures; nothing is switched.

    ``enough`` is asked before each reading: somebody may want the bench. InputError when a person plays the role or
    nobody does, InstrumentError when it does not answer.
    """
    one = rig.instrument(role)
    if one is None or one.how == "by hand":
        raise InputError(f"the {role.replace('_', ' ')} is not reached by this computer")
    instrument = reach(one, addresses)
    instrument.link.open()
    try:
        identity = instrument.link.identity
        readings: dict[str, list[float]] = {}
        if role in MEASURING:
            for row in one.accuracy[::-1]:  # the first that is stated counts
                if instrument.can_range(row.quantity):
                    instrument.choose_range(row.quantity, row.range)
            for _ in range(READINGS):
                if enough():
                    break
                for quantity, value in instrument.read().items():
                    readings.setdefault(quantity, []).append(value)
        return Tried(role, identity, {quantity: tuple(values) for quantity, values in readings.items()})
    finally:
        instrument.link.close()
