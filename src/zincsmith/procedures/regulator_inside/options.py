"""What a regulator inside a unit is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, Typing, check_lines, check_loads, read_number, read_words
from zincsmith.procedures.planning import AtOneLine, Facts

Shape = Literal["sawtooth", "sine"]
FORM: tuple[Field, ...] = (
    fields.LINE,
    fields.LOADS,
    Typing("Which regulator", "regulator", str, read_words),
    Typing("Its dropout, V", "dropout_V", "{:g}".format, read_number),
    Choosing("The ripple before it is", "shape", (("a sawtooth, of a capacitor", "sawtooth"), ("a sine", "sine"))),
)


@dataclass(frozen=True)
class RegulatorOptions(AtOneLine):
    """DC and AC volts before and behind it under each load, read by a person with a meter that blocks what it is not
    to read."""

    procedure: Literal["regulator_inside"] = "regulator_inside"
    line: Line = LINES[0]
    loads_percent: tuple[float, ...] = (100.0,)
    regulator: str = "the regulator"
    dropout_V: float = 2.0
    shape: Shape = "sawtooth"

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[dict[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        if not 0.0 <= self.dropout_V <= 10.0:
            raise InputError("0 to 10 V", key="part.dropout_V")

    def unmet(self, facts: Facts) -> str:
        """Somebody has to go there with a meter."""
        if not facts.rig.by_hand("multimeter"):
            return "the rig has no multimeter that a person goes there with"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By nobody: which regulator, and where, a person says."""
        return ()
