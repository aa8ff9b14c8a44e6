"""Turn-on: delay, rise, overshoot and glitches when the input comes."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.procedures.intake import Intake
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.turn_on.figures import turn_on_of
from zincsmith.procedures.turn_on.intake import TurnOnRecord
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.procedures.waveform_findings import Named, OfCaptures
from zincsmith.recorded.result import Analysed

NAME = "turn_on"


class TurnOn(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Turn-on"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "delay, rise, overshoot and glitches when the input comes"
    options = TurnOnOptions
    intakes: tuple[Intake, ...] = (TurnOnRecord(),)

    def work_out(self, traces: Traces, choices: Choices, background: Traces | None) -> Analysed:
        return turn_on_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        f = found.figures
        return (
            Named("turn_on_delay", "Turn-on delay", "s", f["delay"], f"to {found.facts['threshold']}"),
            Named("rise_time", "Rise time", "s", f["rise_time"], "10 to 90 % of the level reached"),
            Named("turn_on_overshoot", "Overshoot at turn-on", "1", f["overshoot"], "of the level reached"),
            Named("turn_on_minimum", "Lowest volts at turn-on", "V", f["minimum"]),
        )


SPEC = TurnOn()
