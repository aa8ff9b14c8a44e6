"""Short circuit: how fast the output collapses when it is shorted."""

from __future__ import annotations

from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.short_circuit.intake import ShortRecord
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions

NAME = "short_circuit"


class ShortCircuit(Procedure):
    """Worked out of records."""

    name = NAME
    title = "Short circuit"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how fast the output collapses when it is shorted"
    options = ShortCircuitOptions
    intakes: tuple[Intake, ...] = (ShortRecord(),)


SPEC = ShortCircuit()
