"""Doubts about a table of points; common practice, no source."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.loss_model import fit_losses
from zincsmith.formats.columns import Columns
from zincsmith.model.reading import Reading
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]

POWER = ("input_power_W", "output_voltage_V", "output_current_A")
IMPLAUSIBLE = 0.97
APPARENT, LOW_FACTOR = 0.02, 0.95
LOW_IN_RANGE = 0.05
SIGMAS, LEAST_ODD = 3.0, 0.002  # of the input power


class Rows(Protocol):
    """The rows of one input."""

    @property
    def rows(self) -> tuple[int, ...]: ...


class Table(Protocol):
    """What the doubts look at, see points.py."""

    found: Columns
    columns: Mapping[str, Array]
    readings: Mapping[str, Sequence[Reading]]
    count: int
    out: Analysed

    @property
    def groups(self) -> Sequence[Rows]: ...

    def has(self, row: int, names: Sequence[str]) -> bool: ...

    def lacking(self, names: Sequence[str]) -> list[str]: ...


def add_doubts(table: Table) -> None:
    """Everything that the rows give reason to doubt."""
    for note in table.found.notes:
        table.out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    _implausible(table)
    _contradicting(table)
    _low_in_range(table)
    for group in table.groups:
        _odd_one(table, group)


def _implausible(table: Table) -> None:
    for row in range(table.count):
        value = table.out.figures.get(f"efficiency_{row + 1}", Figure(None)).value
        if value is not None and value > IMPLAUSIBLE:
            code = "efficiency_above_one" if value > 1.0 else "efficiency_implausible"
            table.out.doubt(
                code,
                f"Row {row + 1}: an efficiency of {100 * value:.1f} % is not believable for a mains supply.",
                "Check ranges, channels, and that the input watts are real power.",
            )
        if value is not None and value < 0.0:
            table.out.doubt("power_negative", f"Row {row + 1}: the efficiency is negative.", "Check polarities.")


def _contradicting(table: Table) -> None:
    names = ("input_voltage_V", "input_current_A", "input_power_W")
    factor = table.columns.get("power_factor")
    for row in range(table.count):
        if factor is not None and factor[row] > 1.005:
            table.out.doubt("power_factor_above_one", f"Row {row + 1}: the power factor is above one.")
        if not table.has(row, names):
            continue
        volts, amps, watts = (float(table.columns[n][row]) for n in names)
        apparent = volts * amps
        if apparent <= 0.0 or factor is None or factor[row] != factor[row]:
            continue
        if factor[row] < LOW_FACTOR and abs(watts - apparent) <= APPARENT * apparent:
            table.out.doubt(
                "apparent_as_real",
                f"Row {row + 1}: the input watts are volts times amps, yet the power factor is {factor[row]:.2f}.",
                "Read real power.",
            )
        elif abs(watts - factor[row] * apparent) > 0.03 * apparent:
            table.out.doubt(
                "figures_contradict",
                f"Row {row + 1}: {factor[row]:.3g} x {volts:.4g} V x {amps:.4g} A is not {watts:.4g} W.",
                "A range, a unit or a channel is wrong.",
            )


def _low_in_range(table: Table) -> None:
    for name, readings in table.readings.items():
        low = [n + 1 for n, r in enumerate(readings) if r.value and r.range and abs(r.value) < LOW_IN_RANGE * r.range]
        if low:
            rows = ", ".join(map(str, low[:8]))
            table.out.doubt(
                "low_in_range", f"{name} stands below 5 % of its range in row {rows}.", "Choose a lower range."
            )


def _odd_one(table: Table, group: Rows) -> None:
    """A point that does not lie on the curve of losses of the others."""
    if table.lacking(POWER):
        return
    rows = [r for r in group.rows if table.has(r, POWER)]
    current = table.columns["output_current_A"][rows]
    if len(rows) < 6 or len(np.unique(current)) < 6:
        return
    watts = table.columns["input_power_W"][rows]
    losses = watts - table.columns["output_voltage_V"][rows] * current
    model = fit_losses(current, losses)
    worst = int(np.nanargmax(np.abs(model.deleted)))
    rest = np.delete(np.arange(len(rows)), worst)
    others = fit_losses(current[rest], losses[rest])
    if others.scatter is None:
        return
    own = [r.u for n in rows if (r := table.out.figures.get(f"loss_{n + 1}")) is not None and r.u is not None]
    sigma = max(others.scatter, 0.1 * max(own, default=0.0), LEAST_ODD / SIGMAS * float(watts[worst]))
    if abs(model.deleted[worst]) > SIGMAS * sigma:
        table.out.doubt(
            "curve_not_smooth",
            f"Row {rows[worst] + 1}: its losses lie {model.deleted[worst]:+.3g} W off the curve of the others.",
            "Repeat the point; when it stays, a mode changes there.",
        )
