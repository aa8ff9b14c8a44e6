"""What an over-voltage protection is asked for: by name, and only of what its user sets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.cv_cc.options import nobody_sets
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine
from zincsmith.procedures.waveforms.options import LATE

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Protection set to", "level_percent", tuple((f"{p:g} % of the range", p) for p in (30.0, 60.0, 90.0))),
    Choosing("In steps of", "step_percent", tuple((f"{p:g} % of that", p) for p in (0.5, 1.0, 2.0))),
    Choosing("Wait at each", "settle_s", times(1.0, 2.0, 5.0)),
)
MOST_PERCENT = 95.0  # of the range: above it nobody could raise the volts to where it lets go


@dataclass(frozen=True)
class OvervoltageOptions(AtOneLine):
    """The protection is set to ``level_percent`` of the upper end of the range, then the output raised towards it in
    steps, without a load, until it lets go; then it is switched on again below."""

    procedure: Literal["overvoltage"] = "overvoltage"
    line: Line = LINES[0]
    level_percent: float = 60.0
    from_percent: float = 90.0
    to_percent: float = 115.0
    step_percent: float = 1.0
    settle_s: float = 1.0

    form: ClassVar[tuple[Field, ...]] = FORM
    tests: ClassVar[tuple[str, ...]] = ("overvoltage",)
    chosen_only: ClassVar[str] = "it raises the output to where its protection has to let go, with nothing attached"

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        if unfit := fed_by_one_input(plate):
            return unfit
        if nobody_sets(plate):
            return (
                "only what its user sets can be raised to it without harm; of others nobody drives it from outside here"
            )
        return ""

    @property
    def rank(self) -> int:
        return LATE

    @property
    def reason(self) -> str:
        return "a protection lets go on purpose: after everything gentle"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not 5.0 <= self.level_percent <= MOST_PERCENT:
            raise InputError(f"from 5 to {MOST_PERCENT:g} % of the range", key="part.level_percent")
        if not 50.0 <= self.from_percent < 100.0 < self.to_percent <= 130.0:
            raise InputError("begins below the level and ends above it: 50 to 130 %", key="part.from_percent")
        if not 0.1 <= self.step_percent <= 10.0:
            raise InputError("from 0.1 to 10 %", key="part.step_percent")
        between(0.2, 60.0, settle_s=self.settle_s)
