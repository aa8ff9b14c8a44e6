"""What a thermal soak is asked for, and how it is put into a plan: when somebody chose it, it takes hours."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import LATE, OnOutputs, lines_claimed, loads_claimed

CLAIMED = ("hot_spot", "output_current")
Until = Literal["steady", "fitted"]
LIMITS = (70.0, 85.0, 105.0)  # degC
MOST_READINGS = 4000
FORM: tuple[Field, ...] = (
    fields.LINES,
    fields.LOADS,
    Choosing("Soaked at", "hottest_line", (("each line", False), ("the line that heats it most", True))),
    Choosing("Several outputs", "rails", (("together", "together"), ("each alone before", "each and together"))),
    Choosing("Until", "until", (("under 1 K in 30 min", "steady"), ("its end is told within 2 K", "fitted"))),
    Choosing("A reading every", "every_s", times(30.0, 60.0, 300.0)),
    Choosing("For at most", "hours", tuple((f"{h:g} h", h) for h in (1.0, 3.0, 8.0))),
    Choosing("Ended above", "ceiling_degC", tuple((f"{t:g} °C", t) for t in (90.0, 110.0, 130.0))),
    Choosing(
        "Largest load that stays under", "limit_degC",
        (("not looked for", None), *((f"{t:g} °C", t) for t in LIMITS)),
    ),
)  # fmt: skip


@dataclass(frozen=True)
class ThermalSoakOptions(OnOutputs):
    """At each line and load until it is *steady*, under 1 K in 30 min, or until an exponential through the readings
    tells its end within ``within_K`` (*fitted*); for ``hours`` at most. Above ``ceiling_degC`` of any spot the run
    ends. With ``limit_degC`` the largest of the loads up to the first that keeps every spot under it is looked for,
    to ``resolution_percent``; ``at_degC`` is the room it has to do so in, where that is not the one of the run. With
    ``hottest_line`` the line at which most watts stay in the unit is looked for first, and soaked at alone. ``rails``:
    of several outputs all of them together, or each alone before, at the same input."""

    procedure: Literal["thermal_soak"] = "thermal_soak"
    lines: tuple[Line, ...] = LINES[:1]
    loads_percent: tuple[float, ...] = (100.0,)
    until: Until = "steady"
    within_K: float = 2.0
    every_s: float = 60.0
    hours: float = 3.0
    ceiling_degC: float = 110.0
    limit_degC: float | None = None
    at_degC: float | None = None
    resolution_percent: float = 10.0
    hottest_line: bool = False
    rails: Literal["together", "each and together"] = "together"

    form: ClassVar[tuple[Field, ...]] = FORM
    chosen_only: ClassVar[str] = "it heats the unit for hours, and somebody stays near it"
    tests: ClassVar[tuple[str, ...]] = CLAIMED

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return LATE - 1

    @property
    def longest_s(self) -> float:
        """It ends once it is steady, which nobody foresees."""
        return 3600.0 * self.hours * len(self.lines) * len(self.loads_percent)

    @property
    def reason(self) -> str:
        return "it leaves the unit hot for an hour: after what is judged cold"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        if not 0.5 <= self.within_K <= 10.0:
            raise InputError("its end is told within 0.5 to 10 K", key="part.within_K")
        between(5.0, 1800.0, every_s=self.every_s)
        if not 0.1 <= self.hours <= 48.0 or self.hours * 3600.0 / self.every_s > MOST_READINGS:
            raise InputError(f"0.1 to 48 h, and no more than {MOST_READINGS} readings", key="part.hours")
        if not 40.0 <= self.ceiling_degC <= 200.0:
            raise InputError("a ceiling of 40 to 200 °C", key="part.ceiling_degC")
        if self.limit_degC is not None and not 30.0 <= self.limit_degC <= self.ceiling_degC:
            raise InputError("a limit from 30 °C up to the ceiling", key="part.limit_degC")
        if not 2.0 <= self.resolution_percent <= 50.0:
            raise InputError("the largest load to 2 to 50 %", key="part.resolution_percent")

    def unmet(self, facts: Facts) -> str:
        """Nothing but what it needs."""
        return fed_by_one_input(facts.unit.nameplate)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where it was chosen: at the lines and loads that claims name, and for the room and limit of the hot spot."""
        line = lines_claimed(facts, *CLAIMED)[:1]
        return (cls(lines=line, loads_percent=loads_claimed(facts, *CLAIMED) or (100.0,)),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
