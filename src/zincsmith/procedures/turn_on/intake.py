"""Records of an output and its input as it comes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.turn_on.figures import turn_on_of
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.procedures.waveforms.intake import WaveformIntake, two_voltages
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed


class TurnOnRecord(WaveformIntake):
    """Volts of input and output over time; the input may be missing where its moment is said."""

    kind = "turn-on"
    words = "volts of input and output over time while the input comes"
    asks = TurnOnOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "input_V": "input volts, if recorded", "output_V": "output volts",
        "power_good_V": "the signal that says whether the output is good, if recorded",
    }  # fmt: skip
    optional: ClassVar[frozenset[str]] = frozenset({"input_voltage", "signal_voltage"})

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return two_voltages(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return turn_on_of(traces, choices)
