"""Logs of an overload."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.overcurrent.figures import protection_figures
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.waveforms.intake import WaveformIntake, volts_and_amps
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed


class OverloadLog(WaveformIntake):
    """Volts and amps of an output over time while more is asked of it than it is rated for."""

    kind = "protection"
    words = "volts and amps of an output over time while it is overloaded"
    asks = OvercurrentOptions
    wanted: ClassVar[Mapping[str, str]] = {
        "time_s": "time", "voltage_V": "output volts", "current_A": "output amps",
        "load_set_A": "what the load was set to, if recorded", "input_power_W": "input watts, if recorded",
        "temperature_degC": "a temperature, if recorded", "input_voltage_V": "input volts, if recorded",
    }  # fmt: skip
    optional: ClassVar[frozenset[str]] = frozenset({"load_set", "input_power", "case_temperature", "input_voltage"})
    tells = ("time_s", "voltage_V", "current_A", "load_set_A")

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        return {
            **volts_and_amps(asked),
            "load_set": (("load_set_A", "set_current_A"), "A", ""),
            "input_power": (("input_power_W", "power_W"), "W", ""),
            "input_voltage": (("input_voltage_V",), "V", ""),
            "case_temperature": (("temperature_degC", "case_temperature_degC"), "degC", ""),
        }

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        return protection_figures(traces, choices)
