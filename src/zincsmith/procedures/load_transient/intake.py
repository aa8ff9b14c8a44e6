"""Records of steps of the load, as a scope saved them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.load_transient.figures import load_step
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.waveforms.intake import WaveformIntake, volts_and_amps
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed


class LoadStepRecord(WaveformIntake):
    """Volts and, better, amps of an output over time."""

    kind = "load-step"
    words = "volts of an output over time while its load steps"
    asks = LoadTransientOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "voltage_V": "output volts", "current_A": "output amps, if recorded",
    }  # fmt: skip
    optional: ClassVar[frozenset[str]] = frozenset({"output_current"})

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return volts_and_amps(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return load_step(traces, choices)
