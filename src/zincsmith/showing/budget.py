"""An uncertainty budget as people read it: the parts of single points taken together, the largest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.model.address import name_of
from zincsmith.model.finding import Contribution
from zincsmith.model.quantities import QUANTITIES

SHEET = " data sheet"
UNSPLIT_WORDS = (
    "A data sheet that gives one limit does not say how it splits: all readings of a range err alike, or each by "
    "itself, whichever is worse for the figure. A convention of the house, not a bound."
)


@dataclass(frozen=True)
class BudgetLine:
    """``u`` is a standard uncertainty in the unit of the finding; ``count`` says how many readings have such a part,
    ``shared`` whether it moves all of them alike."""

    words: str
    u: float
    shared: bool
    count: int


def grouped(contributions: Sequence[Contribution]) -> list[BudgetLine]:
    """Shared sources and limits one by one, what belongs to single points by its kind, root sum of squares."""
    groups: dict[str, list[Contribution]] = {}
    for c in contributions:
        groups.setdefault(c.source if c.shared else _own_words(c.source), []).append(c)
    rows = []
    for name, cs in groups.items():
        u = sum(c.size**2 for c in cs) ** 0.5
        if cs[0].shared:
            rows.append(BudgetLine(_words(cs[0]), u, cs[0].alike, cs[0].count))
        else:
            rows.append(BudgetLine(name, u, False, len(cs)))
    return sorted(rows, key=lambda row: -row.u)


def column_words(name: str) -> str:
    """The head of a column of a working: what is an address, in words, with its unit."""
    if name_of(name) not in QUANTITIES:
        return name
    one = QUANTITIES[name]
    return " / ".join(x for x in (one.inside, one.unit) if x)


def unsplit_words(contributions: Sequence[Contribution]) -> str:
    """What is said beside a budget with limits of which nobody knows how they split; empty without such."""
    return "" if all(c.separate is None for c in contributions) else UNSPLIT_WORDS


def _words(one: Contribution) -> str:
    parts = one.source.removeprefix("gain of ").split(", ")
    if not one.source.endswith(" range"):
        return parts[0].partition(" no. ")[0].partition(" of run ")[0]
    what = QUANTITIES[parts[1]].inside if name_of(parts[1]) in QUANTITIES else parts[1].replace("_", " ")
    return f"{'gain' if one.separate is None else 'limit'} of {what}"


def _own_words(source: str) -> str:
    sheet = source.endswith(SHEET)
    address = source.removesuffix(SHEET).removesuffix(" repeats").rsplit("/", 1)[-1]
    if ", " in address and address not in QUANTITIES:  # of a rehearsal: meter, quantity, point
        address = address.split(", ")[1]
    quantity = QUANTITIES[address].inside if name_of(address) in QUANTITIES else address
    return f"display and noise of {quantity}" if sheet else f"repeats of {quantity}"
