"""What the search for regimes is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Unit
from zincsmith.procedures.fields import LINE, Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import RATED, TOGETHER, Facts, OnMains, Refit, ports_of_rated

CORRECTED_FROM_W = 70.0  # rated output; limits for harmonics begin at 75 W of input (IEC 61000-3-2, from memory)
FORM: tuple[Field, ...] = (
    LINE,
    Choosing("Steps of the load", "step_percent", tuple((f"{p:g} %", p) for p in (5.0, 10.0, 20.0))),
    Choosing("Closed in on to", "resolution_percent", tuple((f"{p:g} % load", p) for p in (0.5, 1.0, 2.0))),
    Choosing("Wait at each", "settle_s", times(4.0, 6.0, 20.0)),
    Choosing("Average over", "average_s", times(4.0, 10.0)),
)


@dataclass(frozen=True)
class RegimeOptions(OnMains):
    """Where power-factor correction switches: the load in steps of ``step_percent`` up and down at one line, then
    closer to each jump until the loads on both sides are ``resolution_percent`` apart.
    """

    procedure: Literal["power_factor_regimes"] = "power_factor_regimes"
    line: Line = LINES[0]
    step_percent: float = 10.0
    resolution_percent: float = 1.0
    settle_s: float = 6.0
    average_s: float = 4.0
    ports: Literal["lowest", "rated"] = "lowest"  # what those that are asked for a mode are asked for

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.line,)

    @property
    def rank(self) -> int:
        return TOGETHER if self.ports == RATED else super().rank

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not 2.0 <= self.step_percent <= 50.0 or not 0.1 <= self.resolution_percent <= self.step_percent:
            raise InputError("steps of 2 to 50 %, closed in on to 0.1 % at best", key="part.step_percent")
        between(1.0, 600.0, settle_s=self.settle_s, average_s=self.average_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        ports: Any = RATED if ports_of_rated(facts.unit.nameplate) else "lowest"
        return tuple(cls(line=line, ports=ports) for line in facts.lines[:1]) if corrected(facts.unit) else ()

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))


def corrected(unit: Unit) -> bool:
    """Whether the unit may correct its power factor: a claim speaks of it, or its power is where rules ask for it."""
    plate = unit.nameplate
    claimed = any(c.figure == "power_factor" and c.kept for c in plate.claims)
    return claimed or plate.rated_power_W >= CORRECTED_FROM_W
