"""Points of a grid as rows: which carry what, and where they were taken."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.reading import Point, Reading
from zincsmith.procedures.finding_of import Rows


def has(point: Point, quantities: Sequence[str]) -> bool:
    return all((r := point.get(q)) is not None and r.value is not None for q in quantities)


def carrying(points: Rows, quantities: Sequence[str]) -> list[Point]:
    return [p for p in points if has(p, quantities)]


def upright(points: Rows, nominal_V: float) -> list[Point]:
    """The points of a negative output with its volts turned round, so that what droops falls; others as they are."""
    if nominal_V >= 0.0:
        return list(points)
    return [replace(p, readings=tuple(_turned(r) for r in p.readings)) for p in points]


def _turned(reading: Reading) -> Reading:
    if reading.quantity not in ("output_voltage", "load_voltage") or reading.value is None:
        return reading
    return replace(reading, value=-reading.value)


def volts_of(point: Point) -> float:
    return point.need("output_voltage").number


def load_of(point: Point) -> float:
    return point.at.load_percent


def at_line(line: tuple[float, float], load_percent: float | None = None) -> OperatingPoint:
    """What a figure of a line speaks of, with a load where it is of one."""
    return OperatingPoint((Feed(*line),), () if load_percent is None else (Draw(load_percent),))


def amps_of(point: Point) -> float:
    return point.need("output_current").number
