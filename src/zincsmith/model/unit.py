"""The unit under test and what its nameplate states."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass, field, replace
from typing import Literal

from zincsmith.model.claim import RuleChoice, StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.intake import Configuration, LookOver, Restore, SafetyRecord, Terminal
from zincsmith.model.label import Mode, Programmable
from zincsmith.model.record import Record, Span
from zincsmith.model.reported import Reported

Kind = Literal[
    "adapter", "open board", "multi-rail", "usb adapter", "dc-dc", "bench supply", "inverter", "two-input", "other"
]
KINDS: tuple[Kind, ...] = (
    "adapter", "open board", "multi-rail", "usb adapter", "dc-dc", "bench supply", "inverter", "two-input", "other",
)  # fmt: skip


@dataclass(frozen=True)
class InputRange(Record):
    """One of several ranges of an input, each with its own current: 100-127 V 1 A or 200-240 V 0.5 A, AC or DC."""

    voltage_V: Span
    current_A: float | None = None
    type: Literal["ac", "dc"] = "ac"
    frequency_Hz: tuple[float, ...] = ()


@dataclass(frozen=True)
class InputRating(Record):
    """One input: the range in V (rms on AC), the frequencies in Hz, the rated current in A (None: not printed).

    A unit with a range switch has its positions in ``selector_V``, and ``selector_set_V`` is the one found set.
    ``output_power_W`` and ``output_A`` (by output name) are what this input allows where inputs differ. Where several
    ``ranges`` are printed, volts span those of the input's own type and ``current_A`` is the greatest.
    """

    voltage_V: Span
    frequency_Hz: tuple[float, ...] = (50.0, 60.0)
    current_A: float | None = None
    name: str = ""
    type: Literal["ac", "dc"] = "ac"
    selector_V: tuple[float, ...] = ()
    selector_set_V: float | None = None
    power_W: float | None = None
    output_power_W: float | None = None
    output_A: dict[str, float] = field(default_factory=dict)
    ranges: tuple[InputRange, ...] = ()

    @property
    def hertz(self) -> tuple[float, ...]:
        """What it may be fed with, Hz: 0 for direct current, the usual ones where an AC input states none."""
        return (0.0,) if self.type == "dc" else self.frequency_Hz or (50.0, 60.0)

    @property
    def voltage_min_V(self) -> float:
        return self.voltage_V[0]

    @property
    def voltage_max_V(self) -> float:
        return self.voltage_V[1]

    @property
    def each_range(self) -> tuple[InputRating, ...]:
        """The input as it is rated in each of its ranges; itself where it has but one."""
        return tuple(
            replace(self, voltage_V=r.voltage_V, current_A=r.current_A, type=r.type, frequency_Hz=r.frequency_Hz,
                    ranges=())
            for r in self.ranges
        ) or (self,)  # fmt: skip


@dataclass(frozen=True)
class OutputRating(Record):
    """One rail, port or channel. A None is a figure nobody stated: it makes no claim.

    ``voltage_V`` (signed) and ``current_A`` are the headline rating: of the fixed output, of the strongest of
    ``modes``, or the upper ends of ``adjustable_V`` and ``adjustable_A``. ``tolerance_percent`` is the half-width
    of the band around nominal; regulations are in percent of nominal; ``power_W`` is as printed.
    """

    voltage_V: float
    current_A: float
    power_W: float | None = None
    tolerance_percent: float | None = None
    load_regulation_percent: float | None = None
    line_regulation_percent: float | None = None
    name: str = ""
    type: Literal["dc", "ac"] = "dc"
    frequency_Hz: tuple[float, ...] = ()
    adjustable_V: Span | None = None
    adjustable_A: Span | None = None
    modes: tuple[Mode, ...] = ()
    programmable: tuple[Programmable, ...] = ()
    minimum_A: float | None = None
    standby: bool = False
    ripple_V: float | None = None
    surge_W: float | None = None
    surge_s: float | None = None

    @property
    def rated_power_W(self) -> float:
        """The printed power, or volts times amps where none is printed; always positive."""
        if self.power_W is not None:
            return self.power_W
        if self.adjustable_V is not None or not self.modes:
            return abs(self.voltage_V) * self.current_A
        return max(mode_power_W(mode) or 0.0 for mode in self.modes) or abs(self.voltage_V) * self.current_A

    @property
    def fixed(self) -> bool:
        return not self.modes and not self.programmable and self.adjustable_V is None


def mode_power_W(mode: Mode) -> float | None:
    """The printed watts of a mode, else volts times amps, else None."""
    if mode.power_W is not None:
        return mode.power_W
    return abs(mode.voltage_V) * mode.current_A if mode.current_A is not None else None


@dataclass(frozen=True)
class CombinedLimit(Record):
    """Several outputs together may give no more than this."""

    outputs: tuple[str, ...]
    power_W: float | None = None
    current_A: float | None = None


@dataclass(frozen=True)
class Sharing(Record):
    """Which ports are in use, and the power each then has, in W and in the same order."""

    ports: tuple[str, ...]
    each_W: tuple[float, ...]


@dataclass(frozen=True)
class Signal(Record):
    """A terminal that controls or reports."""

    name: str
    what: Literal["power-good", "remote on/off", "enable", "remote sense", "trim", "fan", "indicator"]
    note: str = ""


INPUT_SIDE = "input"  # what the inputs are called where a node says between which ports it lies


@dataclass(frozen=True)
class Node(Record):
    """A place inside the unit whose volts are spoken of: against which ``reference`` they are measured, what its parts
    stand (V, DC or peak), and ``between`` which ports it lies, by name, the inputs called *input*; none named is all.
    ``loop`` is what a current measured there flows through, where one is."""

    name: str
    side: Literal["primary", "secondary"]
    reference: str
    rated_V: float | None = None
    between: tuple[str, ...] = ()
    loop: str = ""

    @property
    def words(self) -> str:
        """``bulk (against bulk minus, rated 450 V)``."""
        rated = f", rated {self.rated_V:g} V" if self.rated_V is not None else ""
        return f"{self.name} (against {self.reference}{rated})"


@dataclass(frozen=True)
class Nameplate(Record):
    """All that label and papers state. Absent figures are None.

    ``total_power_W`` speaks of ``power_is``: some plates print what is drawn. ``derating`` is a curve of
    (ambient in degC, percent of rating). ``dropped`` holds the keys of claims that follow from the plate but that a
    person has dropped.
    """

    inputs: tuple[InputRating, ...] = ()
    outputs: tuple[OutputRating, ...] = ()
    average_efficiency_percent: float | None = None
    no_load_power_W: float | None = None
    rules: tuple[RuleChoice, ...] = ()
    marks: tuple[str, ...] = ()
    total_power_W: float | None = None
    power_is: Literal["output", "input"] = "output"
    limits: tuple[CombinedLimit, ...] = ()
    sharing: tuple[Sharing, ...] = ()
    signals: tuple[Signal, ...] = ()
    nodes: tuple[Node, ...] = ()
    ambient_degC: Span | None = None
    derating: tuple[tuple[float, float], ...] = ()
    claims: tuple[StatedClaim, ...] = ()
    dropped: tuple[str, ...] = ()

    @property
    def input(self) -> InputRating:
        """The first input; InputError when none is stated yet."""
        if not self.inputs:
            raise InputError("the nameplate states no input yet", key="input")
        return self.inputs[0]

    @property
    def output(self) -> OutputRating:
        """The first output; InputError when none is stated yet."""
        if not self.outputs:
            raise InputError("the nameplate states no output yet", key="output")
        return self.outputs[0]

    @property
    def rated_power_W(self) -> float:
        """Output power the unit is rated for as a whole: the printed total, else the sum of the outputs."""
        if self.total_power_W is not None and self.power_is == "output":
            return self.total_power_W
        return sum(one.rated_power_W for one in self.outputs)


@dataclass(frozen=True)
class Unit(Record):
    """One physical specimen. ``tag`` identifies it in the book; ``label`` holds the lines as they were typed.

    ``acknowledged`` lists the cautions a person has acknowledged. ``firmware``, ``provenance`` and ``hours`` are what
    somebody stated of the piece: the version it runs, where it comes from, how many hours it had run before.
    ``reported`` are problems that somebody told of it.
    """

    tag: str
    maker: str
    model: str
    nameplate: Nameplate
    serial: str = ""
    configuration: str = "as received"
    place: str = ""
    kind: Kind = "adapter"
    label: tuple[str, ...] = ()
    configurations: tuple[Configuration, ...] = ()
    terminals: tuple[Terminal, ...] = ()
    look: LookOver = field(default_factory=LookOver)
    safety: tuple[SafetyRecord, ...] = ()
    acknowledged: tuple[str, ...] = ()
    firmware: str = ""
    batch: str = ""
    provenance: str = ""
    hours: float | None = None
    reported: tuple[Reported, ...] = ()

    @property
    def about_it(self) -> str:
        """Where this piece comes from, what it runs on and for how long it has run, as far as anybody stated it."""
        ran = f"{self.hours:g} h run" if self.hours is not None else ""
        said = (self.provenance, f"batch {self.batch}" if self.batch else "",
                f"firmware {self.firmware}" if self.firmware else "", ran)  # fmt: skip
        return ", ".join(x for x in said if x)

    @property
    def in_force(self) -> Configuration:
        """The configuration the unit is in."""
        found = (c for c in self.configurations if c.name == self.configuration)
        return next(found, Configuration(self.configuration))

    @property
    def to_restore(self) -> tuple[Restore, ...]:
        """Everything still to be put back, over all configurations."""
        return tuple(r for c in self.configurations for r in c.restore if not r.done)


def reconfigured(unit: Unit, name: str, changes: str = "", restore: str = "") -> Unit:
    """The unit put into another configuration, one that it has already or a new one."""
    known = {c.name: c for c in unit.configurations or (unit.in_force,)}
    if name not in known:
        put_back = (Restore(restore),) if restore else ()
        known[name] = Configuration(name, changes, unit.in_force.open_case, put_back)
    return replace(unit, configuration=name, configurations=tuple(known.values()))


def next_specimen(unit: Unit, taken: Collection[str]) -> Unit:
    """Another specimen of the same model: what is printed and claimed stays, what was seen on the first does not.

    Its tag counts on from the old one to the first that is not ``taken``.
    """
    found = re.search(r"\d+$", unit.tag)
    stem, digits = (unit.tag[: found.start()], found.group()) if found else (f"{unit.tag}-", "1")
    number = int(digits) + 1
    while (tag := f"{stem}{number:0{len(digits)}d}") in taken:
        number += 1
    physical = replace(unit.look.physical, mass_g=None, with_cord_g=None, packed_g=None, internals_g=None, added_g=None)
    return replace(
        unit,
        tag=tag,
        serial="",
        configuration="as received",
        configurations=(),
        terminals=tuple(replace(t, checked="not checked") for t in unit.terminals),
        look=LookOver(physical=physical),
        safety=(),
        acknowledged=(),
        provenance="",
        hours=None,
    )
