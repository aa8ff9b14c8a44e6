"""What is drawn of a static grid: efficiency, losses, output volts and power factor over the load."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zincsmith.model.reading import Evidence, Point
from zincsmith.procedures.base import Curve, Curves
from zincsmith.procedures.plotting import amps, by_line, value
from zincsmith.procedures.ports import drawn_ports, output_watts


def plots(evidence: Evidence) -> list[Curves]:
    """Of one output over its amps; of several loaded alike over their share, each output's volts over its own amps."""
    grid = [p for p in evidence.points if p.at.loaded and p.at.graded and p.at.elapsed_s is None]
    whole = [p for p in grid if not p.at.about]
    several = any(len(p.at.draws) > 1 for p in whole)
    across: Callable[[Point], float | None] = share if several else amps
    alternates = any(p.at.feed.frequency_Hz != 0.0 for p in whole)
    axis = ("load", "%") if several else ("output", "A")
    return [
        Curves("Efficiency against load", *axis, "efficiency", "%", "efficiency",
               tuple(by_line(whole, percent, across))),
        Curves("Losses against load", *axis, "losses", "W", "power", tuple(by_line(whole, loss, across))),
        Curves("Output volts against amps", "output", "A", "output", "V", "voltage", tuple(volts(grid))),
        *((Curves("Power factor against load", *axis, "power factor", "", "plain",
                  tuple(by_line(whole, lambda p: value(p, "power_factor"), across))),) if alternates else ()),
    ]  # fmt: skip


def share(point: Point) -> float | None:
    return point.at.draw.share_percent


def efficiency(point: Point) -> float | None:
    """Of one point as a plain ratio; None without load or with a reading missing."""
    taken, power = value(point, "input_power"), _given(point)
    if taken is None or taken <= 0.0 or power is None or (share(point) or 0.0) <= 0.0:
        return None
    return power / taken


def percent(point: Point) -> float | None:
    eta = efficiency(point)
    return None if eta is None else 100.0 * eta


def loss(point: Point) -> float | None:
    taken, power = value(point, "input_power"), _given(point)
    return None if taken is None or power is None else taken - power


def _given(point: Point) -> float | None:
    power = [output_watts(point, port) for port in drawn_ports(point)]
    return None if any(w is None for w in power) else sum(w for w in power if w is not None)


def volts(points: Sequence[Point]) -> list[Curve]:
    """A curve for each line, and for each output whose load was varied by itself."""
    found: list[Curve] = []
    for port in dict.fromkeys(p.at.about for p in points):
        mine = [p.seen_from(port) for p in points if p.at.about == port]
        for name, x, y in by_line(mine, lambda p: value(p, "output_voltage")):
            found.append((f"{port}, {name}" if port else name, x, y))
    return found
