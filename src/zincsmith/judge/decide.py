"""What a rig can decide: for each claim the uncertainty it would give where the claim is decided, before any run.

The figures are worked out by the code that later judges the readings, on evidence from the rehearsal.
"""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.judge.claims import claims_of
from zincsmith.judge.evidence import findings_of
from zincsmith.judge.judging import judge
from zincsmith.model.address import name_of
from zincsmith.model.claim import Claim
from zincsmith.model.fed import as_fed
from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.model.finding import Finding
from zincsmith.model.reading import Evidence
from zincsmith.model.rig import Rig
from zincsmith.model.roles import ROLES
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Conventions

# Shares of the tolerance that uncertainty and known error may take. A ratio of 4 to 1 is common practice, no source.
DECIDES, MARGINAL = 0.25, 0.5


@dataclass(frozen=True)
class Decision:
    """One claim on one rig. ``verdict`` is decides, marginal, cannot or *no procedure yet*.

    ``expanded`` is the expanded uncertainty, ``error`` a known error (lead drop) and ``tolerance`` what the claim
    allows, all in the unit of the claim; ``share`` their ratio. ``moved`` is the verdict with the sense leads at
    the unit. ``blame`` names the instrument, or lead, that takes the largest part.
    """

    claim: Claim
    verdict: str
    moved: str
    expanded: float | None = None
    error: float = 0.0
    tolerance: float | None = None
    share: float | None = None
    value: float | None = None
    k: float | None = None
    blame: str = ""
    why: str = ""


def decide(unit: Unit, rig: Rig, wired: Evidence, moved: Evidence) -> list[Decision]:
    """One decision a claim, in the order of the claims; ``moved`` is the evidence with sense at the unit."""
    unit = as_fed(unit, rig)
    claims = [c for c in claims_of(unit.nameplate) if c.bounded]
    at_load, at_unit = (_by_claim(evidence, claims, unit) for evidence in (wired, moved))
    out = []
    for claim in claims:
        missing = [r for r in FIGURES[claim.figure].roles if not _at(rig, r, claim.output)]
        if missing:
            why = f"no {ROLES[missing[0]].lower()} on the rig"
            out.append(Decision(claim, "cannot", "cannot", tolerance=tolerance_of(claim), blame=why, why=why))
        elif not claim.procedure:
            out.append(Decision(claim, "no procedure yet", "no procedure yet", tolerance=tolerance_of(claim)))
        elif TESTS.get(claim.procedure) in wired.procedures and "scope" in FIGURES[claim.figure].roles:
            out.append(_by_record(claim, rig))
        else:
            out.append(_decide(claim, rig, at_load.get(claim.key, []), at_unit.get(claim.key, [])))
    return out


FILLED = 0.7  # of its range: how far a record is taken to fill it


def _by_record(claim: Claim, rig: Rig) -> Decision:
    """A figure of a record, before there is one: volts and amps half way to their limit, as the scope's data sheet has
    them on the range that they fill. How well a time is known hangs on slopes that nobody knows yet."""
    limit = claim.high if claim.high is not None else claim.low
    scope = rig.instrument("scope")
    quantity = {"V": "output_voltage", "A": "input_current"}.get(claim.unit, "")
    row = scope.accuracy_of(quantity) if scope is not None else None
    if not quantity or limit is None:
        why = "its slope decides: known once it is recorded"
        return Decision(claim, "marginal", "marginal", tolerance=tolerance_of(claim), why=why)
    if row is None or scope is None:
        why = f"{scope.name if scope is not None else 'the scope'} states no accuracy"
        return Decision(claim, "cannot", "cannot", tolerance=tolerance_of(claim), blame=why, why=why)
    value = abs(limit) / 2.0
    span = value / FILLED
    expanded = (row.reading_percent * value + row.range_percent * span) / 100.0 + span / 256.0
    room = room_of(claim, value)
    share = expanded / max(room, 1e-12)
    verdict = verdict_of(share)
    return Decision(claim, verdict, verdict, expanded, 0.0, room, share, value, 2.0, scope.name)


def _by_claim(evidence: Evidence, claims: list[Claim], unit: Unit) -> dict[str, list[Finding]]:
    """The findings that would test each claim, by its key."""
    found = findings_of(evidence.procedures, evidence, unit.nameplate, Conventions())
    out: dict[str, list[Finding]] = {}
    for one in judge(found, claims, evidence):
        if one.claim is not None and one.finding.value is not None:
            out.setdefault(one.claim.key, []).append(one.finding)
    return out


def _at(rig: Rig, role: str, output: str) -> bool:
    """Whether a role is played at an output, or by an instrument that belongs to none."""
    return any(one.port in ("", output) or not output for one in rig.of(role))


def tolerance_of(claim: Claim) -> float | None:
    """Half the allowed band; one-sided: the limit itself, or for a least ratio what is left to one."""
    if claim.low is not None and claim.high is not None:
        return (claim.high - claim.low) / 2.0
    if claim.high is not None:
        return abs(claim.high)
    if claim.low is not None:
        return 1.0 - claim.low if claim.unit == "1" and claim.low < 1.0 else abs(claim.low)
    return None


def room_of(claim: Claim, expected: float) -> float:
    """How far the expected value lies from the nearest limit, on either side of it, as the verdict will have it; never
    more than what the claim allows."""
    edges = [abs(expected - edge) for edge in (claim.low, claim.high) if edge is not None]
    return min(*edges, tolerance_of(claim) or 0.0)


def verdict_of(share: float) -> str:
    return "decides" if share <= DECIDES else "marginal" if share <= MARGINAL else "cannot"


def _decide(claim: Claim, rig: Rig, wired: list[Finding], moved: list[Finding]) -> Decision:
    if not wired:
        return Decision(claim, "cannot", "cannot", tolerance=tolerance_of(claim), why="its points are not in the plan")
    unknown = next((f for f in wired if f.u is None), None)
    if unknown is not None:
        blame = _without_accuracy(unknown, rig)
        why = f"{blame} states no accuracy"
        return Decision(claim, "cannot", "cannot", tolerance=tolerance_of(claim), blame=blame, why=why)

    def share_of(pair: tuple[Finding, Finding]) -> float:
        return (_expanded(pair[0]) + _error(*pair)) / max(room_of(claim, pair[1].number), 1e-12)

    worst = max(zip(wired, moved, strict=True), key=share_of)
    expanded, error, share = _expanded(worst[0]), _error(*worst), share_of(worst)
    allowed = room_of(claim, worst[1].number)
    return Decision(
        claim,
        verdict_of(share),
        verdict_of(_expanded(worst[1]) / max(allowed, 1e-12)),
        expanded,
        error,
        allowed,
        share,
        worst[0].value,
        worst[0].k,
        "lead drop" if error > expanded else _blame(worst[0], rig),
    )


def _expanded(finding: Finding) -> float:
    return (finding.u or 0.0) * (finding.k or 2.0)


def _error(wired: Finding, moved: Finding) -> float:
    error = abs(wired.number - moved.number)
    return error if error > 1e-12 * max(1.0, abs(moved.number)) else 0.0


def _blame(finding: Finding, rig: Rig) -> str:
    """The instrument whose contributions weigh most, by the square of their effects."""
    weights: dict[str, float] = {}
    for part in finding.contributions:
        owner = next((i.name for i in rig.instruments if i.name in part.source), part.source)
        weights[owner] = weights.get(owner, 0.0) + part.size**2
    return max(weights, key=lambda name: weights[name], default="")


def _without_accuracy(finding: Finding, rig: Rig) -> str:
    words = " ".join(str(x) for row in finding.working.rows for x in row.get("readings", ()))
    for address, one in rig.channels.items():
        if one.accuracy_of(name_of(address)) is None and f"{one.name}, {address}" in words:
            return one.name
    return "an instrument"
