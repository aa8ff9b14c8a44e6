"""What a rig check is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures.fields import LINE, Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Planned, Refit

FORM: tuple[Field, ...] = (
    LINE,
    Choosing("Average over", "readings_s", times(4.0, 10.0, 30.0)),
    Choosing("Known load", "load_percent", tuple((f"{p:g} %", p) for p in (10.0, 25.0, 50.0, 100.0))),
)
RANKS = {"before": 1, "live": 3, "after": 8}
REASONS = {
    "before": "the background is taken before the unit was ever fed",
    "live": "source and meters are checked before what they measure is believed",
    "after": "the second background is taken after everything that it vouches for",
}


@dataclass(frozen=True)
class RigCheckOptions(Planned):
    """``when``: before power (zero readings, background), live (source, leads, two meters at ``load_percent``), or
    after (background again). Readings are averaged over ``readings_s``.
    """

    procedure: Literal["rig_check"] = "rig_check"
    when: Literal["before", "live", "after"] = "before"
    readings_s: float = 10.0
    load_percent: float = 25.0
    line: Line = LINES[0]

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.line,) if self.when == "live" else ()

    @property
    def rank(self) -> int:
        return RANKS[self.when]

    @property
    def reason(self) -> str:
        return REASONS[self.when]

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(1.0, 3600.0, readings_s=self.readings_s)
        if not 0.0 <= self.load_percent <= 100.0:
            raise InputError("must lie between 0 and 100 %", key="part.load_percent")

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        whens: tuple[Literal["before", "live", "after"], ...] = ("before", "live", "after")
        return tuple(cls(when=when, line=facts.first) for when in whens)

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))

    def retested(self, figures: Sequence[str], facts: Facts) -> Options | None:
        return self
