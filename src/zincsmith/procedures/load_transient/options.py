"""How load steps is put into a plan: not yet, it is worked out of recorded files."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.procedures.planning import Facts, Planned


@dataclass(frozen=True)
class LoadTransientOptions(Planned):
    """Nothing is asked for."""

    procedure: Literal["load_transient"] = "load_transient"

    def unmet(self, facts: Facts) -> str:
        return "so far it is worked out of recorded files; no bench carries it out yet"
