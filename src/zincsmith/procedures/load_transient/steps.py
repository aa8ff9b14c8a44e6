"""Load steps: dip, rise and recovery at steps of the load."""

from __future__ import annotations

from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.load_transient.intake import LoadStepRecord
from zincsmith.procedures.load_transient.options import LoadTransientOptions

NAME = "load_transient"


class LoadTransient(Procedure):
    """Worked out of records."""

    name = NAME
    title = "Load steps"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "dip, rise and recovery at steps of the load"
    options = LoadTransientOptions
    intakes: tuple[Intake, ...] = (LoadStepRecord(),)


SPEC = LoadTransient()
