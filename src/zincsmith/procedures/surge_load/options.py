"""What a surge is asked for: by name, and only where a plate states one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import BeyondRating

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Times", "repeats", tuple((f"{n}", n) for n in (1, 3))),
    Choosing("Rest between", "rest_s", times(30.0, 120.0, 600.0)),
)


@dataclass(frozen=True)
class SurgeOptions(BeyondRating):
    """From half its load to the watts that its plate states for a moment, for that moment, and back; ``repeats`` with
    rest between."""

    procedure: Literal["surge_load"] = "surge_load"
    lines: tuple[Line, ...] = LINES[:1]
    repeats: int = 3
    rest_s: float = 30.0

    form: ClassVar[tuple[Field, ...]] = FORM
    tests: ClassVar[tuple[str, ...]] = ("surge_power",)

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        if unfit := fed_by_one_source(plate):
            return unfit
        return "" if any(one.surge_W for one in plate.outputs) else "its plate states no surge"

    @property
    def loads_used(self) -> tuple[float, ...]:
        return (100.0,)

    @property
    def reason(self) -> str:
        return "it drives the unit beyond its rating: after everything gentle"

    def unmet(self, facts: Facts) -> str:
        """A moment is over before anybody types it."""
        by_hand = [role for role in ("voltmeter", "load") if facts.rig.by_hand(role)]
        if by_hand:
            return f"the {by_hand[0]} is read by hand: a surge is over before anybody types it"
        return fed_by_one_source(facts.unit.nameplate)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not 1 <= self.repeats <= 10:
            raise InputError("1 to 10 times", key="part.repeats")
        between(0.0, 3600.0, rest_s=self.rest_s)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
