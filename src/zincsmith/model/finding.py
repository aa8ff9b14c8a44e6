"""Findings, verdicts and doubts."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from zincsmith.model.claim import Claim
from zincsmith.model.operating_point import NOWHERE, OperatingPoint


class Verdict(StrEnum):
    HOLDS = "holds"
    FAILS = "fails"
    TOO_CLOSE = "too close to call"
    NOT_TESTED = "not tested"
    NO_CLAIM = "no claim"


@dataclass(frozen=True)
class Doubt:
    """A warning that a number may not mean what it seems to. ``remedy`` says what to do about it; ``ended`` who dealt
    with it and how: it stays visible, and is not open any more."""

    code: str
    text: str
    remedy: str = ""
    ended: str = ""

    @property
    def words(self) -> str:
        return f"{self.text} {self.ended}." if self.ended else f"{self.text} {self.remedy}".strip()


@dataclass(frozen=True)
class Contribution:
    """One source of uncertainty: signed effect of one standard uncertainty, in the unit of the finding.

    Where a data sheet gives only one limit, nobody knows how it splits: ``effect`` is that of an error all readings of
    the source share, ``separate`` that of one each of them has by itself, and the worse of the two counts (``size``).
    ``rectangular``: a single limit, beyond which the error does not go. ``count``: how many readings it acts on.
    """

    source: str
    effect: float
    shared: bool
    dof: float | None = None  # None: infinite (type B)
    separate: float | None = None
    rectangular: bool = False
    count: int = 1

    @property
    def alike(self) -> bool:
        """Whether it counts as one error that all its readings have."""
        return self.shared and abs(self.effect) >= (self.separate or 0.0)

    @property
    def size(self) -> float:
        return max(abs(self.effect), self.separate or 0.0)


@dataclass(frozen=True)
class Working:
    """How the figure came about: formula, the rows it used and the readings behind each row."""

    formula: str
    columns: tuple[str, ...] = ()
    rows: tuple[dict[str, Any], ...] = ()
    note: str = ""


@dataclass(frozen=True)
class Finding:
    """A figure worked out from readings. ``u`` is the standard uncertainty, ``k`` its coverage factor,
    ``dof`` the effective degrees of freedom (None: infinite). Ratios have unit "1". ``beside_the_point`` says why what
    would limit this figure does not apply to it; then it is told and judges nothing. ``below``: nothing was seen, and
    the size of the figure is below this with 95 %, one-sided. ``permitted`` is the greatest expanded uncertainty that
    the rule behind it allows, ``permitted_by`` which rule. ``final_in_room``: it is where a temperature ends in a room
    of so many degC, whatever the time; a claim for another room is met by its rise."""

    name: str
    title: str
    value: float | None
    unit: str
    u: float | None = None
    k: float | None = None
    dof: float | None = None
    at: OperatingPoint = NOWHERE
    working: Working = Working("")
    contributions: tuple[Contribution, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    beside_the_point: str = ""
    below: float | None = None
    permitted: float | None = None
    permitted_by: str = ""
    output: str = ""  # which output it is of, where a unit has several
    final_in_room: float | None = None

    @property
    def number(self) -> float:
        """Its value, where the caller has seen that there is one; ValueError else: a bug."""
        if self.value is None:
            raise ValueError(f"{self.name} has no value")
        return self.value


@dataclass(frozen=True)
class Judged:
    """A finding against a claim. ``probability`` is that of conformity (normal, flat prior), None without one;
    ``run`` an earlier run of the same configuration that it comes from, None for the run that is told of. ``lacks``:
    the ends and corners of the claim's scope that no point stands at; such a claim may fail but does not hold."""

    finding: Finding
    claim: Claim | None
    verdict: Verdict
    verdict_simple: Verdict
    probability: float | None = None
    run: int | None = None
    lacks: tuple[str, ...] = ()
    price_s: float | None = None  # what it would take to test what it lacks, as far as the plan tells

    @property
    def coverage(self) -> str:
        """``full`` or ``part`` of what is claimed; empty where nothing is claimed or nothing was measured."""
        if self.claim is None or self.finding.value is None:
            return ""
        return "part" if self.lacks else "full"

    @property
    def words(self) -> str:
        """The verdict as people read it."""
        if self.finding.beside_the_point:
            return "not applicable"
        if self.claim is not None and not self.claim.bounded and self.verdict is Verdict.NO_CLAIM:
            return "no tolerance"
        part = self.verdict is Verdict.NOT_TESTED and self.coverage == "part"
        return "tested in part" if part else self.verdict.value
