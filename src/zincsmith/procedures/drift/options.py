"""What drift is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import TOGETHER, AtOneLine, Facts
from zincsmith.procedures.waveforms.options import claims_one_of

FIGURES = ("drift", "warm_up_drift")
MOST_READINGS = 5000
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Under a load of", "load_percent", tuple((f"{p:g} %", p) for p in (10.0, 50.0, 100.0))),
    Choosing("After a warm-up of", "warm_up_s", times(0.0, 1800.0, 3600.0)),
    Choosing("For", "lasts_s", times(3600.0, 4 * 3600.0, 8 * 3600.0)),
    Choosing("Read every", "every_s", times(60.0, 300.0, 1800.0)),
)


@dataclass(frozen=True)
class DriftOptions(AtOneLine):
    """Read every ``every_s`` from the moment it is loaded: through ``warm_up_s``, and for ``lasts_s`` after it."""

    procedure: Literal["drift"] = "drift"
    line: Line = LINES[0]
    load_percent: float = 50.0
    warm_up_s: float = 1800.0
    lasts_s: float = 8 * 3600.0
    every_s: float = 60.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[dict[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return (self.load_percent,)

    @property
    def rank(self) -> int:
        return TOGETHER

    @property
    def reason(self) -> str:
        return "it takes hours: what is soon known comes first"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Drift", "the highest less the lowest of what was read after the warm-up"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not 0.0 <= self.load_percent <= 100.0:
            raise InputError("0 to 100 %", key="part.load_percent")
        between(0.0, 7200.0, warm_up_s=self.warm_up_s)
        between(600.0, 100 * 3600.0, lasts_s=self.lasts_s)
        between(5.0, 7200.0, every_s=self.every_s)
        if (self.warm_up_s + self.lasts_s) / self.every_s > MOST_READINGS:
            raise InputError(f"{MOST_READINGS} readings at most: read it less often", key="part.every_s")

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states it; a person reads it every half hour."""
        if cls.suits(facts.unit.nameplate) or not claims_one_of(facts, *FIGURES):
            return ()
        return (cls(line=facts.first, every_s=60.0 if facts.read_by_program else 1800.0),)
