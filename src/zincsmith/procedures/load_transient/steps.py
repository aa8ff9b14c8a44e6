"""Load steps: dip, rise and recovery at steps of the load."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.procedures.intake import Intake
from zincsmith.procedures.load_transient.figures import load_step
from zincsmith.procedures.load_transient.intake import LoadStepRecord
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures, largest
from zincsmith.recorded.result import Analysed

NAME = "load_transient"


class LoadTransient(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Load steps"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "dip, rise and recovery at steps of the load"
    options = LoadTransientOptions
    intakes: tuple[Intake, ...] = (LoadStepRecord(),)

    def work_out(self, traces: Traces, choices: Choices, background: Traces | None) -> Analysed:
        return load_step(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        over = [f for name, f in found.figures.items() if name.endswith(("overshoot", "undershoot"))]
        recovered = [f for name, f in found.figures.items() if name.endswith("recovery_time")]
        return (
            Named("load_step", "Dip or rise at a load step", "V", largest(over), "the largest of all edges"),
            Named("recovery_time", "Transient recovery", "s", largest(recovered), "the longest of all edges"),
        )


SPEC = LoadTransient()
