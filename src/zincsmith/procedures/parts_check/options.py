"""What the capacitors of a unit are asked for, and how that is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.intake import Part
from zincsmith.model.plan import Options
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.fields import Choosing, Field
from zincsmith.procedures.planning import Facts, Planned

CAPACITORS = ("bulk capacitor", "input capacitor", "output capacitor", "X capacitor", "Y capacitor")
FORM: tuple[Field, ...] = (
    Choosing("They are read", "lifted", (("in their circuit", False), ("with one leg lifted, or out of it", True))),
    Choosing("At", "hertz", (("120 Hz", 120.0), ("1 kHz", 1e3), ("100 kHz", 1e5))),
)


@dataclass(frozen=True)
class PartsOptions(Planned):
    """Every capacitor that the look inside notes with its marking, on a unit that is unplugged and proven dead."""

    procedure: Literal["parts_check"] = "parts_check"
    lifted: bool = False
    hertz: float = 120.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return "" if plate.inputs else "the nameplate states no input yet"

    @property
    def rank(self) -> int:
        return 1

    @property
    def reason(self) -> str:
        return "parts are read while the unit is unplugged, before anything is energised"

    def check(self) -> None:
        """InputError, with the key of the option, for what no meter does."""
        if not 20.0 <= self.hertz <= 2e6:
            raise InputError("20 Hz to 2 MHz", key="part.hertz")

    def unmet(self, facts: Facts) -> str:
        """A meter, and parts to hold it at."""
        if facts.rig.instrument("lcr_meter") is None:
            return "the rig has no LCR meter"
        if not capacitors_of(facts.unit):
            return "no capacitor is noted with its marking: note them at Before power"
        return ""

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a person put a meter for it on the bench."""
        return () if cls().unmet(facts) else (cls(),)


def capacitors_of(unit: Unit) -> tuple[Part, ...]:
    """In the order in which they were noted."""
    return tuple(p for p in unit.look.parts if p.what in CAPACITORS and p.capacitance_F)
