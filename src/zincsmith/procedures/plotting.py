"""From points to curves: what several procedures draw alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zincsmith.model.capture import WORKED_OUT
from zincsmith.model.reading import Evidence, Point
from zincsmith.procedures.base import Curve, Curves


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


def over_load(
    evidence: Evidence, of: str, figure: str, title: str, worst: Callable[[list[float]], float] = max
) -> list[Curves]:
    """What captures of a procedure showed at once, in s, over the share of load, a curve for each line; of several
    repeats the worst. Nothing where there are not two loads."""
    found: dict[float, dict[float, list[float]]] = {}
    for point in evidence.points:
        for capture in point.captures:
            said = capture.said.get(f"{WORKED_OUT} {figure}")
            if capture.of == of and said is not None and point.at.draw.share_percent is not None:
                found.setdefault(point.at.line_V, {}).setdefault(point.at.load_percent, []).append(float(said))
    lines = tuple(
        (f"{voltage:g} V", *columns([(load, 1e3 * worst(values)) for load, values in loads.items()]))
        for voltage, loads in sorted(found.items(), reverse=True)
        if len(loads) > 1
    )
    return [Curves(title, "load", "%", title.split(" over ")[0].lower(), "ms", "plain", lines)] if lines else []


def columns(rows: list[tuple[float, float]]) -> tuple[list[float], list[float]]:
    """By rising x."""
    rows.sort()
    return [x for x, _ in rows], [y for _, y in rows]
