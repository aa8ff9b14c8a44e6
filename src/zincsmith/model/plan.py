"""A plan: the procedures of a run in their order, each with its options."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from zincsmith.model.record import Record


@dataclass(frozen=True)
class Line(Record):
    """One input condition: V rms and Hz."""

    voltage_V: float
    frequency_Hz: float

    @property
    def words(self) -> str:
        return f"{self.voltage_V:g} V {self.frequency_Hz:g} Hz"


LINES = (Line(115.0, 60.0), Line(230.0, 50.0))


@dataclass(frozen=True)
class RigCheckOptions(Record):
    """``when``: before power (zero readings, background), live (source, leads, two meters at ``load_percent``), or
    after (background again). Readings are averaged over ``readings_s``.
    """

    procedure: Literal["rig_check"] = "rig_check"
    when: Literal["before", "live", "after"] = "before"
    readings_s: float = 10.0
    load_percent: float = 25.0
    line: Line = LINES[0]


@dataclass(frozen=True)
class SafetyOptions(Record):
    """``restore``: at the end, what has to be put back as it was."""

    procedure: Literal["safety_checks"] = "safety_checks"
    restore: bool = False


@dataclass(frozen=True)
class BringUpOptions(Record):
    """``school``: raise the input from nothing, or (a boxed product) switch it to rated input at no load.

    The input is raised in steps of ``step_percent`` of its lower end, waiting ``step_s`` at each; the start and
    stop voltages are found to ``resolution_V``. ``first_line`` is where the load is raised.
    """

    procedure: Literal["bring_up"] = "bring_up"
    school: Literal["from zero", "rated input"] = "from zero"
    first_line: Line = LINES[0]
    step_percent: float = 10.0
    step_s: float = 4.0
    resolution_V: float = 1.0
    light_load_percent: float = 10.0


@dataclass(frozen=True)
class GridOptions(Record):
    """Options of the static grid; loads in percent of the rated current, times in s."""

    procedure: Literal["static_grid"] = "static_grid"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (100.0, 75.0, 50.0, 25.0, 10.0, 0.0)
    warm_up_s: float = 1800.0
    rewarm_s: float = 300.0  # at full load after a change of line
    settle_s: float = 10.0  # at least, at each point
    settle_at_most_s: float = 120.0
    settled_percent: float = 0.1  # drift of input power over the window
    settled_window_s: float = 20.0
    average_s: float = 10.0
    temperature_loads_percent: tuple[float, ...] = (100.0,)  # the case is read at these
    dropped: tuple[tuple[float, float, float], ...] = ()  # points left out: V, Hz, load in percent
    cold: bool = False  # full load is read before the warm-up too, for what drifts
    again: bool = False  # the first load is read again at the end of each line, to tell drift from resistance
    turns: int = 0  # how often the heaviest and the lightest load of each line are read in turns, for small differences
    at_once_s: float = 0.0  # how long after the load is taken off it is read in a turn, before it settles; 0 is not
    line_turns: int = 0  # how often the first and the farthest line are read in turns at the heaviest load
    port: str = ""  # the output whose load is varied, of several; empty: all of them alike
    mode: str = ""  # that this output is asked for
    others_percent: float = 50.0  # what the other outputs are kept at meanwhile
    refine_points: int = 0  # further points at the first line, where the efficiency curve is least certain

    def loads_at(self, line: Line) -> tuple[float, ...]:
        """The loads that are taken at a line, in their order."""
        at = line.voltage_V, line.frequency_Hz
        return tuple(load for load in self.loads_percent if (*at, load) not in self.dropped)


@dataclass(frozen=True)
class StandbyOptions(Record):
    """``method``: sampling (means of ``block_s`` until stable, at least ``at_least_s``) or average (two periods of ten
    minutes after half an hour, for a meter that is read by hand too). ``leads``: of the load, removed behind a gate, or
    connected with what they may take stated as ``leakage_W``.
    """

    procedure: Literal["standby"] = "standby"
    lines: tuple[Line, ...] = LINES
    method: Literal["sampling", "average"] = "sampling"
    warm_up_s: float = 300.0
    block_s: float = 60.0
    at_least_s: float = 900.0
    at_most_s: float = 3600.0
    leads: Literal["removed", "connected"] = "removed"
    leakage_W: float = 0.0


@dataclass(frozen=True)
class RegimeOptions(Record):
    """Where power-factor correction switches: the load in steps of ``step_percent`` up and down at one line, then
    closer to each jump until the loads on both sides are ``resolution_percent`` apart.
    """

    procedure: Literal["power_factor_regimes"] = "power_factor_regimes"
    line: Line = LINES[0]
    step_percent: float = 10.0
    resolution_percent: float = 1.0
    settle_s: float = 6.0
    average_s: float = 4.0


@dataclass(frozen=True)
class HarmonicOptions(Record):
    """Harmonics of the input current: a record of ``record_s`` at each line and load; loads in percent."""

    procedure: Literal["harmonics"] = "harmonics"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (100.0,)
    settle_s: float = 10.0
    average_s: float = 4.0
    record_s: float = 2.0


@dataclass(frozen=True)
class DisplayOptions(Record):
    """The supply's own display against the reference, at these loads in percent."""

    procedure: Literal["display_accuracy"] = "display_accuracy"
    line: Line = LINES[1]
    loads_percent: tuple[float, ...] = (0.0, 25.0, 50.0, 75.0, 100.0)
    settle_s: float = 10.0
    average_s: float = 4.0


HandsInAct = Literal["turn the board over", "move a probe", "look from the other side", "open the case"]


@dataclass(frozen=True)
class HandsInOptions(Record):
    """Hands go in during the work; afterwards the unit is fed at ``line`` and warmed for ``warm_up_s`` again."""

    procedure: Literal["hands_in"] = "hands_in"
    act: HandsInAct = "turn the board over"
    line: Line = LINES[0]
    warm_up_s: float = 600.0


def with_point(grid: GridOptions, line: Line, load_percent: float) -> GridOptions:
    """The grid with one more point. A line or load it brings along is left out everywhere else; loads keep their
    order, from heavy to light or the other way round."""
    lines = grid.lines if line in grid.lines else (*grid.lines, line)
    loads = list(grid.loads_percent)
    if load_percent not in loads:
        up = len(loads) > 1 and loads[0] < loads[-1]
        at = next((n for n, x in enumerate(loads) if (x > load_percent) == up), len(loads))
        loads.insert(at, load_percent)
    known = {(x.voltage_V, x.frequency_Hz, p) for x in grid.lines for p in grid.loads_percent} - set(grid.dropped)
    known.add((line.voltage_V, line.frequency_Hz, load_percent))
    every = [(x.voltage_V, x.frequency_Hz, p) for x in lines for p in loads]
    return replace(grid, lines=lines, loads_percent=tuple(loads), dropped=tuple(k for k in every if k not in known))


Options = (
    RigCheckOptions
    | SafetyOptions
    | BringUpOptions
    | GridOptions
    | StandbyOptions
    | RegimeOptions
    | HarmonicOptions
    | DisplayOptions
    | HandsInOptions
)


@dataclass(frozen=True)
class PlanWatch(Record):
    """A limit a person adds for the whole run: make safe when ``quantity`` leaves it."""

    quantity: str
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class Plan:
    """``parts`` are carried out one after another; each says by its options which procedure it is."""

    name: str
    parts: tuple[Options, ...]
    watches: tuple[PlanWatch, ...] = ()

    @property
    def grid(self) -> GridOptions | None:
        """The options of the static grid, None when the plan has none."""
        return next((p for p in self.parts if isinstance(p, GridOptions)), None)

    @property
    def lines(self) -> tuple[Line, ...]:
        """Every line that points are taken at, each once, in order."""
        found: list[Line] = []
        for part in self.parts:
            if isinstance(part, GridOptions | StandbyOptions | HarmonicOptions):
                found += part.lines
            elif isinstance(part, RegimeOptions | DisplayOptions | HandsInOptions) or (
                isinstance(part, RigCheckOptions) and part.when == "live"
            ):
                found.append(part.line)
            elif isinstance(part, BringUpOptions):
                found.append(part.first_line)
        return tuple(dict.fromkeys(found))
