"""What overload endurance is asked for: when somebody chose it, never by itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_with_fixed_outputs
from zincsmith.procedures.fields import Choosing, Field, between, check_lines
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import BeyondRating

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Overloads", "loads_percent", (
        ("110 %", (110.0,)), ("110, 125 %", (110.0, 125.0)), ("110, 125, 150 %", (110.0, 125.0, 150.0)),
    )),
    Choosing("For at most", "minutes", tuple((f"{m:g} min", m) for m in (2.0, 10.0, 30.0))),
    Choosing("Cools for at most", "cools_min", tuple((f"{m:g} min", m) for m in (5.0, 15.0, 60.0))),
)  # fmt: skip


@dataclass(frozen=True)
class EnduranceOptions(BeyondRating):
    """At each of these loads, beyond the rating, until it shuts down or for so many minutes; then half the rated load
    until it is back, for ``cools_min`` at most."""

    procedure: Literal["overload_endurance"] = "overload_endurance"
    lines: tuple[Line, ...] = LINES[:1]
    loads_percent: tuple[float, ...] = (110.0, 125.0)
    minutes: float = 10.0
    cools_min: float = 15.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def reason(self) -> str:
        return "it heats the unit beyond its rating: after everything gentle"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not self.loads_percent or any(not 100.0 < p <= 160.0 for p in self.loads_percent):
            raise InputError("loads above 100, up to 160 %", key="part.loads_percent")
        if list(self.loads_percent) != sorted(set(self.loads_percent)):
            raise InputError("from the gentlest up, each once", key="part.loads_percent")
        between(0.1, 480.0, minutes=self.minutes, cools_min=self.cools_min)

    def unmet(self, facts: Facts) -> str:
        """By hand it is looked at again and again, and typed."""
        return fed_with_fixed_outputs(facts.unit.nameplate)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
