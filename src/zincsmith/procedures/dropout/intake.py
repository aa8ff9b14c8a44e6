"""Sweeps of the input at several loads, out of files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.dropout import loads_of, lowest_inputs, ways_of
from zincsmith.formats.columns import Columns
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.procedures.dropout.figures import NOMINAL, TOLERANCE
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt
from zincsmith.recorded.file_point import FilePoint, Value
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]


class InputSweeps(Intake):
    """A row an input: volts in, volts out, amps out, in the order they were taken."""

    kind = "dropout"
    words = "sweeps of the input: the lowest at which the output is still good"
    wanted: ClassVar[Mapping[str, str]] = {
        "input_voltage_V": "input volts", "output_voltage_V": "output volts", "output_current_A": "output amps",
    }  # fmt: skip
    tells = ("input_voltage_V", "output_voltage_V", "output_current_A")

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """A point a row, at the load that it belongs to. InputError where no row is good, or the plate states no
        output."""
        options = DropoutOptions()
        output = at.unit.nameplate.output
        nominal, rated = abs(output.voltage_V), output.current_A
        volts_in, volts_out, amps = self._rows(found)
        good = np.abs(np.abs(volts_out) - nominal) <= options.tolerance_percent / 100.0 * nominal
        if not good.any():
            raise InputError(
                f"no row has its output within ±{options.tolerance_percent:g} % of {nominal:g} V", file=str(found.file)
            )
        loads = loads_of(np.abs(amps), good)
        hertz = asked.line.frequency_Hz if asked.line is not None else None
        points = []
        for load in range(int(loads.max()) + 1):
            rows = np.flatnonzero(loads == load)
            share = round(100.0 * float(np.median(np.abs(amps)[rows][good[rows]])) / rated, 1)
            for row, way in zip(rows.tolist(), ways_of(volts_in[rows]).tolist(), strict=True):
                where = OperatingPoint(
                    (Feed(float(volts_in[row]), hertz),), (Draw(share),),
                    step=Purpose.FALLING if way < 0.0 else Purpose.RISING,
                    stated=((TOLERANCE, options.tolerance_percent), (NOMINAL, nominal)),
                )  # fmt: skip
                values = {
                    name: Value(float(column[row]), f"{found.file.name}, row {row + 1}", row=row)
                    for name, column in (
                        ("input_voltage", volts_in), ("output_voltage", volts_out), ("output_current", amps),
                    )
                }  # fmt: skip
                points.append(FilePoint(where, values))
        return Taken(points, options)

    def _rows(self, found: Columns) -> tuple[Array, Array, Array]:
        """Volts in, volts out and amps of the rows that are whole."""
        volts_in = found.need("input_voltage_V", "V", "--input")
        volts_out, amps = found.need("output_voltage_V", "V", "--output"), found.need("output_current_A", "A", "")
        whole = (volts_in == volts_in) & (volts_out == volts_out) & (amps == amps)
        return volts_in[whole], volts_out[whole], amps[whole]

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """By load, numbered from 1 as they rise. InputError for no nominal volts, or no row that is good."""
        volts_in, volts_out, amps = self._rows(found)
        if asked.nominal_V is None or asked.nominal_V <= 0.0:
            raise InputError("the nominal volts of the output are wanted, such as 12", key="nominal")
        try:
            loads = lowest_inputs(volts_in, volts_out, amps, asked.nominal_V, asked.tolerance_percent / 100.0)
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
