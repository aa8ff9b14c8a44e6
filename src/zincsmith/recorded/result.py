"""What came out of a file: figures, facts and doubts, in words and as JSON."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from zincsmith.model.finding import Doubt


@dataclass(frozen=True)
class Figure:
    """``u`` is the standard uncertainty, None where it is not known, ``k`` its coverage factor for 95.45 %; a ratio has
    no unit."""

    value: float | None
    unit: str = ""
    u: float | None = None
    k: float = 2.0
    effects: Mapping[str, float] = field(default_factory=dict)  # what one standard uncertainty of each source does


@dataclass(frozen=True)
class Mark:
    """A moment of a record that a figure goes by, in s on its own time, and by which rule it was found."""

    name: str
    time_s: float
    rule: str


@dataclass
class Analysed:
    """``facts`` are texts, truths and lists; ``marks`` what a drawing of the record shows. What is left out is told
    among the doubts."""

    kind: str
    figures: dict[str, Figure] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)
    doubts: list[Doubt] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)

    def doubt(self, code: str, text: str, remedy: str = "") -> None:
        self.doubts.append(Doubt(code, text, remedy))

    def as_json(self) -> dict[str, Any]:
        """The published form."""
        return {
            "kind": self.kind,
            "figures": {
                name: {"value": _plain(f.value), "unit": f.unit, "u": _plain(f.u), "k": f.k}
                for name, f in self.figures.items()
            },
            "facts": self.facts,
            "doubts": [{"code": d.code, "text": f"{d.text} {d.remedy}".strip()} for d in self.doubts],
        }


def _plain(value: float | None) -> float | None:
    return float(value) if value is not None and math.isfinite(value) else None
