"""Sweeps of the input at several loads, out of files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from zincsmith.analysis.dropout import lowest_inputs
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.procedures.intake import FigureRequest, Intake
from zincsmith.recorded.result import Analysed, Figure


class InputSweeps(Intake):
    """A row an input: volts in, volts out, amps out, in the order they were taken."""

    kind = "dropout"
    words = "sweeps of the input: the lowest at which the output is still good"
    wanted: ClassVar[Mapping[str, str]] = {
        "input_voltage_V": "input volts", "output_voltage_V": "output volts", "output_current_A": "output amps",
    }  # fmt: skip
    evidence = False

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """By load, numbered from 1 as they rise. InputError for no nominal volts, or no row that is good."""
        volts_in = found.need("input_voltage_V", "V", "--input")
        volts_out, amps = found.need("output_voltage_V", "V", "--output"), found.need("output_current_A", "A", "")
        whole = (volts_in == volts_in) & (volts_out == volts_out) & (amps == amps)
        if asked.nominal_V is None or asked.nominal_V <= 0.0:
            raise InputError("the nominal volts of the output are wanted, such as 12", key="nominal")
        try:
            loads = lowest_inputs(
                volts_in[whole], volts_out[whole], amps[whole], asked.nominal_V, asked.tolerance_percent / 100.0
            )
        except ValueError as error:
            raise InputError(f"{error}", file=str(found.file)) from None
        out = Analysed("dropout")
        ways = set()
        for n, one in enumerate(loads, 1):
            edge = one.falling_V if one.falling_V is not None else one.rising_V
            step = abs(edge - one.not_good_V) if edge is not None and one.not_good_V is not None else None
            u = step / 12.0**0.5 if step is not None else None
            out.figures[f"dropout_input_{n}"] = Figure(edge, "V", u)
            out.figures[f"hysteresis_{n}"] = Figure(one.hysteresis_V, "V")
            out.figures[f"load_{n}"] = Figure(one.load_A, "A")
            ways |= {"falling"} if one.falling_V is not None else set()
            ways |= {"rising"} if one.rising_V is not None else set()
            if edge is None:
                out.doubt(
                    "never_left", f"At {one.load_A:.3g} A the output never leaves its tolerance in these sweeps.",
                    "Go on to a lower input, never above the weakest part.",
                )  # fmt: skip
        out.facts = {"hunting": any(one.hunting for one in loads), "directions": sorted(ways),
                     "tolerance": f"{asked.tolerance_percent:g} %"}  # fmt: skip
        if out.facts["hunting"]:
            out.doubt(
                "hunting", "Below its edge the output comes back at a lower input: it starts, collapses, starts again.",
                "Look at it with a scope; a stiffer source or shorter leads may end it.",
            )  # fmt: skip
        return out
