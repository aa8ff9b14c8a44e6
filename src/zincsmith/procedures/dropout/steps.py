"""Dropout: how low the input may go."""

from __future__ import annotations

from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Context, Procedure, Steps
from zincsmith.procedures.dropout.intake import InputSweeps
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.intake import Intake

NAME = "dropout"


class Dropout(Procedure):
    """Worked out of recorded sweeps."""

    name = NAME
    title = "Dropout"
    version = 1
    needs: tuple[str, ...] = ("voltmeter",)
    serves = "the lowest input at which the output is still good, by load"
    options = DropoutOptions
    intakes: tuple[Intake, ...] = (InputSweeps(),)

    def steps(self, ctx: Context) -> Steps:
        """InputError: nothing sweeps an input for this program yet."""
        raise InputError("dropout is worked out of recorded sweeps so far: no plan carries it out yet")


SPEC = Dropout()
