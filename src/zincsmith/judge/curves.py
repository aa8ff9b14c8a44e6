"""Curves that screens and report draw from the same points."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.judge.live import point_efficiency
from zincsmith.model.reading import Point


def efficiency_by_line(points: Sequence[Point]) -> list[tuple[str, list[float], list[float]]]:
    """(name of the line, output current in A, efficiency in percent), highest line first, by rising current."""
    lines: dict[float, list[tuple[float, float]]] = {}
    for point in points:
        eta, amps = point_efficiency(point), point.get("output_current")
        if eta is not None and amps is not None and amps.value is not None:
            lines.setdefault(point.conditions["input_voltage_V"], []).append((amps.value, 100.0 * eta))
    curves = []
    for volts, rows in sorted(lines.items(), reverse=True):
        rows.sort()
        curves.append((f"{volts:g} V", [x for x, _ in rows], [y for _, y in rows]))
    return curves
