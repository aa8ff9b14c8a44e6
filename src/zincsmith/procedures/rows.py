"""Points of a grid as rows: which carry what, and where they were taken."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
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
    return point.at.load_percent


def at_line(line: tuple[float, float], load_percent: float | None = None) -> OperatingPoint:
    """What a figure of a line speaks of, with a load where it is of one."""
    return OperatingPoint((Feed(*line),), () if load_percent is None else (Draw(load_percent),))


def amps_of(point: Point) -> float:
    reading = point.get("output_current")
    assert reading is not None
    assert reading.value is not None
    return reading.value
