"""How a record that a scope saved is taken in: one way for every kind."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.procedures.intake import FigureRequest, Intake
from zincsmith.procedures.traces import Choices, Traces, traces_of
from zincsmith.recorded.result import Analysed


class WaveformIntake(Intake):
    """A kind of record over time. ``optional`` are the quantities that may be missing."""

    optional: ClassVar[frozenset[str]] = frozenset()
    evidence = False

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        """By quantity the heads it may have, its unit, and the option that names another."""
        raise NotImplementedError

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        """The figures of such a record."""
        raise NotImplementedError

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Figures of the file alone."""
        traces = traces_of(found, asked, self.heads(asked), set(self.optional))
        try:
            return self.work_out(traces, choices_of(asked))
        except InputError as error:
            raise error if error.file else InputError(error.message, file=str(found.file), key=error.key) from None


def choices_of(asked: FigureRequest) -> Choices:
    """What was said about a file, where schools differ."""
    return Choices(
        asked.nominal_V, asked.threshold, asked.band, asked.about, asked.start_s, asked.line_Hz, asked.bandwidth_Hz
    )


def volts_and_amps(asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
    """Of one output."""
    return {
        "output_voltage": ((asked.voltage, "output_V", "output_voltage_V"), "V", "--voltage"),
        "output_current": ((asked.current, "output_current_A", "load_current_A"), "A", "--current"),
    }


def two_voltages(asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
    """Of input and output."""
    return {
        "output_voltage": ((asked.output, "output_voltage_V"), "V", "--output"),
        "input_voltage": ((asked.input, "input_voltage_V"), "V", "--input"),
    }
