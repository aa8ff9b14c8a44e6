"""Points of a grid as rows: which carry what, and where they were taken."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.reading import Point
from zincsmith.procedures.finding_of import Rows


def has(point: Point, quantities: Sequence[str]) -> bool:
    return all((r := point.get(q)) is not None and r.value is not None for q in quantities)


def carrying(points: Rows, quantities: Sequence[str]) -> list[Point]:
    return [p for p in points if has(p, quantities)]


def volts_of(point: Point) -> float:
    reading = point.get("output_voltage")
    assert reading is not None
    assert reading.value is not None
    return reading.value


def load_of(point: Point) -> float:
    return point.conditions["load_percent"]


def line_conditions(line: tuple[float, float]) -> dict[str, float]:
    return {"input_voltage_V": line[0], "frequency_Hz": line[1]}


def amps_of(point: Point) -> float:
    reading = point.get("output_current")
    assert reading is not None
    assert reading.value is not None
    return reading.value
