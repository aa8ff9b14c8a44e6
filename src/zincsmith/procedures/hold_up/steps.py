"""Hold-up: how long the output lasts when the input goes."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.hold_up.intake import HoldUpRecord
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures
from zincsmith.recorded.result import Analysed

NAME = "hold_up"


class HoldUp(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Hold-up"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how long the output lasts when the input goes"
    options = HoldUpOptions
    intakes: tuple[Intake, ...] = (HoldUpRecord(),)

    def work_out(self, traces: Traces, choices: Choices, background: Traces | None) -> Analysed:
        return hold_up_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        return (Named("hold_up", "Hold-up", "s", found.figures["hold_up_time"], f"to {found.facts['threshold']}"),)


SPEC = HoldUp()
