"""Records of the volts at an output, as a scope saved them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.formats.columns import Columns
from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.ripple.figures import ripple_figures
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.waveforms.intake import WaveformIntake, volts
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.joined import columns_of
from zincsmith.recorded.result import Analysed


class RippleRecord(WaveformIntake):
    """Volts over time; a second record of the background may be named."""

    kind = "ripple"
    words = "volts of an output over time: ripple and noise"
    asks = RippleOptions
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "voltage_V": "output volts"}

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return volts(asked)

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """With the background, where one is named."""
        quiet = [asked.background] if asked.background else []
        backgrounds = [self._traces(columns_of([one], asked.time), asked) for one in quiet]
        return ripple_figures(self._traces(found, asked), self._asked(asked), backgrounds)

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return ripple_figures(traces, choices, ())
