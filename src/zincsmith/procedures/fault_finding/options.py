"""What fault finding is asked for: what was reported, and what is between mains and a unit that may be short."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.analysis.worksheet import read_good, sheet_of
from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_with_fixed_outputs
from zincsmith.procedures.fields import Choosing, Field, Typing, check_lines, read_words
from zincsmith.procedures.planning import AtOneLine, Facts

Symptom = Literal[
    "dead", "blows its fuse", "tries again and again", "volts too low", "volts too high", "ripples or hums"
]
REPORTED: tuple[Symptom, ...] = (
    "dead", "blows its fuse", "tries again and again", "volts too low", "volts too high", "ripples or hums",
)  # fmt: skip
WHEN = ("", "warm", "cold", "tapped, gently, with something that insulates")
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("What was reported", "symptom", tuple((s, s) for s in REPORTED)),
    Typing("It fed, its age, what came before", "history", str, read_words),
    Typing("A known good one of the model reads", "known_good", str, read_words),
    Choosing("It shows", "shows_when", tuple((words or "always", words) for words in WHEN)),
    Choosing("A corrector ahead of the bulk", "corrected", (("none", False), ("there is one", True))),
    Choosing(
        "Between mains and unit", "limited", (("a series lamp, or a source that limits", True), ("nothing", False))
    ),
)


@dataclass(frozen=True)
class FaultOptions(AtOneLine):
    """Stage by stage from the input on, unplugged and proven dead first; what was reported orders the suspects. A live
    reading is proposed only while no unplugged one decides, behind a series lamp or a source that limits. With
    ``known_good``, what another piece of the model reads (``bulk 412k, bulk 322 V``), readings are held against that;
    ``shows_when`` is the condition that brings an intermittent fault."""

    procedure: Literal["fault_finding"] = "fault_finding"
    line: Line = LINES[0]
    symptom: Symptom = "dead"
    history: str = ""
    known_good: str = ""
    shows_when: str = ""
    corrected: bool = False
    limited: bool = True

    form: ClassVar[tuple[Field, ...]] = FORM
    attended: ClassVar[bool] = True

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_with_fixed_outputs(plate)

    @property
    def rank(self) -> int:
        return 1

    @property
    def reason(self) -> str:
        return "what is broken is found before anything else is asked of it"

    def check(self) -> None:
        """InputError, with the key of the option, for what nobody should do."""
        check_lines((self.line,), "line")
        if self.shows_when not in WHEN:
            raise InputError(f"one of: {', '.join(w for w in WHEN if w)}", key="part.shows_when")
        if not self.limited:
            raise InputError("a unit that may be short is fed through a series lamp, or a source that limits",
                             key="part.limited")  # fmt: skip

    def unmet(self, facts: Facts) -> str:
        """Somebody has to go there with a meter; what a known good one reads has to be of its stages."""
        try:
            read_good(self.known_good, sheet_of(facts.unit.nameplate, self.line.voltage_V, self.corrected))
        except ValueError as error:
            return str(error)
        if not facts.rig.by_hand("multimeter"):
            return "the rig has no multimeter that a person goes to the stages with"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By nobody: a unit is broken when a person says so."""
        return ()
