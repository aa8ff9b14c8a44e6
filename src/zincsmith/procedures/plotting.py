"""From points to curves: what several procedures draw alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zincsmith.model.reading import Point
from zincsmith.procedures.base import Curve


def value(point: Point, quantity: str) -> float | None:
    reading = point.get(quantity)
    return reading.value if reading is not None else None


def amps(point: Point) -> float | None:
    return value(point, "output_current")


def by_line(
    points: Sequence[Point], y: Callable[[Point], float | None], x: Callable[[Point], float | None] = amps
) -> list[Curve]:
    """A curve for each line of the input, over the output current unless told, the highest line first."""
    lines: dict[float, list[tuple[float, float]]] = {}
    for point in points:
        across, up = x(point), y(point)
        if across is not None and up is not None:
            lines.setdefault(point.at.line_V, []).append((across, up))
    return [(f"{voltage:g} V", *columns(rows)) for voltage, rows in sorted(lines.items(), reverse=True)]


def columns(rows: list[tuple[float, float]]) -> tuple[list[float], list[float]]:
    """By rising x."""
    rows.sort()
    return [x for x, _ in rows], [y for _, y in rows]
