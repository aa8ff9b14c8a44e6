"""What a static grid is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.formats.words import duration
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LAW_WORDS, Draw, Feed, LoadLaw, OperatingPoint
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.port import of_output, output_ports
from zincsmith.model.scope import Stood
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, LONGEST_S, Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import RATED, TOGETHER, Facts, Planned, Refit, ports_of_rated

MOST_TURNS = 100
NEXT_WARM_UP_S = 300.0  # of a grid that follows another
OTHERS_PERCENT = 50.0  # what the other rails give while one is varied; common practice, no source
# The loads that a figure is worked out from, percent; what is not named here takes all of a plan's.
LOADS_OF: dict[str, tuple[float, ...]] = {
    "load_regulation": (100.0, 0.0),
    "load_regulation_at_once": (100.0, 0.0),
    "line_regulation": (100.0,),
    "input_current": (100.0,),
    "power_factor": (100.0,),
    "case_temperature": (100.0,),
    "average_active_efficiency": (100.0, 75.0, 50.0, 25.0),
    "output_resistance": (100.0, 50.0, 0.0),
}
DRIFT = (
    ("nothing", (False, False)),
    ("cold as well", (True, False)),
    ("the first load again", (False, True)),
    ("cold, and first again", (True, True)),
)
# Turns of two loads, seconds after the step, turns of two lines.
TURNS = (
    ("as they come", (0, 0.0, 0)),
    ("loads in turns, 5 times", (5, 0.0, 0)),
    ("and 2 s after the step", (5, 2.0, 0)),
    ("lines in turns, 5 times", (0, 0.0, 5)),
    ("loads and lines, 5 times", (5, 0.0, 5)),
    ("all of these", (5, 2.0, 5)),
)
# A load that holds the volts has nothing to hold at an output that holds them too.
LAWS_OFFERED = tuple((LAW_WORDS[law], law) for law in ("CC", "CR", "CP"))
FORM: tuple[Field, ...] = (
        fields.LINES,
        LOADS,
        Choosing("Warm-up before", "warm_up_s", times(0.0, 120.0, 600.0, 1800.0, 3600.0)),
        Choosing("Load as", "law", LAWS_OFFERED),
        Choosing("For what drifts", "cold again", DRIFT),
        Choosing("Small differences", "turns at_once_s line_turns", TURNS),
        Choosing("After a line change", "rewarm_s", times(0.0, 60.0, 300.0, 900.0)),
        Choosing("Settled when", "settled_percent", tuple((f"< {p:g} % in 20 s", p) for p in (0.05, 0.1, 0.2, 0.5))),
        Choosing("Wait at most", "settle_at_most_s", times(30.0, 60.0, 120.0, 300.0)),
        Choosing("Average over", "average_s", times(4.0, 10.0, 20.0, 60.0)),
        Choosing("Ripple at each point", "ripple", (("not recorded", False), ("a short record", True))),
        Choosing("Efficiency curve", "refine_points", tuple((f"{n} more points" if n else "as planned", n)
                                                            for n in (0, 3, 6, 12))),
)  # fmt: skip


@dataclass(frozen=True)
class GridOptions(Planned):
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
    law: LoadLaw = "CC"  # of the loads
    ripple: bool = False  # a short record of the output rides on every point
    refine_points: int = 0  # further points at the first line, where the efficiency curve is least certain

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return TOGETHER if self.mode == RATED else super().rank

    @property
    def reason(self) -> str:
        if self.mode == RATED:
            return "ports that let go together end the run: each was seen alone before"
        return "the grid warms the unit, and needs the load that standby power takes off"

    def with_loads(self, loads_percent: tuple[float, ...], apart: float) -> GridOptions:
        if self.port or self.mode:
            return self
        more = [load for load in loads_percent if all(abs(load - have) >= apart for have in self.loads_percent)]
        down = self.loads_percent[0] >= self.loads_percent[-1]
        return replace(self, loads_percent=tuple(sorted({*self.loads_percent, *more}, reverse=down)))

    def loads_at(self, line: Line) -> tuple[float, ...]:
        """The loads that are taken at a line, in their order."""
        at = line.voltage_V, line.frequency_Hz
        return tuple(load for load in self.loads_percent if (*at, load) not in self.dropped)

    def told(self) -> tuple[tuple[str, str], ...]:
        """Warm-up, and when a point counts as settled."""
        warm = f"{duration(self.warm_up_s)} at full load, {self.lines[0].words}"
        still = f"settled when input power drifts less than {self.settled_percent} % in {self.settled_window_s:g} s"
        return (
            ("Warm-up", f"{warm}; {duration(self.rewarm_s)} after a change of line"),
            ("At each point", f"{still}, at most {duration(self.settle_at_most_s)}; mean over {self.average_s:g} s"),
        )

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        if any(
            not 0.0 <= t <= LONGEST_S for t in (self.warm_up_s, self.rewarm_s, self.settle_s, self.settle_at_most_s)
        ):
            raise InputError("times must lie between 0 and 86400 s", key="part")
        if not 0 <= self.refine_points <= 100:
            raise InputError("must lie between 0 and 100", key="part.refine_points")
        for key in ("turns", "line_turns"):
            if not 0 <= getattr(self, key) <= MOST_TURNS:
                raise InputError(f"must lie between 0 and {MOST_TURNS}", key=f"part.{key}")
        between(0.0, 60.0, at_once_s=self.at_once_s)
        between(1.0, 3600.0, average_s=self.average_s)
        if not 4.0 <= self.settled_window_s <= 3600.0 or self.settled_percent <= 0.0:
            raise InputError("a window of 4 to 3600 s and a drift above zero are needed", key="part")
        if self.law == "CV":
            raise InputError("an output that holds its volts cannot be loaded by one that holds them too",
                             key="part.law")  # fmt: skip
        if not 0.0 <= self.others_percent <= 100.0:
            raise InputError("must lie between 0 and 100 %", key="part.others_percent")

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """One over all lines with all outputs alike; then one output at a time, where there are several, and each mode
        of an output that has several, on the first and the last line. Ports that share are used one at a time, since
        what one may give depends on what is plugged in elsewhere; all of them, asked for what each is rated for, come
        last: where they let go the run ends."""
        lines, plate = facts.lines_or_usual, facts.unit.nameplate
        shared = bool(plate.sharing) or any(o.modes for o in plate.outputs)
        mode = RATED if ports_of_rated(plate) else ""
        whole = cls(lines=lines, cold=True, again=facts.read_by_program, mode=mode)
        found: list[Options] = [whole]
        for port, output in zip(output_ports(plate), plate.outputs, strict=False):
            modes = [m.name for m in of_output(output).modes if m.law == "fixed"]
            for mode in modes if len(modes) > 1 else [""]:
                ends = lines[:1] if len(lines) < 2 or not mode else (lines[0], lines[-1])
                others = 0.0 if shared else OTHERS_PERCENT
                if port or mode:
                    one = cls(lines=ends, warm_up_s=NEXT_WARM_UP_S, port=port, mode=mode, others_percent=others)
                    found.append(one)
        return tuple(found)

    def unmet(self, facts: Facts) -> str:
        if self.ripple and facts.rig.instrument("scope") is None:
            return "ripple is to be recorded at each point, and the rig has no scope"
        return ""

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    def retested(self, figures: Sequence[str], facts: Facts) -> Options | None:
        """The loads that these figures are worked out from, in its own order, and nothing beside them."""
        if not figures:
            return None
        part = self
        if all(f in LOADS_OF for f in figures):
            wanted = {load for f in figures for load in LOADS_OF[f]}
            part = replace(part, loads_percent=tuple(sorted(wanted, reverse=True)))
        return replace(part, cold=False, refine_points=0, again=part.again and "output_resistance" in figures)

    def stands(self) -> tuple[Stood, ...]:
        first = self.loads_percent[:1] == (100.0,)
        found = []
        modes = ((self.port, self.mode),) if self.mode and self.mode != RATED else ()
        for line in self.lines:
            warm = self.warm_up_s if line == self.lines[0] else self.rewarm_s
            for load in self.loads_percent:
                at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load),), modes)
                found.append(Stood(at, self.settle_s + (warm if load == 100.0 and first else 0.0)))
        return tuple(found)


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


def grid_of(parts: Sequence[Options]) -> GridOptions | None:
    """The first static grid of a plan, None when it has none."""
    return next((p for p in parts if isinstance(p, GridOptions)), None)
