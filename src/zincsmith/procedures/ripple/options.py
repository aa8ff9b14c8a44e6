"""How ripple is put into a plan: not yet, it is worked out of recorded files."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.model.unit import Nameplate
from zincsmith.procedures.planning import Planned


@dataclass(frozen=True)
class RippleOptions(Planned):
    """Nothing is asked for."""

    procedure: Literal["ripple"] = "ripple"

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return "ripple is worked out of recorded files so far (zincsmith analyse ripple); no plan can hold it yet"
