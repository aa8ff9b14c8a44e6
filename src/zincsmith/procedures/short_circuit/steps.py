"""Short circuit: how fast the output collapses when it is shorted."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.short_circuit.figures import collapse_of
from zincsmith.procedures.short_circuit.intake import ShortRecord
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures
from zincsmith.recorded.result import Analysed

NAME = "short_circuit"


class ShortCircuit(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Short circuit"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how fast the output collapses when it is shorted"
    options = ShortCircuitOptions
    intakes: tuple[Intake, ...] = (ShortRecord(),)

    def steps(self, ctx: Context) -> Steps:
        """InputError: nothing shorts an output for this program yet."""
        raise InputError("a short is worked out of recorded files so far: no plan carries it out yet")

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return collapse_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        time = found.figures["collapse_time"]
        return (
            Named("short_circuit_time", "Collapse at a short circuit", "s", time, f"to {found.facts['threshold']}"),
        )


SPEC = ShortCircuit()
