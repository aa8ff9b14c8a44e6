"""Claims: what a paper states, and what is tested because of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from zincsmith.model.operating_point import NOWHERE, OperatingPoint
from zincsmith.model.record import Record, Span
from zincsmith.model.scope import Scope

Source = Literal["label", "manual", "listing", "board print", "requirement sheet"]
SOURCES: tuple[Source, ...] = ("label", "manual", "listing", "board print", "requirement sheet")
Side = Literal["input", "output"]


@dataclass(frozen=True)
class RuleChoice(Record):
    """A rule set the unit is held to, with the class a person chose for it."""

    set: str
    supply_class: str


@dataclass(frozen=True)
class Condition(Record):
    """Under what a stated figure is meant to hold; None or empty is *not said*.

    ``line_V`` and ``load_percent`` are spans, equal ends being one point; ``duration_s`` 0 means continuous.
    """

    line_V: Span | None = None
    frequency_Hz: float | None = None
    load_percent: Span | None = None
    ambient_degC: Span | None = None
    duration_s: float | None = None
    derating: str = ""
    note: str = ""


@dataclass(frozen=True)
class StatedClaim(Record):
    """A figure some paper states, in the unit of ``figure`` (see figures.py). At least one bound is there.

    ``where`` is the page or line of the source; ``kept`` False is a claim that was dropped and stays legible.
    """

    figure: str
    low: float | None = None
    high: float | None = None
    source: Source = "label"
    where: str = ""
    output: str = ""
    side: Side | None = None  # None: as the figure usually speaks
    condition: Condition = Condition()
    kept: bool = True
    note: str = ""

    @property
    def required(self) -> bool:
        """A customer's requirement, kept apart from what the maker claims."""
        return self.source == "requirement sheet"


@dataclass(frozen=True)
class Claim:
    """One rated or required figure that can be tested by the findings named in ``findings``.

    ``low`` and ``high`` are the allowed span in ``unit`` (None: open on that side). ``at`` narrows the findings it
    speaks of: a finding must state all that it states; ``scope`` is what they have to reach before
    the claim can hold. ``stated`` is the position of the
    stated claim it came from, None when it follows from the plate or from a rule set. ``beside`` is what is said beside
    a verdict that a rule decides. One without bounds states a value and no tolerance: it is found, and judges nothing.
    """

    key: str
    title: str
    findings: tuple[str, ...]
    low: float | None
    high: float | None
    unit: str
    text: str
    condition_text: str
    source: str
    procedure: str
    at: OperatingPoint = NOWHERE
    published: bool = False
    figure: str = ""
    output: str = ""
    side: Side = "output"
    required: bool = False
    kept: bool = True
    stated: int | None = None
    ambient: str = ""
    scope: Scope = field(default_factory=Scope)
    beside: str = ""

    @property
    def bounded(self) -> bool:
        return self.low is not None or self.high is not None
