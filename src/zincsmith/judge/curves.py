"""Curves that screens and report draw from the same points."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from zincsmith.judge.live import point_efficiency
from zincsmith.model.operating_point import Purpose
from zincsmith.model.reading import Evidence, Point
from zincsmith.procedures.display_accuracy import display_error
from zincsmith.procedures.harmonics import ALWAYS, orders_against
from zincsmith.rules.harmonics import load_harmonics

Line = tuple[str, list[float], list[float]]
STATIC_GRID, STANDBY, REGIMES, HARMONICS = "static_grid", "standby", "power_factor_regimes", "harmonics"
DISPLAY = "display_accuracy"


@dataclass(frozen=True)
class Curves:
    """Curves on one pair of axes; ``kind`` is the quantity that colours them, ``procedure`` whose points they show."""

    title: str
    x: str
    x_unit: str
    y: str
    y_unit: str
    kind: str
    lines: tuple[Line, ...]
    bars: bool = False  # single values rather than a curve
    procedure: str = STATIC_GRID


def efficiency_by_line(points: Sequence[Point]) -> list[Line]:
    """(name of the line, output current in A, efficiency in percent), highest line first, by rising current."""

    def percent(point: Point) -> float | None:
        eta = point_efficiency(point)
        return None if eta is None else 100.0 * eta

    return _by_line(points, percent)


def all_curves(evidence: Evidence) -> list[Curves]:
    """Every plot that the evidence allows, those of the grid first."""
    grid = [p for p in evidence.by(STATIC_GRID).points if p.at.loaded and p.at.graded]
    idle = [p for p in evidence.by(STANDBY).points if p.at.elapsed_s is not None]
    grid = [p for p in grid if p.at.elapsed_s is None]
    regimes = evidence.by(REGIMES).points
    found = [
        Curves("Efficiency against load", "output", "A", "efficiency", "%", "efficiency",
               tuple(efficiency_by_line(grid))),
        Curves("Losses against load", "output", "A", "losses", "W", "power", tuple(_by_line(grid, _loss))),
        Curves("Output volts against amps", "output", "A", "output", "V", "voltage",
               tuple(_by_line(grid, lambda p: _value(p, "output_voltage")))),
        Curves("Power factor against load", "output", "A", "power factor", "", "plain",
               tuple(_by_line(grid, lambda p: _value(p, "power_factor")))),
        Curves("Power-factor regimes", "output", "A", "power factor", "", "plain", tuple(_ways(regimes)),
               procedure=REGIMES),
        Curves("Display less reference, volts", "output", "A", "error", "mV", "voltage", tuple(_display(evidence)),
               procedure=DISPLAY),
        *(Curves(f"Harmonics against class {name}", "order", "", "of the limit", "%", "current",
                 tuple(_harmonics(evidence, name)), bars=True, procedure=HARMONICS) for name in ALWAYS),
        Curves("Standby power", "time", "min", "input", "W", "power", tuple(_standby(idle)), procedure=STANDBY),
    ]  # fmt: skip
    return [c for c in found if any(len(x) > 1 for _, x, _ in c.lines)]


def _value(point: Point, quantity: str) -> float | None:
    reading = point.get(quantity)
    return reading.value if reading is not None else None


def _loss(point: Point) -> float | None:
    watts, volts, amps = (_value(point, q) for q in ("input_power", "output_voltage", "output_current"))
    return None if watts is None or volts is None or amps is None else watts - volts * amps


def _by_line(points: Sequence[Point], y: Callable[[Point], float | None]) -> list[Line]:
    lines: dict[float, list[tuple[float, float]]] = {}
    for point in points:
        amps, value = _value(point, "output_current"), y(point)
        if amps is not None and value is not None:
            lines.setdefault(point.at.line_V, []).append((amps, value))
    return [(f"{volts:g} V", *_columns(rows)) for volts, rows in sorted(lines.items(), reverse=True)]


def _ways(points: Sequence[Point]) -> list[Line]:
    """Rising and falling load, each as it was taken; the points that closed in belong to their way."""
    ways: dict[str, list[tuple[float, float]]] = {}
    for point in points:
        amps, factor, way = _value(point, "output_current"), _value(point, "power_factor"), point.at.step
        if amps is not None and factor is not None and way in WAYS:
            ways.setdefault(WAYS[way], []).append((amps, factor))
    return [(name, *_columns(rows)) for name, rows in ways.items()]


def _display(evidence: Evidence) -> list[Line]:
    """What the display shows more than the reference, in mV."""

    def millivolts(point: Point) -> float | None:
        error = display_error(point, "panel_voltage", "output_voltage")
        return None if error is None else 1000.0 * error

    return _by_line(evidence.by(DISPLAY).points, millivolts)


def _harmonics(evidence: Evidence, name: str) -> list[Line]:
    """Each order that has a limit, in percent of it, a line of the mains beside the other."""
    limits, found = load_harmonics(), []
    for point in evidence.by(HARMONICS).points:
        seen = orders_against(point, evidence.samples)
        if seen is None:
            continue
        orders_A, draw = seen
        by_order = sorted((n, x) for n, x in limits.limits_A(name, draw).items() if n < len(orders_A) and x > 0.0)
        found.append(
            (
                f"{point.at.line_V:g} V, {point.at.load_percent:g} %",
                [float(n) for n, _ in by_order],
                [100.0 * float(orders_A[n]) / x for n, x in by_order],
            )
        )
    return found


def _standby(points: Sequence[Point]) -> list[Line]:
    lines: dict[float, list[tuple[float, float]]] = {}
    for point in points:
        watts = _value(point, "input_power")
        if watts is not None and point.at.elapsed_s is not None:
            lines.setdefault(point.at.line_V, []).append((point.at.elapsed_s / 60.0, watts))
    return [(f"{volts:g} V", *_columns(rows)) for volts, rows in sorted(lines.items(), reverse=True)]


WAYS: dict[Purpose | None, str] = {
    Purpose.RISING: "rising", Purpose.CLOSING_RISING: "rising",
    Purpose.FALLING: "falling", Purpose.CLOSING_FALLING: "falling",
}  # fmt: skip


def _columns(rows: list[tuple[float, float]]) -> tuple[list[float], list[float]]:
    rows.sort()
    return [x for x, _ in rows], [y for _, y in rows]


def apart(values: list[float], gap: float, low: float = -math.inf, high: float = math.inf) -> list[float]:
    """Places for names beside rising values, none nearer than ``gap`` to the next, their middle kept as far as all of
    them stay between ``low`` and ``high``."""
    placed: list[float] = []
    for value in values:
        placed.append(max(value, placed[-1] + gap) if placed else value)
    shift = (sum(values) - sum(placed)) / max(1, len(values))
    if placed:
        shift = max(min(shift, high - placed[-1]), low - placed[0])
    return [p + shift for p in placed]
