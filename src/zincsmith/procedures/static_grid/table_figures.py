"""Efficiency, losses and regulation from a table of points, one row a point."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.efficiency import average_active_efficiency, efficiency, loss
from zincsmith.analysis.regulation import line_slope, load_regulation, output_resistance
from zincsmith.analysis.uncertainty import Column, Estimate, Values, propagate
from zincsmith.formats.accuracy_file import ColumnAccuracy
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.model.reading import Reading
from zincsmith.procedures.static_grid.table_doubts import add_difference, add_doubts
from zincsmith.recorded.file_point import BASES, NEAR_PERCENT, SAME_INPUT
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]

ACTIVE = (100.0, 75.0, 50.0, 25.0)
POWER = ("input_power_W", "output_voltage_V", "output_current_A")


@dataclass(frozen=True)
class Group:
    """The rows of one input. ``suffix`` is empty where there is only one."""

    rows: tuple[int, ...]
    volts: float | None
    suffix: str


class Points:
    """A table of points with its accuracies; figures are worked out row by row and input by input."""

    def __init__(
        self,
        found: Columns,
        accuracy: Mapping[str, ColumnAccuracy],
        rated_power_W: float | None,
        rated_voltage_V: float | None,
    ) -> None:
        self.file, self.accuracy, self.nominal = str(found.file), accuracy, rated_voltage_V
        self.found = found
        self.columns: Mapping[str, Array] = {
            n: c for n, base in BASES.items() if (c := found.find(n, base)) is not None
        }
        if not self.columns:
            raise InputError(
                f"none of the columns of points is there: {', '.join(BASES)}; there are: "
                f"{', '.join(list(found.values)[:12])}",
                file=self.file,
            )
        self.count = len(next(iter(self.columns.values())))
        self.load = self._load(rated_power_W)
        self.out = Analysed("points")
        self.readings: Mapping[str, Sequence[Reading]] = {n: self._readings(n) for n in self.columns}
        self.groups = self._groups()

    def _load(self, rated_power_W: float | None) -> Array | None:
        """Load in percent: as it stands, else of the rated power."""
        if "load_percent" in self.columns:
            return self.columns["load_percent"]
        if rated_power_W and {"output_voltage_V", "output_current_A"} <= self.columns.keys():
            return 100.0 * self.columns["output_voltage_V"] * self.columns["output_current_A"] / rated_power_W
        return None

    def _readings(self, name: str) -> list[Reading]:
        known = self.accuracy.get(name)
        ranges = self._ranges(name, known)
        out = []
        for row, value in enumerate(self.columns[name]):
            number = None if value != value else float(value)
            reading = Reading(f"row {row + 1} {name}", name, number, "", "", name, "file", range=ranges[row])
            if known is not None:
                reading = Reading(
                    reading.id, name, number, "", "", name, "file",
                    range=ranges[row],
                    reading_percent=known.reading_percent,
                    range_percent=known.range_percent,
                    offset=known.offset,
                    resolution=known.resolution,
                    noise=known.noise,
                    nonlinearity_percent=known.nonlinearity_percent,
                    known=True,
                )  # fmt: skip
            out.append(reading)
        return out

    def _ranges(self, name: str, known: ColumnAccuracy | None) -> list[float | None]:
        if known is None or known.range is None:
            return [None] * self.count
        if isinstance(known.range, float):
            return [known.range] * self.count
        ranges = self.found.values.get(known.range)
        if ranges is None:
            raise InputError(f"the range is said to stand in column {known.range!r}, which is not there", key=name)
        bad = np.flatnonzero(~(ranges > 0.0))
        if len(bad):
            row = int(bad[0])
            line = self.found.line + row if self.found.line is not None else None
            raise InputError("a range is a positive number", file=self.file, line=line, key=known.range)
        return [float(r) for r in ranges]

    def _groups(self) -> list[Group]:
        """Rows by input volts; those within 2 % are one."""
        volts = self.columns.get("input_voltage_V")
        if volts is None:
            return [Group(tuple(range(self.count)), None, "")]
        groups: list[list[int]] = []
        for row in (int(r) for r in np.argsort(volts, kind="stable") if volts[r] == volts[r]):
            mean = float(np.mean(volts[groups[-1]])) if groups else 0.0
            if groups and abs(volts[row] - mean) <= SAME_INPUT * abs(mean):
                groups[-1].append(row)
            else:
                groups.append([row])
        means = [float(np.mean(volts[g])) for g in groups]
        names = [f"_{round(m)}V" for m in means]
        if len(set(names)) < len(names):
            names = [f"_{m:.1f}V" for m in means]
        if len(groups) == 1:
            names = [""]
        return [Group(tuple(sorted(g)), m, n) for g, m, n in zip(groups, means, names, strict=True)]

    # Figures

    def work_out(self) -> Analysed:
        self._rows()
        for group in self.groups:
            self._average(group)
            self._load_regulation(group)
            self._resistance(group)
        self._line_regulation()
        add_doubts(self)
        if len(self.groups) > 1 or self.groups[0].volts is not None:
            self.out.facts["inputs"] = [f"{g.volts:.4g} V, {len(g.rows)} rows" for g in self.groups]
        self.out.facts["rows"] = str(self.count)
        return self.out

    def has(self, row: int, names: Sequence[str]) -> bool:
        """Whether a row has a value in each of these columns."""
        return all(n in self.columns and self.columns[n][row] == self.columns[n][row] for n in names)

    def lacking(self, names: Sequence[str]) -> list[str]:
        """Those of these columns that are not there."""
        return [n for n in names if n not in self.columns]

    def _leave_out(self, what: str, why: str, remedy: str = "") -> None:
        if not any(d.code == "left_out" and d.text.startswith(what) for d in self.out.doubts):
            self.out.doubt("left_out", f"{what} left out: {why}.", remedy)

    def _figure(
        self, rows: Sequence[int], names: Sequence[str], formula: Callable[[Values], float], unit: str
    ) -> Figure:
        columns: dict[str, Column] = {n: column([self.readings[n][r] for r in rows]) for n in names}
        with np.errstate(divide="ignore", invalid="ignore"):
            found: Estimate = propagate(formula, columns)
        known = all(n in self.accuracy for n in names)
        return Figure(found.value if np.isfinite(found.value) else None, unit, found.u if known else None, found.k)

    def _rows(self) -> None:
        missing = self.lacking(POWER)
        if missing:
            self._leave_out("Efficiency and losses are", f"there is no column {' and no column '.join(missing)}")
            return
        for row in range(self.count):
            if not self.has(row, POWER):
                self._leave_out(f"Row {row + 1} is", "a cell of it is blank")
                continue
            if self.columns["input_power_W"][row] == 0.0:
                self.out.figures[f"efficiency_{row + 1}"] = Figure(None)
            else:
                self.out.figures[f"efficiency_{row + 1}"] = self._figure([row], POWER, _efficiency, "")
            self.out.figures[f"loss_{row + 1}"] = self._figure([row], POWER, _loss, "W")

    def _average(self, group: Group) -> None:
        what = "The average active efficiency is"
        if self.lacking(POWER) or self.load is None:
            self._leave_out(what, f"columns are missing: {', '.join([*self.lacking(POWER), 'load_percent'][:4])}")
            return
        rows = []
        for load in ACTIVE:
            near = [r for r in group.rows if abs(self.load[r] - load) <= NEAR_PERCENT and self.has(r, POWER)]
            if not near:
                at = f" at {group.volts:.4g} V" if group.suffix else ""
                self._leave_out(f"{what[:-3]}{at} is", f"no row lies within {NEAR_PERCENT:g} % of {load:g} % load")
                return
            rows.append(min(near, key=lambda r: abs(self.load[r] - load)))  # type: ignore[index]
        self.out.figures[f"average_active_efficiency{group.suffix}"] = self._figure(rows, POWER, _average, "")

    def _by_load(self, rows: Sequence[int]) -> list[int]:
        """Rows with output volts from the lowest load to the highest; empty where no load is known."""
        order = self.load if self.load is not None else self.columns.get("output_current_A")
        if order is None:
            return []
        return sorted(
            (r for r in rows if self.has(r, ["output_voltage_V"]) and order[r] == order[r]), key=lambda r: order[r]
        )

    def _load_value(self, row: int) -> float:
        order = self.load if self.load is not None else self.columns["output_current_A"]
        return float(order[row])

    def _load_regulation(self, group: Group) -> None:
        what = "Load regulation is"
        rows = self._by_load(group.rows)
        if len(rows) < 2 or self._load_value(rows[0]) == self._load_value(rows[-1]):
            self._leave_out(what, "output volts at two loads of one input are needed")
            return
        low, high = rows[0], rows[-1]
        nominal = self.nominal
        below: dict[str, Callable[[Array], float]] = {
            "full_load": lambda v: float(v[1]),
            "no_load": lambda v: float(v[0]),
        }
        if nominal is not None:
            below["nominal"] = lambda _v: nominal
        else:
            self._leave_out(
                "Load regulation of nominal is", "the rated output volts are not known", "Use --rated-voltage."
            )
        for name, denominator in below.items():

            def formula(v: Values, denominator: Callable[[Array], float] = denominator) -> float:
                volts = v["output_voltage_V"]
                return load_regulation(float(volts[0]), float(volts[1]), denominator(volts))

            figure = self._figure([low, high], ["output_voltage_V"], formula, "")
            self.out.figures[f"load_regulation_{name}{group.suffix}"] = figure
        add_difference(self, "load regulation", low, high)

    def _line_regulation(self) -> None:
        what = "Line regulation is"
        tops = [(rows[-1], g.volts or 0.0) for g in self.groups if (rows := self._by_load(g.rows))]
        top = [row for row, _ in sorted(tops, key=lambda one: one[1])]
        if len(self.groups) < 2 or len(top) < 2:
            self._leave_out(what, "output volts at two inputs are needed")
            return
        if self.nominal is None:
            self._leave_out(what, "the rated output volts are not known", "Use --rated-voltage.")
            return
        loads = [self._load_value(r) for r in top]
        if max(loads) - min(loads) > (NEAR_PERCENT if self.load is not None else 0.02 * max(loads)):
            self._leave_out(what, "the highest loads at the inputs are not the same")
            return
        volts = self.columns["output_voltage_V"][top]
        most, least = int(np.argmax(volts)), int(np.argmin(volts))
        if most == least:
            least = (most + 1) % len(top)
        nominal = self.nominal

        def formula(v: Values) -> float:
            return float(v["output_voltage_V"][0] - v["output_voltage_V"][1]) / nominal

        pair = [top[most], top[least]]
        self.out.figures["line_regulation"] = self._figure(pair, ["output_voltage_V"], formula, "")
        add_difference(self, "line regulation", *pair)
        self.out.figures["line_regulation_ends"] = self._figure([top[-1], top[0]], ["output_voltage_V"], formula, "")
        lines = np.array(sorted(volts for _, volts in tops))
        self.out.figures["line_slope"] = self._figure(
            top, ["output_voltage_V"], lambda v: 1000.0 * line_slope(v["output_voltage_V"], lines), "mV/V"
        )

    def _resistance(self, group: Group) -> None:
        names = ("output_voltage_V", "output_current_A")
        rows = [r for r in group.rows if self.has(r, names)]
        currents = self.columns.get("output_current_A")
        if currents is None or len({float(currents[r]) for r in rows}) < 2:
            self._leave_out("Output resistance is", "output volts at two currents of one input are needed")
            return
        figure = self._figure(rows, names, _resistance, "ohm")
        self.out.figures[f"output_resistance{group.suffix}"] = figure


def _efficiency(v: Values) -> float:
    return float(efficiency(v["input_power_W"], v["output_voltage_V"], v["output_current_A"])[0])


def _loss(v: Values) -> float:
    return float(loss(v["input_power_W"], v["output_voltage_V"], v["output_current_A"])[0])


def _average(v: Values) -> float:
    return average_active_efficiency(v["input_power_W"], v["output_voltage_V"], v["output_current_A"])


def _resistance(v: Values) -> float:
    return output_resistance(v["output_voltage_V"], v["output_current_A"])


def analyse_points(
    found: Columns,
    accuracy: Mapping[str, ColumnAccuracy],
    rated_power_W: float | None = None,
    rated_voltage_V: float | None = None,
) -> Analysed:
    """All figures that the rows allow; what is missing is told. InputError for what is no table of points."""
    return Points(found, accuracy, rated_power_W, rated_voltage_V).work_out()
