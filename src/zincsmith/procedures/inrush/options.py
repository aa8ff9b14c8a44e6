"""What the inrush is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_mains
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import OnOutputs, claimed, lines_claimed

MOST_REPEATS = 40
FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Times", "repeats", tuple((str(n), n) for n in (1, 8, 16))),
    Choosing("Off between", "off_s", times(10.0, 60.0, 300.0)),
    Choosing("Once more hot", "hot", (("yes", True), ("no", False))),
)


@dataclass(frozen=True)
class InrushOptions(OnOutputs):
    """The input switched on, as often as ``repeats`` at whatever phase it comes, or a quarter as often at the crest
    where the source can be told the phase; off for ``off_s`` between so that what limits it is cold. With ``hot`` then
    after ``runs_s`` at full load and a break of ``break_s`` once more: what limited it has not cooled yet."""

    procedure: Literal["inrush"] = "inrush"
    lines: tuple[Line, ...] = LINES[-1:]
    repeats: int = 8
    off_s: float = 60.0
    hot: bool = True
    runs_s: float = 60.0
    break_s: float = 3.0
    record_s: float = 0.04

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not 1 <= self.repeats <= MOST_REPEATS:
            raise InputError(f"1 to {MOST_REPEATS} times", key="part.repeats")
        between(0.5, 3600.0, off_s=self.off_s)
        between(0.005, 1.0, record_s=self.record_s)
        between(1.0, 3600.0, runs_s=self.runs_s)
        between(0.5, 60.0, break_s=self.break_s)

    def unmet(self, facts: Facts) -> str:
        """A bench switches a line, somewhere in its period."""
        return fed_by_one_mains(facts.unit.nameplate) or super().unmet(facts)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return (cls(lines=lines_claimed(facts, "inrush")[-1:]),) if claimed(facts, "inrush") else ()
