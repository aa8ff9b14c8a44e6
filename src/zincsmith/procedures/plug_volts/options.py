"""What the pins of a pulled plug are asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_mains
from zincsmith.procedures.fields import Choosing, Field, Typing, between, check_lines, read_number
from zincsmith.procedures.planning import AtOneLine, Facts
from zincsmith.procedures.waveforms.options import LATE, claims_one_of

FIGURE = "plug_voltage"
MOST_PULLS = 40
# (V, s after the pull): values from memory, and a house's own may differ.
LIMITS = (
    ("60 V after 2 s (IEC 62368-1)", (60.0, 2.0)),
    ("34 V after 1 s (IEC 60335-1)", (34.0, 1.0)),
    ("60 V after 5 s (IEC 61010-1)", (60.0, 5.0)),
)
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Times pulled", "pulls", tuple((str(n), n) for n in (1, 5, 10, 20))),
    Choosing("At most", "limit", LIMITS),
    Typing("Mohm across the pins, of probe and meters", "across_Mohm", "{:g}".format, read_number),
    Typing("X capacitor, µF as printed on it; 0: not known", "capacitor_uF", "{:g}".format, read_number),
)


@dataclass(frozen=True)
class PlugOptions(AtOneLine):
    """The plug pulled as often as ``pulls``, the unit unloaded, its pins recorded for ``record_s``; ``limit`` is (V, s
    after the pull). ``across_Mohm`` is what reads the pins, all of it side by side; with ``capacitor_uF`` what it takes
    off them is made up for."""

    procedure: Literal["plug_volts"] = "plug_volts"
    line: Line = LINES[-1]
    pulls: int = 10
    limit: tuple[float, float] = (60.0, 2.0)
    across_Mohm: float = 100.0
    capacitor_uF: float = 0.0
    record_s: float = 5.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_mains(plate)

    @property
    def rank(self) -> int:
        return LATE - 2

    @property
    def reason(self) -> str:
        return "it is plugged in and pulled again and again, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        volts, seconds = self.limit
        return (("Volts at the plug", f"from the crest of the line, {seconds:g} s after; at most {volts:g} V"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not 1 <= self.pulls <= MOST_PULLS:
            raise InputError(f"1 to {MOST_PULLS} times", key="part.pulls")
        volts, seconds = self.limit
        if not (1.0 <= volts <= 1000.0 and 0.1 <= seconds <= 60.0):
            raise InputError("(V, s): 1 to 1000 V, 0.1 to 60 s after the pull", key="part.limit")
        if not 0.1 <= self.across_Mohm <= 1e5:
            raise InputError("0.1 to 100000 Mohm", key="part.across_Mohm")
        if not 0.0 <= self.capacitor_uF <= 100.0:
            raise InputError("0, or up to 100 µF", key="part.capacitor_uF")
        between(max(0.5, seconds), 120.0, record_s=self.record_s)

    def unmet(self, facts: Facts) -> str:
        """A scope on the pins."""
        scope = facts.rig.instrument("scope")
        if scope is None:
            return "the rig has no scope; record the pins with what is there, and take the file in"
        if not any(c.quantity == "input_voltage" for c in scope.scope_channels):
            return "no channel of the scope is joined to the input, through a differential probe rated for it"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states it, at the highest line."""
        if cls.suits(facts.unit.nameplate) or not claims_one_of(facts, FIGURE):
            return ()
        return (cls(line=facts.lines_or_usual[-1]),)
