"""What a unit is to start into, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LoadLaw
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_with_fixed_outputs
from zincsmith.procedures.fields import Choosing, Field, Typing, between, check_lines, check_loads
from zincsmith.procedures.planning import AtOneLine, Facts, Refit
from zincsmith.procedures.waveforms.options import LATE, claims_one_of

FIGURES = ("starts_into_capacitance", "starts_into_cc", "starts_into_cr")
CAPACITORS = (1000.0, 2200.0, 4700.0, 10000.0)
LAWS: tuple[tuple[str, tuple[LoadLaw, ...]], ...] = (
    ("constant current and resistance", ("CC", "CR")), ("constant current", ("CC",)), ("resistance", ("CR",)),
    ("neither", ()),
)  # fmt: skip


def read_capacitors(text: str) -> tuple[float, ...]:
    """``1000 4700`` in µF. InputError for anything else."""
    try:
        return tuple(float(word) for word in text.replace("µF", " ").replace("uF", " ").replace(",", " ").split())
    except ValueError:
        raise InputError("capacitors are numbers in µF, such as 1000 4700") from None


FORM: tuple[Field, ...] = (
    fields.LINE,
    fields.LOADS,
    Choosing("By which law", "laws", LAWS),
    Typing("Capacitors across the output, µF", "capacitors_uF", lambda x: " ".join(f"{v:g}" for v in x),
           read_capacitors),
    Choosing("An output that stands already at", "bias_percent", (("60 % of its volts", 60.0), ("80 %", 80.0),
                                                                  ("left out", 0.0))),
)  # fmt: skip


@dataclass(frozen=True)
class StartOptions(AtOneLine):
    """Switched on under each load, the greatest first, until it starts, by each of ``laws``; under the greatest that it
    starts with behind each capacitor, the least first, until it does not; with its first output held at a share of its
    volts by a source that gives 0.1 A, and what that feeds back into the unit while it is off."""

    procedure: Literal["starts"] = "starts"
    line: Line = LINES[0]
    loads_percent: tuple[float, ...] = (100.0, 75.0, 50.0, 25.0)
    laws: tuple[LoadLaw, ...] = ("CC", "CR")
    capacitors_uF: tuple[float, ...] = CAPACITORS
    bias_percent: float = 60.0
    settle_s: float = 3.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}
    tests: ClassVar[tuple[str, ...]] = FIGURES

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_with_fixed_outputs(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return LATE - 1

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Started", "90 % of its volts and more, with its load, from an input that was off"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        if not 0.0 < max(self.loads_percent, default=0.0) <= 100.0:
            raise InputError("loads up to 100 %, one of them above zero", key="part.loads_percent")
        if list(self.capacitors_uF) != sorted(set(self.capacitors_uF)) or any(c < 1.0 for c in self.capacitors_uF):
            raise InputError("capacitors that rise, from 1 µF, such as 1000 4700", key="part.capacitors_uF")
        if any(law not in ("CC", "CR") for law in self.laws):
            raise InputError("CC and CR are the laws that a start is tried with", key="part.laws")
        if not 0.0 <= self.bias_percent <= 95.0:
            raise InputError("0, or up to 95 % of the volts", key="part.bias_percent")
        between(0.5, 600.0, settle_s=self.settle_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states what it starts into."""
        if cls.suits(facts.unit.nameplate) or not claims_one_of(facts, *FIGURES):
            return ()
        return (cls(line=facts.first, capacitors_uF=_worth(facts.unit.nameplate)),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))


def _worth(plate: Nameplate) -> tuple[float, ...]:
    """Those that claims name, and half of it and double."""
    named = {c.low for c in plate.claims if c.figure == FIGURES[0] and c.kept and c.low}
    found = {round(1e6 * farad * times, 3) for farad in named for times in (0.5, 1.0, 2.0)}
    return tuple(sorted(found)) or CAPACITORS
