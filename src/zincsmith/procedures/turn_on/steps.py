"""Turn-on: delay, rise, overshoot and glitches when the input comes."""

from __future__ import annotations

from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.turn_on.intake import TurnOnRecord
from zincsmith.procedures.turn_on.options import TurnOnOptions

NAME = "turn_on"


class TurnOn(Procedure):
    """Worked out of records."""

    name = NAME
    title = "Turn-on"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "delay, rise, overshoot and glitches when the input comes"
    options = TurnOnOptions
    intakes: tuple[Intake, ...] = (TurnOnRecord(),)


SPEC = TurnOn()
