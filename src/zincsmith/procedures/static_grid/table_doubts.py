"""Doubts about a table of points: those of a run, with its rows as points."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.analysis.sweep_doubts import (
    difference_doubts,
    frozen_doubts,
    hidden_step,
    odd_ones,
    product_doubts,
    sag_doubts,
    seen_step,
)
from zincsmith.formats.columns import Columns
from zincsmith.model.operating_point import Draw, OperatingPoint
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Point, Reading
from zincsmith.recorded.result import Analysed

Array = NDArray[np.float64]

USED = ("input_power",)


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
    load: Array | None
    out: Analysed

    @property
    def groups(self) -> Sequence[Rows]: ...


def add_doubts(table: Table) -> None:
    """Everything that the rows give reason to doubt."""
    for note in table.found.notes:
        table.out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    for group in table.groups:
        points = _points(table, group.rows)
        found = [d for p in points for d in point_doubts(p, USED)]
        found += [*frozen_doubts(points).values(), *product_doubts(points).values(), *hidden_step(points)]
        found += [*odd_ones(points).values(), *sag_doubts(points)]
        for doubt in dict.fromkeys(found):
            table.out.doubts.append(doubt)


def add_difference(table: Table, what: str, one: int, other: int) -> None:
    """What is doubtful about the difference of the output volts of two rows."""
    a, b = _points(table, (one, other))
    seen = seen_step(_points(table, range(table.count)))
    table.out.doubts += [d for d in difference_doubts(a, b, what=what, seen=seen) if d not in table.out.doubts]


def _points(table: Table, rows: Sequence[int]) -> list[Point]:
    """Rows as points of a run; load in percent as it stands, else of the greatest amps."""
    load = table.load
    if load is None and (current := table.columns.get("output_current_A")) is not None and np.nanmax(current) > 0.0:
        load = 100.0 * current / np.nanmax(current)
    out = []
    for row in rows:
        draws = (Draw(float(load[row])),) if load is not None and load[row] == load[row] else ()
        at = OperatingPoint(draws=draws, stated=(("row", float(row + 1)),))
        out.append(Point(row + 1, at, tuple(_reading(n, r[row]) for n, r in table.readings.items()), 0.0))
    return out


def _reading(column: str, reading: Reading) -> Reading:
    """A cell as a reading of the quantity its column stands for."""
    name, _, unit = column.rpartition("_")
    quantity = name if name in QUANTITIES else column
    return replace(reading, quantity=quantity, unit=unit if name in QUANTITIES else "")
