"""Where a figure is claimed to hold, and whether points reach it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import product

from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.record import Record, Span

LINE_SHARE = 0.01  # of the line voltage: nearer than that a point stands at an end
LOAD_POINTS = 2.0  # percent of the rated load
HERTZ = 0.5
ROOM_K = 5.0  # as 23 +/- 5 degC is the room of a data sheet; common practice, no source


@dataclass(frozen=True)
class Stood:
    """A point as a scope looks at it: where, how long it stood so and whether it was steady, None where not known."""

    at: OperatingPoint
    held_s: float | None = None
    settled: bool | None = None


@dataclass(frozen=True)
class Scope(Record):
    """Of which output, over which lines (V) and loads (percent of the rating), in which mode, for how long, in which
    room. None or empty is *not stated*: then the plan's own points count. Equal ends are one point. A duration of 0 is
    *continuous*: steady when it was read."""

    port: str = ""
    line_V: Span | None = None
    frequency_Hz: float | None = None
    load_percent: Span | None = None
    mode: str = ""
    duration_s: float | None = None
    ambient_degC: Span | None = None

    def missing(self, points: Iterable[Stood], room_degC: float | None = None) -> tuple[str, ...]:
        """The corners that no point stands at, in words, how long they had to be held, and the room that was not there.

        A point without a time is taken as held. ``room_degC`` None is not known, and not held against a claim.
        """
        points = list(points)
        found = self._corners([p for p in points if self._in_mode(p)])
        if self.mode and points and not any(self._in_mode(p) for p in points):
            found = (f"the mode {self.mode}",)
        if not found and self._corners([p for p in points if self._in_mode(p) and self._held(p)]):
            found = (f"{_minutes(self.duration_s)} under load" if self.duration_s else "a steady state",)
        if room_degC is not None and self.ambient_degC is not None:
            ends = sorted(set(self.ambient_degC))
            found += tuple(f"{end:g} °C of the room" for end in ends if abs(room_degC - end) > ROOM_K)
        return found

    def _in_mode(self, point: Stood) -> bool:
        return not self.mode or point.at.mode(self.port) == self.mode

    def _held(self, point: Stood) -> bool:
        if self.duration_s is None:
            return True
        if self.duration_s == 0.0:
            return point.settled is not False
        return point.held_s is None or point.held_s >= 0.99 * self.duration_s

    def _corners(self, points: Iterable[Stood]) -> tuple[str, ...]:
        lines = sorted(set(self.line_V)) if self.line_V is not None else [None]
        loads = sorted(set(self.load_percent)) if self.load_percent is not None else [None]
        if not self.has_hertz(points):
            return (f"{self.frequency_Hz:g} Hz",)
        at = [(p.at.feed.voltage_V, p.at.draw.share_percent) for p in points if self._at_hertz(p.at)]
        lacks = [
            (voltage, load)
            for voltage, load in product(lines, loads)
            if not any(_near_line(v, voltage) and _near_load(x, load) for v, x in at)
        ]
        return _words(lacks, lines, loads)

    def _at_hertz(self, at: OperatingPoint) -> bool:
        hertz = at.feed.frequency_Hz
        return hertz is None or self.frequency_Hz is None or abs(hertz - self.frequency_Hz) <= HERTZ

    def has_hertz(self, points: Iterable[Stood]) -> bool:
        """Whether any of the points stands at the frequency that is spoken of."""
        points = list(points)
        return not points or any(self._at_hertz(p.at) for p in points)

    def has_mode(self, at: OperatingPoint) -> bool:
        """Whether a figure is of the mode that is spoken of; one that names no mode may be."""
        return not self.mode or at.mode() in ("", self.mode)

    def has_line(self, at: OperatingPoint) -> bool:
        """Whether a point lies within the lines that are spoken of."""
        voltage = at.feed.voltage_V
        if voltage is not None and self.line_V is not None:
            low, high = self.line_V
            if not low * (1.0 - LINE_SHARE) <= voltage <= high * (1.0 + LINE_SHARE):
                return False
        return self._at_hertz(at)

    def covers(self, points: Iterable[Stood]) -> bool:
        return not self.missing(points)


def _minutes(seconds: float) -> str:
    return f"{seconds / 60.0:g} min" if seconds >= 60.0 else f"{seconds:g} s"


def _near_line(value: float | None, wanted: float | None) -> bool:
    return wanted is None or (value is not None and abs(value - wanted) <= LINE_SHARE * wanted)


def _near_load(value: float | None, wanted: float | None) -> bool:
    return wanted is None or (value is not None and abs(value - wanted) <= LOAD_POINTS)


def _words(
    lacks: list[tuple[float | None, float | None]], lines: list[float] | list[None], loads: list[float] | list[None]
) -> tuple[str, ...]:
    """A line that no point stands at is named once, not with each of its loads."""
    out = []
    for voltage in lines:
        at = [load for v, load in lacks if v == voltage]
        if voltage is not None and len(at) == len(loads):
            out.append(f"{voltage:g} V")
        else:
            out += [" ".join(x for x in (f"{voltage:g} V" if voltage is not None else "", f"{load:g} % load") if x)
                    for load in at if load is not None]  # fmt: skip
    return tuple(out)
