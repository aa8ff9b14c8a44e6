"""What a line that goes away for a moment is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_mains, fed_with_fixed_outputs
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, check_loads
from zincsmith.procedures.planning import AtOneLine, Facts
from zincsmith.procedures.waveforms.options import LATE, claims_one_of

# (percent of the line that is left, s): IEC 61000-4-11, values from memory.
DIPS = ((0.0, 0.01), (0.0, 0.02), (40.0, 0.2), (70.0, 0.5), (0.0, 5.0))
SHORT = ((0.0, 0.01), (0.0, 0.02))
FIGURES = ("dip_out_time",)
FORM: tuple[Field, ...] = (
    fields.LINE,
    fields.LOADS,
    Choosing("The line goes to", "dips_percent_s", (
        ("0 % for 10 and 20 ms, 40 % for 0.2 s, 70 % for 0.5 s, 0 % for 5 s", DIPS), ("0 % for 10 and 20 ms", SHORT),
        ("not away", ()),
    )),
    Choosing("A jump to the highest line for", "jump_s", (("0.5 s", 0.5), ("left out", 0.0))),
    Choosing("Ends of its frequency", "ends", (("looked at", True), ("left out", False))),
    Choosing("Good within", "tolerance_percent", tuple((f"{p:g} % of nominal", p) for p in (2.0, 5.0, 10.0))),
)  # fmt: skip


@dataclass(frozen=True)
class DipOptions(AtOneLine):
    """Under each load the line goes to each share of its volts for so long, recorded by a scope; then up to the highest
    line and back; and the output at both ends of the rated frequency."""

    procedure: Literal["line_dips"] = "line_dips"
    line: Line = LINES[-1]
    loads_percent: tuple[float, ...] = (100.0,)
    dips_percent_s: tuple[tuple[float, float], ...] = DIPS
    jump_s: float = 0.5
    ends: bool = True
    tolerance_percent: float = 5.0
    settle_s: float = 3.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}
    tests: ClassVar[tuple[str, ...]] = FIGURES

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_mains(plate) or fed_with_fixed_outputs(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return LATE - 1

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Undisturbed", f"within {self.tolerance_percent:g} % of nominal, the whole record"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        if not all(0.0 <= left < 100.0 and 0.001 <= s <= 30.0 for left, s in self.dips_percent_s):
            raise InputError("(percent of the line that is left, s): below 100 %, 0.001 to 30 s",
                             key="part.dips_percent_s")  # fmt: skip
        if not 0.0 <= self.jump_s <= 30.0:
            raise InputError("0, or up to 30 s", key="part.jump_s")
        if not 0.1 <= self.tolerance_percent <= 30.0:
            raise InputError("a tolerance of 0.1 to 30 %", key="part.tolerance_percent")
        between(0.5, 600.0, settle_s=self.settle_s)

    def unmet(self, facts: Facts) -> str:
        """A source that lets go by itself, and a scope on the output."""
        if facts.rig.instrument("scope") is None:
            return "the rig has no scope: what an output does in a dip is over before anybody reads it"
        if not facts.dips:
            return "the source cannot let its volts go away for a moment by itself, or its dialect has no words for it"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states it, at the highest line."""
        if cls.suits(facts.unit.nameplate) or not claims_one_of(facts, *FIGURES):
            return ()
        return (cls(line=facts.lines_or_usual[-1]),)
