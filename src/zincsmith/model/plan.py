"""A plan: procedures with their options."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Line:
    """One input condition: V rms and Hz."""

    voltage_V: float
    frequency_Hz: float

    @property
    def words(self) -> str:
        return f"{self.voltage_V:g} V {self.frequency_Hz:g} Hz"


@dataclass(frozen=True)
class GridOptions:
    """Options of the static grid; loads in percent of the rated current, times in s."""

    lines: tuple[Line, ...] = (Line(115.0, 60.0), Line(230.0, 50.0))
    loads_percent: tuple[float, ...] = (100.0, 75.0, 50.0, 25.0, 10.0, 0.0)
    warm_up_s: float = 1800.0
    rewarm_s: float = 300.0  # at full load after a change of line
    settle_s: float = 10.0  # at least, at each point
    settle_at_most_s: float = 120.0
    settled_percent: float = 0.1  # drift of input power over the window
    settled_window_s: float = 20.0
    average_s: float = 10.0
    temperature_loads_percent: tuple[float, ...] = (100.0,)  # the case is read at these


@dataclass(frozen=True)
class Plan:
    name: str
    procedure: str
    options: GridOptions = GridOptions()
