"""The unit under test and what its nameplate claims."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class InputRating:
    """AC input: the range in V rms, the frequencies in Hz, the rated current in A (None: not printed)."""

    voltage_min_V: float
    voltage_max_V: float
    frequencies_Hz: tuple[float, ...] = (50.0, 60.0)
    current_A: float | None = None


@dataclass(frozen=True)
class OutputRating:
    """One DC output. A None is a figure nobody stated: it makes no claim.

    ``tolerance_percent`` is the half-width of the band around ``voltage_V``; regulations are in percent of
    nominal; ``power_W`` is as printed.
    """

    voltage_V: float
    current_A: float
    power_W: float | None = None
    tolerance_percent: float | None = None
    load_regulation_percent: float | None = None
    line_regulation_percent: float | None = None

    @property
    def rated_power_W(self) -> float:
        """The printed power, or volts times amps where none is printed."""
        return self.power_W if self.power_W is not None else self.voltage_V * self.current_A


@dataclass(frozen=True)
class RuleChoice:
    """A rule set the unit is held to, with the class a person chose for it."""

    rule_set: str
    supply_class: str


@dataclass(frozen=True)
class Nameplate:
    """All that label and papers state. Absent figures are None."""

    input: InputRating
    output: OutputRating
    average_efficiency_percent: float | None = None
    no_load_power_W: float | None = None
    rules: tuple[RuleChoice, ...] = ()
    marks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Unit:
    """One physical specimen. ``tag`` identifies it in the book."""

    tag: str
    maker: str
    model: str
    nameplate: Nameplate
    serial: str = ""
    configuration: str = "as received"
    place: str = ""


@dataclass(frozen=True)
class Claim:
    """One rated or required figure that can be tested by the finding named ``finding``.

    ``low`` and ``high`` are the allowed span in ``unit`` (None: open on that side). ``conditions`` narrows the
    findings it speaks of: a finding must carry the same value for each key. ``scale`` turns ``unit`` into what
    people read (percent for plain ratios).
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
    conditions: dict[str, float] = field(default_factory=dict)
    published: bool = False
