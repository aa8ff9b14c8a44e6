"""A temperature that was read in one room, against a claim that speaks of another."""

from __future__ import annotations

import math
from dataclasses import replace

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.claim import Claim
from zincsmith.model.finding import Contribution, Finding

RISE_CHANGES = 0.05  # of a rise, in a room so much warmer or cooler: convection, copper; common practice, no source


def in_the_room_of(claim: Claim, finding: Finding) -> Finding:
    """A final temperature as it would be in the warmest room that a claim speaks of: by its rise."""
    room, span = finding.final_in_room, claim.scope.ambient_degC
    if room is None or span is None or finding.value is None or max(span) == room:
        return finding
    more, rise = max(span) - room, finding.value - room
    part = Contribution(
        f"its rise in a room of {max(span):g} °C", RISE_CHANGES * rise / math.sqrt(3.0), False, rectangular=True
    )
    parts = (*finding.contributions, part)
    u = math.hypot(finding.u, part.effect) if finding.u is not None else None
    note = f"{finding.working.note}; {finding.value:.4g} °C in a room of {room:g}, carried to {max(span):g} °C"
    return replace(
        finding, value=finding.value + more, u=u, k=factor_of(parts, finding.dof) if u is not None else None,
        contributions=parts, working=replace(finding.working, note=note),
    )  # fmt: skip
