"""What looking at a unit before power yields: the look-over, its parts, terminals, configurations, safety records."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.model.record import Record, Span

Seen = Literal["not looked", "found", "missing", "doubtful"]
# Of a mark that is there: whether anybody looked it up. Being printed proves nothing.
Proof = Literal["", "verified", "looked up, not found", "not tried"]
LookVerdict = Literal["", "fit to power", "with care", "not worth powering"]
PartKind = Literal[
    "bulk capacitor",
    "input capacitor",
    "output capacitor",
    "X capacitor",
    "Y capacitor",
    "fuse",
    "rectifier",
    "output rectifier",
    "controller",
    "switch",
    "inductor",
    "sense resistor",
    "other",
]
StageKind = Literal["", "step-down", "step-up", "inverting"]
PartState = Literal["sound", "bulging", "loose", "discoloured", "unidentified"]

# What is looked for, from outside and inside (common practice, no source).
OUTSIDE = (
    "Label legible",
    "Safety mark",
    "Efficiency mark",
    "Manual says what each port can do",
    "Case whole, no rattle",
    "Cord relief",
    "Indicator",
)
INSIDE = (
    "Fuse",
    "Line filter",
    "X and Y capacitors",
    "Gap, primary to secondary",
    "No bulging part",
    "No loose part or metal",
    "Capacitor ratings fit",
    "Parts fit the rating",
)


@dataclass(frozen=True)
class LookItem(Record):
    """One line of the look-over list."""

    what: str
    seen: Seen = "not looked"
    note: str = ""
    inside: bool = False
    proof: Proof = ""


SILENT = ("silent", "none", "quiet", "inaudible")


@dataclass(frozen=True)
class Physical(Record):
    """Mass in g, size in mm, price in ``currency``, delivery in days; None is not known. ``internals_g`` is what is in
    the case without weight that was only added, ``added_g`` that weight: ballast makes a light unit look normal.
    ``price_is`` says whose price it is, ``price_on`` of which day (YYYY-MM-DD); ``noise`` what was heard of it,
    *silent* where nothing was."""

    mass_g: float | None = None  # without cord and packaging
    internals_g: float | None = None
    added_g: float | None = None
    with_cord_g: float | None = None
    packed_g: float | None = None
    size_mm: tuple[float, float, float] | None = None
    price: float | None = None
    currency: str = ""
    delivery_days: float | None = None
    price_is: Literal["", "list", "offer"] = ""
    price_on: str = ""
    noise: str = ""

    @property
    def price_words(self) -> str:
        """``29.90 EUR (offer, 2026-11-20)``; empty where there is none."""
        if self.price is None:
            return ""
        which = ", ".join(x for x in (self.price_is, self.price_on) if x)
        return f"{self.price:.2f} {self.currency}".strip() + (f" ({which})" if which else "")

    @property
    def silent(self) -> bool | None:
        """Whether nothing was heard of it; None where nobody listened."""
        return self.noise.strip().lower() in SILENT if self.noise.strip() else None

    @property
    def working_g(self) -> float | None:
        """The mass that watts per gram are worked out with: the internals, else the unit less what was added."""
        if self.internals_g is not None:
            return self.internals_g
        return None if self.mass_g is None else self.mass_g - (self.added_g or 0.0)

    @property
    def volume_cm3(self) -> float | None:
        if self.size_mm is None:
            return None
        a, b, c = self.size_mm
        return a * b * c / 1000.0


@dataclass(frozen=True)
class Part(Record):
    """A part as it is marked. ``capacitance_F`` is of each of ``count`` pieces; ``output`` names what it serves, or
    several that hang on it, with commas between.

    ``range_V`` is the input range printed in the papers of a controller chip. ``stage`` is the kind of converter that a
    switch, a rectifier or an inductor works in: what it sees follows from that. ``drop_V`` is what drops across it
    while it conducts, ``ohm`` its resistance then, of each piece.
    """

    name: str
    what: PartKind = "other"
    marked: str = ""
    rated_V: float | None = None
    rated_A: float | None = None
    capacitance_F: float | None = None
    count: int = 1
    output: str = ""
    range_V: Span | None = None
    behind_corrector: bool = False
    doubler: bool = False
    stage: StageKind = ""
    drop_V: float | None = None
    ohm: float | None = None
    state: PartState = "sound"
    note: str = ""

    @property
    def serves(self) -> tuple[str, ...]:
        """The outputs that it serves, by name; none named is all."""
        return tuple(name for one in self.output.split(",") if (name := one.strip()))


@dataclass(frozen=True)
class Photograph(Record):
    """Stored once in the book under its hash, upright and without metadata. Size in pixels."""

    sha256: str
    caption: str
    width: int
    height: int


@dataclass(frozen=True)
class LookOver(Record):
    """``override`` is the reason, and by whom, why a unit not worth powering is powered all the same."""

    items: tuple[LookItem, ...] = ()
    physical: Physical = Physical()
    parts: tuple[Part, ...] = ()
    photographs: tuple[Photograph, ...] = ()
    opened: bool = False
    verdict: LookVerdict = ""
    care: str = ""
    override: str = ""
    override_by: str = ""

    @property
    def blocks(self) -> bool:
        return self.verdict == "not worth powering" and not (self.override.strip() and self.override_by.strip())


@dataclass(frozen=True)
class Terminal(Record):
    """Where a rail or port comes out. ``checked`` says how its identity and polarity are known."""

    name: str
    mark: str = ""
    output: str = ""
    polarity: Literal["", "+", "-", "0", "L", "N", "PE"] = ""
    checked: Literal["not checked", "assumed", "measured"] = "not checked"


@dataclass(frozen=True)
class Restore(Record):
    """Something that must be put back at the end. ``effect``: what the unit does without it is not its own; its start
    voltage is not judged, and it is brought up again once that is restored."""

    what: str
    done: bool = False
    effect: Literal["", "lockout lifted", "trace cut"] = ""


@dataclass(frozen=True)
class Configuration(Record):
    """A state the unit is in; every reading belongs to one."""

    name: str
    changes: str = ""
    open_case: bool = False
    restore: tuple[Restore, ...] = ()


SafetyTest = Literal["earth continuity", "insulation resistance", "touch current"]


@dataclass(frozen=True)
class SafetyRecord(Record):
    """A safety test done by whoever is qualified. ``value`` and bounds are in ohm, ohm and A; bounds can be edited
    and defer to local code."""

    test: SafetyTest
    value: float
    low: float | None = None
    high: float | None = None
    instrument: str = ""
    by: str = ""
    on: str = ""
    note: str = ""
    method: Literal["", "meter", "beeper"] = ""  # a beeper indicates and measures nothing
    point: str = ""  # where it was taken
    current_A: float | None = None

    @property
    def within(self) -> bool | None:
        """Whether the reading lies within its limits; None without any, and for a beeper, which indicates only."""
        if self.method == "beeper" or (self.low is None and self.high is None):
            return None
        return (self.low is None or self.value >= self.low) and (self.high is None or self.value <= self.high)
