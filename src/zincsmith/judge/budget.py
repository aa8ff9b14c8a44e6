"""An uncertainty budget as people read it: the parts of single points taken together, the largest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.model.finding import Contribution


@dataclass(frozen=True)
class BudgetLine:
    """``u`` is a standard uncertainty in the unit of the finding; ``count`` says how many points have such a part."""

    words: str
    u: float
    shared: bool
    count: int


def grouped(contributions: Sequence[Contribution]) -> list[BudgetLine]:
    """Shared sources one by one, what belongs to single points by its kind, root sum of squares."""
    groups: dict[str, list[Contribution]] = {}
    for c in contributions:
        groups.setdefault(c.source if c.shared else _own_words(c.source), []).append(c)
    rows = [
        BudgetLine(
            _shared_words(name) if cs[0].shared else name, sum(c.effect**2 for c in cs) ** 0.5, cs[0].shared, len(cs)
        )
        for name, cs in groups.items()
    ]
    return sorted(rows, key=lambda row: -row.u)


def _shared_words(source: str) -> str:
    parts = source.removeprefix("gain of ").split(", ")
    return f"gain of {parts[1].replace('_', ' ')}" if len(parts) > 1 else source


def _own_words(source: str) -> str:
    identity, _, what = source.partition(" ")
    quantity = identity.rsplit("/", 1)[-1].partition(".")[0].replace("_", " ")
    return f"rest of {quantity}" if what == "data sheet" else f"repeats of {quantity}"
