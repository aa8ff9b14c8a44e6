"""What the safety gates are asked for, and how they are put into a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from zincsmith.model.plan import Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.planning import Facts, Planned


@dataclass(frozen=True)
class SafetyOptions(Planned):
    """``restore``: at the end, what has to be put back as it was."""

    procedure: Literal["safety_checks"] = "safety_checks"
    restore: bool = False

    @classmethod
    def suits(cls, plate: Nameplate) -> str:  # every unit
        return ""

    @property
    def rank(self) -> int:
        return 9 if self.restore else 0

    @property
    def reason(self) -> str:
        if self.restore:
            return "the unit is put back as it was when all work on it is done"
        return "the safety gates come before anything is energised"

    @property
    def stays(self) -> str:
        return "" if self.restore else "the safety gates stay: every other part relies on them"

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return (cls(), cls(restore=True))

    def retested(self, figures: Sequence[str], facts: Facts) -> Options | None:
        return self
