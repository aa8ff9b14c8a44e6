"""Where a figure is claimed to hold, and whether points reach it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import product

from zincsmith.model.record import Record, Span

LINE_SHARE = 0.01  # of the line voltage: nearer than that a point stands at an end
LOAD_POINTS = 2.0  # percent of the rated load
HERTZ = 0.5


@dataclass(frozen=True)
class Scope(Record):
    """Of which output, over which lines (V) and loads (percent of the rating), in which mode, for how long, in which
    room. None or empty is *not stated*: then the plan's own points count. Equal ends are one point."""

    port: str = ""
    line_V: Span | None = None
    frequency_Hz: float | None = None
    load_percent: Span | None = None
    mode: str = ""
    duration_s: float | None = None
    ambient_degC: Span | None = None

    def missing(self, points: Iterable[Mapping[str, float]]) -> tuple[str, ...]:
        """The corners that no point stands at, in words; a point carries input_voltage_V and load_percent."""
        lines = sorted(set(self.line_V)) if self.line_V is not None else [None]
        loads = sorted(set(self.load_percent)) if self.load_percent is not None else [None]
        at = [(p.get("input_voltage_V"), p.get("load_percent")) for p in points]
        lacks = [
            (volts, load)
            for volts, load in product(lines, loads)
            if not any(_near_line(v, volts) and _near_load(x, load) for v, x in at)
        ]
        return _words(lacks, lines, loads)

    def has_line(self, conditions: Mapping[str, float]) -> bool:
        """Whether a point at these conditions lies within the lines that are spoken of."""
        volts, hertz = conditions.get("input_voltage_V"), conditions.get("frequency_Hz")
        if volts is not None and self.line_V is not None:
            low, high = self.line_V
            if not low * (1.0 - LINE_SHARE) <= volts <= high * (1.0 + LINE_SHARE):
                return False
        return hertz is None or self.frequency_Hz is None or abs(hertz - self.frequency_Hz) <= HERTZ

    def covers(self, points: Iterable[Mapping[str, float]]) -> bool:
        return not self.missing(points)


def _near_line(value: float | None, wanted: float | None) -> bool:
    return wanted is None or (value is not None and abs(value - wanted) <= LINE_SHARE * wanted)


def _near_load(value: float | None, wanted: float | None) -> bool:
    return wanted is None or (value is not None and abs(value - wanted) <= LOAD_POINTS)


def _words(
    lacks: list[tuple[float | None, float | None]], lines: list[float] | list[None], loads: list[float] | list[None]
) -> tuple[str, ...]:
    """A line that no point stands at is named once, not with each of its loads."""
    out = []
    for volts in lines:
        at = [load for v, load in lacks if v == volts]
        if volts is not None and len(at) == len(loads):
            out.append(f"{volts:g} V")
        else:
            out += [" ".join(x for x in (f"{volts:g} V" if volts is not None else "", f"{load:g} % load") if x)
                    for load in at if load is not None]  # fmt: skip
    return tuple(out)
