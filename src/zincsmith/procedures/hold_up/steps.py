"""Hold-up: how long the output lasts when the input goes."""

from __future__ import annotations

from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.hold_up.intake import HoldUpRecord
from zincsmith.procedures.hold_up.options import HoldUpOptions

NAME = "hold_up"


class HoldUp(Procedure):
    """Worked out of records."""

    name = NAME
    title = "Hold-up"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how long the output lasts when the input goes"
    options = HoldUpOptions
    intakes: tuple[Intake, ...] = (HoldUpRecord(),)


SPEC = HoldUp()
