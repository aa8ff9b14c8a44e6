"""What soft leads are asked for, and how they are put into a plan."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.fields import Choosing, Field, Typing, between, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import WeaklyFed, claims_one_of

FIGURES = ("starts_behind", "stands_behind")
OHMS = (0.1, 0.2, 0.5, 1.0)
OF_MATCHED = (0.1, 0.25, 0.5, 0.9)  # of what a unit of these watts could be fed through at all


def read_ohms(text: str) -> tuple[float, ...]:
    """``0.1 0.2 0.5`` as resistances. InputError for anything else."""
    try:
        return tuple(float(word) for word in text.replace("Ω", " ").replace("ohm", " ").replace(",", " ").split())
    except ValueError:
        raise InputError("resistances are numbers in ohm, such as 0.1 0.2 0.5") from None


@dataclass(frozen=True)
class SoftOptions(WeaklyFed):
    """Behind each resistance of ``ohms`` in its input lead the unit is switched on at ``line`` under each load, and
    where it does not start so, once more unloaded; the load follows."""

    procedure: Literal["soft_leads"] = "soft_leads"
    line: Line = LINES[0]
    loads_percent: tuple[float, ...] = (100.0,)
    ohms: tuple[float, ...] = OHMS
    tolerance_percent: float = 5.0
    settle_s: float = 5.0

    form: ClassVar[tuple[Field, ...]] = (
        fields.LINE,
        fields.LOADS,
        Typing("In the lead, Ω", "ohms", lambda x: " ".join(f"{v:g}" for v in x), read_ohms),
        Choosing("Output good within", "tolerance_percent", tuple((f"±{p:g} %", p) for p in (1.0, 2.0, 5.0, 10.0))),
        Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    )

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        """A mains lead is no such thing: its impedance is stated by standards of flicker."""
        if plate.inputs and plate.input.type != "dc":
            return "it is about leads that carry direct current to the unit"
        return super().suits(plate)

    @property
    def reason(self) -> str:
        return "the unit may hunt behind its leads: after everything gentle"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        super().check()
        if not self.ohms or list(self.ohms) != sorted(set(self.ohms)):
            raise InputError("resistances that rise, such as 0.1 0.2 0.5", key="part.ohms")
        if not 0.001 <= self.ohms[0] <= self.ohms[-1] <= 1000.0:
            raise InputError("resistances of 0.001 to 1000 ohm", key="part.ohms")
        between(0.5, 600.0, settle_s=self.settle_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        if not claims_one_of(facts, *FIGURES):
            return ()
        return (cls(line=facts.first, ohms=_worth(facts.unit.nameplate, facts.first)),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))


def _worth(plate: Nameplate, line: Line) -> tuple[float, ...]:
    """Resistances at hand below V^2 / 4P, and those that claims name; beyond it no source feeds such a unit."""
    watts = sum(abs(o.voltage_V * o.current_A) for o in plate.outputs if o.current_A)
    named = {c.low for c in plate.claims if c.figure in FIGURES and c.kept and c.low}
    matched = line.voltage_V**2 / (4.0 * watts) if watts else 0.0
    found = {_at_hand(share * matched) for share in OF_MATCHED if matched} | named
    return tuple(sorted(r for r in found if 0.001 <= r <= 1000.0)) or OHMS


def _at_hand(ohm: float) -> float:
    """The next 1, 2 or 5 below."""
    decade = 10.0 ** math.floor(math.log10(ohm))
    return round(max(m for m in (1.0, 2.0, 5.0) if m * decade <= ohm * (1.0 + 1e-9)) * decade, 6)
