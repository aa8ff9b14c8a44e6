"""Records of a short."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.short_circuit.figures import collapse_of
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.waveforms.intake import WaveformIntake, volts_and_amps
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed


class ShortRecord(WaveformIntake):
    """Volts and, better, amps of an output over time while it is shorted."""

    kind = "short"
    words = "volts of an output over time while it is shorted"
    asks = ShortCircuitOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "voltage_V": "output volts", "current_A": "output amps, if recorded",
    }  # fmt: skip
    optional: ClassVar[frozenset[str]] = frozenset({"output_current"})

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return volts_and_amps(asked)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return collapse_of(traces, choices)
