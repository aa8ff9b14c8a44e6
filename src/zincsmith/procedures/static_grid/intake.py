"""Tables of points out of files: a row each, as the grid would have taken it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import product
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.envelope import Envelope
from zincsmith.formats.accuracy_file import read_accuracy
from zincsmith.formats.columns import Columns
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line
from zincsmith.model.port import output_ports
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.static_grid.table_figures import analyse_points
from zincsmith.recorded.file_point import (
    BASES,
    NEAR_PERCENT,
    QUANTITY,
    SAME_INPUT,
    FilePoint,
    Value,
    at_line,
    at_loads,
)
from zincsmith.recorded.result import Analysed

Array = NDArray[np.float64]

OF_A_SWEEP = ("input_voltage_V", "input_power_W", "output_voltage_V", "output_current_A")
USUAL_LOADS = (110.0, 100.0, 75.0, 50.0, 25.0, 10.0, 0.0)
MOST_ROWS = 2000  # of a table of points


class PointTable(Intake):
    """A table with a row a point."""

    kind = "points"
    words = "a table of points: efficiency and regulation"
    line_for = "for volts that are no line of the unit"
    wanted: ClassVar[Mapping[str, str]] = {
        "load_percent": "load in percent", "input_voltage_V": "input volts", "input_current_A": "input amps",
        "input_power_W": "input watts", "power_factor": "power factor", "output_voltage_V": "output volts",
        "output_current_A": "output amps", "case_temperature_degC": "case temperature",
    }  # fmt: skip
    tells: ClassVar[tuple[str, ...]] = OF_A_SWEEP
    needed: ClassVar[tuple[str, ...]] = OF_A_SWEEP

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """One point a row; the options of the grid are what is there."""
        known = (*((asked.line,) if asked.line is not None else ()), *at.lines, *LINES)
        hertz = asked.line.frequency_Hz if asked.line is not None else None
        plate = at.unit.nameplate
        if len(plate.outputs) > 1:
            points = points_of_ports(found, known, hertz, plate, self.needed)
        else:
            rated_A, rated_W = plate.output.current_A, plate.output.rated_power_W
            points = points_of_table(found, known, hertz, rated_A, rated_W, self.needed)
        lines = tuple(dict.fromkeys(Line(p.at.line_V, p.at.frequency_Hz) for p in points))
        loads = tuple(dict.fromkeys(p.at.load_percent for p in points))
        there = {(p.at.line_V, p.at.frequency_Hz, p.at.load_percent) for p in points}
        every = [(x.voltage_V, x.frequency_Hz, load) for x in lines for load in loads]
        dropped = tuple(place for place in every if place not in there)
        return Taken(points, GridOptions(lines=lines, loads_percent=loads, dropped=dropped))

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Efficiency, losses, regulation, as far as the columns allow."""
        limits = read_accuracy(asked.accuracy, tuple(BASES)) if asked.accuracy is not None else {}
        return analyse_points(found, limits, asked.rated_power_W, asked.rated_voltage_V)


class WrittenDown(PointTable):
    """Readings that somebody wrote down, however few of them a row has."""

    kind = "typed"
    words = "readings that I write down, a row each"
    written = True
    line_for = ""
    wanted: ClassVar[Mapping[str, str]] = {}
    tells = ()
    needed = ("input_voltage_V",)


def points_of_table(
    found: Columns,
    lines: Sequence[Line],
    frequency_Hz: float | None,
    rated_A: float,
    rated_W: float,
    needed: Sequence[str] = OF_A_SWEEP,
) -> list[FilePoint]:
    """One point a row, with at least the columns ``needed``. ``lines`` are the inputs that the unit is tested at: rows
    near one belong to it; for others the frequency has to be known. InputError for what is no such table."""
    columns: Mapping[str, Array] = {n: c for n, base in BASES.items() if (c := found.find(n, base)) is not None}
    missing = [n for n in needed if n not in columns]
    if missing:
        heads = ", ".join(list(found.values)[:12])
        raise InputError(f"there is no column {' and no '.join(missing)}; there are: {heads}", file=str(found.file))
    count = len(columns["input_voltage_V"])
    if count > MOST_ROWS:
        raise InputError(
            f"{count} rows are more than {MOST_ROWS}: a record over time is taken in as standby or power",
            file=str(found.file),
        )
    out = []
    for row in range(count):
        place = f"{found.file.name}, row {row + 1}"
        values = {
            QUANTITY[n]: Value(float(c[row]), place, row=row)
            for n, c in columns.items()
            if n in QUANTITY and c[row] == c[row]
        }
        if "input_voltage" not in values:
            raise InputError("a row says nothing of the input volts", file=str(found.file), line=_line(found, row))
        line = _line_near(values["input_voltage"].value, lines, frequency_Hz, found, row)
        load = _load(columns, row, values, rated_A, rated_W)
        if load is None:
            raise InputError("a row says nothing of its load", file=str(found.file), line=_line(found, row))
        out.append(FilePoint(at_line(line, load), values))
    if not out:
        raise InputError("it holds no row", file=str(found.file))
    return out


def points_of_ports(
    found: Columns, lines: Sequence[Line], frequency_Hz: float | None, plate: Nameplate, needed: Sequence[str]
) -> list[FilePoint]:
    """One point a row of a table with a column for each output: ``output_voltage_V@+5 V`` is that of the output of that
    name. InputError where one is missing, or the outputs of a row are not loaded alike: each is a grid of its own."""
    envelope = Envelope(plate)
    of_unit = [n for n in BASES if not n.startswith("output_")]
    columns: dict[str, Array] = {n: c for n in of_unit if (c := found.find(n, BASES[n])) is not None}
    missing = [n for n in needed if n in of_unit and n not in columns]
    for port, name in product(output_ports(plate), ("output_voltage_V", "output_current_A")):
        column = _at_port(found, name, port)
        if column is not None:
            columns[at_port(name, port)] = column
        elif name in needed:
            missing.append(at_port(name, port))
    if missing:
        heads = ", ".join(list(found.values)[:12])
        raise InputError(f"there is no column {' and no '.join(missing)}; there are: {heads}", file=str(found.file))
    out = []
    for row in range(len(columns["input_voltage_V"])):
        place = f"{found.file.name}, row {row + 1}"
        values = {
            at_port(QUANTITY[name_of(n)], port_of(n)): Value(float(c[row]), place, row=row)
            for n, c in columns.items()
            if name_of(n) in QUANTITY and c[row] == c[row]
        }
        if "input_voltage" not in values:
            raise InputError("a row says nothing of the input volts", file=str(found.file), line=_line(found, row))
        line = _line_near(values["input_voltage"].value, lines, frequency_Hz, found, row)
        drawn = {p: values.get(at_port("output_current", p)) for p in output_ports(plate)}
        full = {p: envelope.load_A(100.0, p) for p in drawn}  # together, as far as the plate lets them
        loads = {p: _usual(100.0 * v.value / full[p]) for p, v in drawn.items() if v is not None and full[p]}
        if len(loads) < len(drawn) or len(set(loads.values())) != 1:
            raise InputError(
                f"the outputs of a row are loaded alike; here {', '.join(f'{p} {x:g} %' for p, x in loads.items())}",
                file=str(found.file), line=_line(found, row),
            )  # fmt: skip
        out.append(FilePoint(at_loads(line, loads), values))
    if not out:
        raise InputError("it holds no row", file=str(found.file))
    return out


def _at_port(found: Columns, name: str, port: str) -> Array | None:
    """The column of an output: its head names the port behind an @."""
    heads = {h: h.rpartition("@")[0].strip() for h in found.values if h.rpartition("@")[2].strip() == port and "@" in h}
    own = {base: found.values[head] for head, base in heads.items()}
    units = {base: found.units[head] for head, base in heads.items() if head in found.units}
    return replace(found, values=own, units=units, called={}).find(name, BASES[name]) if own else None


def _usual(percent: float) -> float:
    """A load near a usual one is that."""
    usual = min(USUAL_LOADS, key=lambda x: abs(x - percent))
    return usual if abs(usual - percent) <= NEAR_PERCENT else round(percent, 1)


def _line(found: Columns, row: int) -> int | None:
    return found.line + row if found.line is not None else None


def _line_near(voltage: float, lines: Sequence[Line], frequency_Hz: float | None, found: Columns, row: int) -> Line:
    near = [x for x in lines if abs(voltage - x.voltage_V) <= SAME_INPUT * x.voltage_V]
    if near:
        return min(near, key=lambda x: abs(voltage - x.voltage_V))
    if frequency_Hz is None:
        known = ", ".join(x.words for x in lines)
        raise InputError(
            f"{voltage:g} V is none of the lines of this unit ({known}): say its frequency", file=str(found.file),
            line=_line(found, row),
        )  # fmt: skip
    return Line(round(voltage), frequency_Hz)


def _load(
    columns: Mapping[str, Array], row: int, values: Mapping[str, Value], rated_A: float, rated_W: float
) -> float | None:
    """The load in percent as it stands, else by amps; near a usual one it is that."""
    percent: float | None = None
    if "load_percent" in columns and columns["load_percent"][row] == columns["load_percent"][row]:
        percent = float(columns["load_percent"][row])
    elif "output_current" in values and rated_A > 0.0:
        percent = 100.0 * values["output_current"].value / rated_A
    elif {"output_current", "output_voltage"} <= values.keys() and rated_W > 0.0:
        percent = 100.0 * values["output_current"].value * values["output_voltage"].value / rated_W
    return None if percent is None else _usual(percent)
