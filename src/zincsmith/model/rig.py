"""The rig: which instrument plays which role, how it is reached, how well it measures."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Accuracy:
    """A data-sheet limit: ``reading_percent`` x reading + ``range_percent`` x range (+ ``offset``), rectangular.

    ``range`` is the upper end of the range in the unit of the quantity. Where ``resolution``, ``noise`` (one
    sigma) or ``nonlinearity_percent`` (of range) are stated, they are what differs from reading to reading.
    """

    quantity: str
    range: float
    reading_percent: float = 0.0
    range_percent: float = 0.0
    offset: float = 0.0
    resolution: float = 0.0
    noise: float = 0.0
    nonlinearity_percent: float = 0.0


@dataclass(frozen=True)
class Instrument:
    """``how`` is simulated, connected or by hand; ``address`` a VISA resource name (connected only)."""

    role: str
    how: str
    maker: str = ""
    model: str = ""
    serial: str = ""
    calibrated: str = ""
    address: str = ""
    dialect: str = ""
    kind: str = ""  # by hand: what sort of meter it is
    spot: str = ""  # where its probe goes
    accuracy: tuple[Accuracy, ...] = ()
    most: dict[str, float] = field(default_factory=dict)  # greatest it may be set to: voltage_V, current_A ...

    @property
    def name(self) -> str:
        return " ".join(x for x in (self.maker, self.model) if x) or self.kind or self.role.replace("_", " ")

    def accuracy_of(self, quantity: str) -> Accuracy | None:
        """The smallest range declared for a quantity that the rig uses, None when nothing is declared."""
        return next((a for a in self.accuracy if a.quantity == quantity), None)


@dataclass(frozen=True)
class Lead:
    """A pair of wires: one-way length in m, cross-section of the copper in mm2."""

    between: str
    length_m: float
    area_mm2: float


@dataclass(frozen=True)
class StandIn:
    """What a simulated bench is made of; ``pace`` is bench seconds per second, 0 as fast as it will go."""

    file: str
    seed: int = 1
    pace: float = 0.0


@dataclass(frozen=True)
class Rig:
    """``clock`` is "wall" or "simulated": the only thing in the application that knows a bench is simulated."""

    name: str
    clock: str
    instruments: tuple[Instrument, ...]
    leads: tuple[Lead, ...] = ()
    protection: str = ""
    sense: str = "unit"  # where the voltmeter clips on: unit or load
    standin: StandIn | None = None

    def instrument(self, role: str) -> Instrument | None:
        return next((i for i in self.instruments if i.role == role), None)
