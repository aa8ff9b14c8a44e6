"""A sum beside what the papers of a unit state: what would hold, and what it costs other claims. No verdict: only a
measurement earns one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zincsmith.judge.claims import all_claims
from zincsmith.model.claim import Claim
from zincsmith.model.finding import Judged
from zincsmith.model.unit import Nameplate
from zincsmith.workshop.base import Told, Worked

HOLDS, FAILS, PARTS = "would hold", "would not hold", "would hang on its parts"


@dataclass(frozen=True)
class Foreseen:
    """``told`` is what was worked out, ``now`` what the latest run found against the same claim; both in its unit."""

    claim: Claim
    told: Told
    now: float | None

    @property
    def words(self) -> str:
        inside = [_inside(self.claim, end) for end in (self.told.low, self.told.high)]
        return HOLDS if all(inside) else PARTS if any(inside) or _inside(self.claim, self.told.value) else FAILS


def foreseen(one: Worked, plate: Nameplate | None, judged: Iterable[Judged] = ()) -> Foreseen | None:
    """Against the claim that it is about; None where there is none."""
    found = list(judged)
    for figure, by in one.of.held.items():
        for claim in _claims(plate, figure):
            return Foreseen(claim, one.spread(by), _now(found, claim))
    return None


def costs(one: Worked, plate: Nameplate | None, judged: Iterable[Judged] = ()) -> list[Foreseen]:
    """What it adds to figures of other claims, on top of what was found of them; nothing of what nobody claims."""
    found, out = list(judged), []
    for figure, by in one.of.costs.items():
        for claim in _claims(plate, figure)[:1]:
            now = _now(found, claim)
            if now is not None:
                added = one.spread(by)
                out.append(Foreseen(claim, Told(now + added.value, now + added.low, now + added.high), now))
    return out


def _claims(plate: Nameplate | None, figure: str) -> Sequence[Claim]:
    if plate is None:
        return ()
    return [c for c in all_claims(plate) if figure in (c.figure, c.key, *c.findings) and c.bounded and not c.published]


def _now(judged: Sequence[Judged], claim: Claim) -> float | None:
    """The finding that comes nearest to its limit, or is farthest beyond."""
    values = [j.finding.value for j in judged if j.claim is not None and j.claim.key == claim.key and j.finding.value]
    return max(values, key=lambda v: _worse(claim, v), default=None)


def _worse(claim: Claim, value: float) -> float:
    over = value - claim.high if claim.high is not None else float("-inf")
    under = claim.low - value if claim.low is not None else float("-inf")
    return max(over, under)


def _inside(claim: Claim, value: float) -> bool:
    return _worse(claim, value) <= 0.0
