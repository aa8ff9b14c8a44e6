"""Thermal soak: how warm spots get in the end."""

from __future__ import annotations

from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Context, Procedure, Steps
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.thermal_soak.intake import Temperatures
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions

NAME = "thermal_soak"


class ThermalSoak(Procedure):
    """Worked out of recorded temperatures."""

    name = NAME
    title = "Thermal soak"
    version = 1
    needs: tuple[str, ...] = ("thermometer",)
    serves = "final temperatures, rise over the room, time constants"
    options = ThermalSoakOptions
    intakes: tuple[Intake, ...] = (Temperatures(),)

    def steps(self, ctx: Context) -> Steps:
        """InputError: no plan soaks a unit yet."""
        raise InputError("a thermal soak is worked out of recorded temperatures so far: no plan carries it out yet")


SPEC = ThermalSoak()
