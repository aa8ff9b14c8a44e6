"""What touch current is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_mains
from zincsmith.procedures.fields import Choosing, Field, check_lines
from zincsmith.procedures.planning import AtOneLine, Facts
from zincsmith.procedures.waveforms.options import claims_one_of

FIGURE = "touch_current"
# (words, A): IEC 62368-1 and IEC 60335-1 for class II, values from memory.
LIMITS = (
    ("0.25 mA", 0.25e-3), ("0.5 mA", 0.5e-3), ("0.1 mA, where it goes to a person", 0.1e-3), ("no limit", 0.0),
)  # fmt: skip
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("At most", "limit_A", LIMITS),
    Choosing("The plug turned round", "both_ways", (("read both ways", True), ("read one way", False))),
)


@dataclass(frozen=True)
class TouchOptions(AtOneLine):
    """From each output to earth through the network of a person, at the highest line, the plug both ways round."""

    procedure: Literal["touch_current"] = "touch_current"
    line: Line = LINES[-1]
    limit_A: float = 0.25e-3
    both_ways: bool = True

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[dict[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_mains(plate)

    @property
    def reason(self) -> str:
        return "what flows through whoever touches it is known before it is loaded and heated"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Touch current", "rms through 2 kohm or the network of IEC 60990, unit unloaded"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not 0.0 <= self.limit_A <= 0.1:
            raise InputError("0, or up to 0.1 A", key="part.limit_A")

    def unmet(self, facts: Facts) -> str:
        """Somebody has to go there with a meter, and a source without earth has nothing to flow back to."""
        if not facts.rig.by_hand("multimeter"):
            return "the rig has no multimeter that a person reads through the network"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states it, at the highest line."""
        if cls.suits(facts.unit.nameplate) or not claims_one_of(facts, FIGURE):
            return ()
        return (cls(line=facts.lines_or_usual[-1]),)
