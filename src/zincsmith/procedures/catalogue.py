"""The procedures that ship with the program, by name."""

from __future__ import annotations

from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Procedure
from zincsmith.procedures.bring_up import BringUp
from zincsmith.procedures.display_accuracy import DisplayAccuracy
from zincsmith.procedures.hands_in import HandsIn
from zincsmith.procedures.harmonics import Harmonics
from zincsmith.procedures.power_factor import PowerFactorRegimes
from zincsmith.procedures.rig_check import RigCheck
from zincsmith.procedures.safety_checks import SafetyChecks
from zincsmith.procedures.standby import StandbyPower
from zincsmith.procedures.static_grid import StaticGrid

SHIPPED: tuple[Procedure, ...] = (
    SafetyChecks(),
    RigCheck(),
    BringUp(),
    StaticGrid(),
    PowerFactorRegimes(),
    DisplayAccuracy(),
    Harmonics(),
    StandbyPower(),
    HandsIn(),
)


def procedure(name: str) -> Procedure:
    """One by name; InputError when there is none."""
    for one in SHIPPED:
        if one.name == name:
            return one
    raise InputError(f"there is no procedure {name!r}; there are: {', '.join(p.name for p in SHIPPED)}")
