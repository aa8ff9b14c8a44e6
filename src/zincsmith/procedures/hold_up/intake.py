"""Records of an output and its input as it goes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.waveforms.intake import WaveformIntake, two_voltages
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed


class HoldUpRecord(WaveformIntake):
    """Volts of input and output over time."""

    kind = "hold-up"
    words = "volts of input and output over time while the input goes"
    asks = HoldUpOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "input_V": "input volts", "output_V": "output volts",
        "power_good_V": "the signal that says whether the output is good, if recorded",
    }  # fmt: skip
    optional: ClassVar[frozenset[str]] = frozenset({"signal_voltage"})

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return two_voltages(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return hold_up_of(traces, choices)
