"""What a procedure is: a generator of actions, and a pure function from evidence to findings."""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal, TypeVar

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.load_laws import level_of
from zincsmith.model.address import at_port
from zincsmith.model.figures import Figure
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, LoadLaw, Mode, OperatingPoint
from zincsmith.model.plan import Line, Options
from zincsmith.model.port import can_be_set, output_ports, ports_of
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.intake import Intake

if TYPE_CHECKING:
    from zincsmith.model.actions import Action, Outcome

OptionsT = TypeVar("OptionsT", bound=Options)
Steps = Generator["Action", "Outcome", None]
Curve = tuple[str, list[float], list[float]]
SourceKind = Literal["settable", "by hand", "fixed"]


@dataclass(frozen=True)
class Context:
    """What a procedure knows when it starts. ``polled`` names the quantities read without a person, ``measured``
    all that anybody reads.

    ``source`` is set by the program, by a person (a variable transformer), or is what it is (the wall outlet, at
    ``outlet``). ``lead_ohm`` is the loop resistance of the leads to the load, None when nobody stated them.
    ``before`` names the procedures that came earlier in the plan. ``records``: the power meter gives waveforms.
    ``load_by_hand``: a person sets the load, so nothing is set that nobody reads. ``about`` is the output whose load is
    varied, of several, while the others are kept at ``others_percent``; empty: all alike. ``modes`` are those asked
    for; ``law`` is that of the loads;
    ``captured`` is what a scope records, by address, ``phased`` whether the source can be told where in its period it
    switches, ``switched_ohm`` by output what a load switch puts across it, ``contactors`` the outputs that one shorts,
    ``least_load_V`` by output from how many volts up its load works, ``laws`` by output how its load can draw.
    ``lead_mm2`` is the copper of a lead to the load, ``source_ohm`` what stands between source and unit,
    ``source_limit_A`` where the source limits by itself; None where nobody stated them. ``left_open`` are inputs of the
    unit that nothing feeds.
    """

    unit: Unit
    options: Options
    polled: frozenset[str]
    measured: frozenset[str]
    source: SourceKind = "settable"
    outlet: Line | None = None
    lead_ohm: float | None = None
    ambient_degC: float = 23.0
    before: tuple[str, ...] = ()
    records: bool = False
    load_by_hand: bool = False
    about: str = ""
    others_percent: float = 0.0
    modes: Mapping[str, Mode] = field(default_factory=dict)
    law: LoadLaw = "CC"
    captured: frozenset[str] = frozenset()
    phased: bool = False
    switched_ohm: Mapping[str, float] = field(default_factory=dict)
    contactors: frozenset[str] = frozenset()
    least_load_V: Mapping[str, float] = field(default_factory=dict)
    laws: Mapping[str, tuple[LoadLaw, ...]] = field(default_factory=dict)
    source_ohm: float | None = None
    source_limit_A: float | None = None
    lead_mm2: float | None = None
    left_open: tuple[str, ...] = ()

    def asked(self, kind: type[OptionsT]) -> OptionsT:
        """What the part asks for, as the record of its procedure; TypeError for another's: a bug."""
        if not isinstance(self.options, kind):
            raise TypeError(f"a part of {self.options.procedure} was handed to {kind.__name__}")
        return self.options

    @property
    def nameplate(self) -> Nameplate:
        return self.unit.nameplate

    @property
    def envelope(self) -> Envelope:
        return Envelope(self.unit.nameplate, self.modes)

    @property
    def outputs(self) -> tuple[str, ...]:
        """The outputs by the names that addresses go by."""
        return output_ports(self.nameplate)

    @property
    def nodes_read(self) -> tuple[str, ...]:
        """The volts of nodes inside the unit that anybody reads, by address."""
        return tuple(
            name for one in self.nameplate.nodes if (name := at_port("node_voltage", one.name)) in self.measured
        )

    @property
    def volts(self) -> dict[str, float]:
        """By output its nominal volts, signed, in the mode it is in."""
        return {port: self.envelope.voltage_V(port) for port in self.outputs}

    def share(self, percent: float, port: str) -> float:
        """What is drawn from an output while the plan asks for ``percent``: that, or what the others are kept at."""
        return percent if self.about in ("", port) else self.others_percent

    def load_A(self, percent: float, port: str = "") -> float:
        """The current of a share of the rated load of an output, in percent."""
        return self.envelope.load_A(percent, port, alone=self.about == port != "" and not self.others_percent)

    def level(self, percent: float, port: str = "") -> float | None:
        """What the load of an output is set to for a share of its rating, in the unit of its law."""
        return level_of(self.law, self.envelope.voltage_V(port), self.load_A(percent, port))

    def load_W(self, percent: float) -> float:
        """The output power while the plan asks for ``percent``."""
        return sum(abs(v) * self.load_A(self.share(percent, port), port) for port, v in self.volts.items())

    def reachable(self, lines: tuple[Line, ...]) -> tuple[Line, ...]:
        """Those of the lines that the source can give; of a wall outlet the one it is, as it was stated."""
        if self.outlet is None:
            return lines
        return (self.outlet,)


@dataclass(frozen=True)
class Conventions:
    """Choices that schools differ in; printed with the figures they touch.

    ``coverage`` is the probability in percent that k is taken for; ``guard`` the guard band w: U, 1.645u or none.
    """

    regulation_over: str = "Vnom"
    coverage: str = "95.45"
    guard: str = "U"


def at_point(line: Line, load_percent: float, load_A: float) -> OperatingPoint:
    """Where a point at a line and a load stands."""
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load_percent, load_A),))


@dataclass(frozen=True)
class Curves:
    """Curves on one pair of axes: (name, x, y) each. ``kind`` is the quantity that colours them, ``procedure`` whose
    points they show; ``bars``: single values rather than a curve; ``trace``: a record, which has a view of its own;
    ``marked``: with marks at its points, which a record never has."""

    title: str
    x: str
    x_unit: str
    y: str
    y_unit: str
    kind: str
    lines: tuple[Curve, ...]
    bars: bool = False
    procedure: str = ""
    trace: bool = False
    marked: bool = True


@dataclass(frozen=True)
class Section:
    """What a report says of a procedure in a section of its own: paragraphs, then a table."""

    title: str
    paragraphs: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True)
class Limits:
    """Published limits as a report names them: whole, who has their values from where, and in short while nobody has
    read them against the document."""

    text: str
    provenance: str
    unread: str = ""


class Procedure:
    """A characterization: everything about it stands in its own file or folder, and nothing of it elsewhere.

    ``steps`` is deterministic and touches nothing; ``tidy`` is run when it is over or was skipped; ``findings``
    can be run again on an old run. ``needs`` names the roles it cannot do without, ``serves`` what it is for,
    ``options`` the record of what it can be asked for. ``figures`` are claimable figures that it brings along;
    ``tested_as`` is what a claim says it is tested by, empty for one that tests none; ``intakes`` are the kinds of
    recorded files that become its points.
    """

    name: str
    title: str
    version: int
    needs: tuple[str, ...]
    serves: str
    options: type[Options]
    starts_over: bool = False  # what was found before it says nothing of the unit any more
    figures: tuple[Figure, ...] = ()
    tested_as: str = ""
    intakes: tuple[Intake, ...] = ()

    def steps(self, ctx: Context) -> Steps:
        """The actions, in their order."""
        raise NotImplementedError

    def tidy(self, ctx: Context) -> Steps:
        """What is left behind when it is over, or was skipped: nothing to do."""
        yield from ()

    def doubts(self, point: Point) -> list[Doubt]:
        """What one point alone gives reason to doubt, as soon as it was taken."""
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The figures of its part of the plan."""
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        """What screens and report draw of its points, by all its parts together."""
        return []

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """A section of the report of its own, from the findings of its parts; None where the tables say it all."""
        return None

    def limits(self) -> list[Limits]:
        """The published limits that its figures are held to, beside the rule sets of the plate."""
        return []

    def read_for(self, figure: str) -> tuple[tuple[str, ...], tuple[float, ...] | None] | None:
        """(quantities, loads in percent or None for all) that have to be read for a claimed figure; None where it says
        itself what it could not read."""
        return None


def fed_by_one_mains(plate: Nameplate) -> str:
    """Why a procedure for one AC input and DC outputs of fixed volts does not fit; empty when it does."""
    if plate.inputs and plate.input.type != "ac":
        return "it is about an input that alternates, and this unit is fed with direct current"
    return fed_by_one_input(plate)


def fed_by_one_input(plate: Nameplate) -> str:
    """Why a procedure for one input, AC or DC, and DC outputs does not fit; empty when it does. One whose user sets its
    volts stands at the upper end of its range meanwhile."""
    if unfit := fed_by_one_source(plate):
        return unfit
    for port in (p for p in ports_of(plate) if p.side == "out"):
        if port.kind != "dc" or not any(m.law in ("fixed", "adjustable") and m.voltage_V[1] for m in port.modes):
            return "it is about outputs that give direct current"
    return ""


def fed_by_one_source(plate: Nameplate) -> str:
    """Why a procedure for one input, and whatever it gives, does not fit; empty when it does."""
    ports = ports_of(plate)
    fed, given = ([p for p in ports if p.side == side] for side in ("in", "out"))
    if not fed or not given:
        return "the nameplate states no input or no output yet"
    return "no procedure yet for a unit with several inputs" if len(fed) > 1 else ""


def fed_with_fixed_outputs(plate: Nameplate) -> str:
    """Why a procedure about outputs that hold their volts by themselves does not fit; empty when it does."""
    if any(can_be_set(one) for one in plate.outputs):
        return "it is about volts that the unit holds by itself; here its user sets them, and its limit"
    return fed_by_one_input(plate)


def one_output(plate: Nameplate) -> str:
    """Why a procedure for one fixed DC output does not fit; empty when it does."""
    unfit = fed_by_one_input(plate)
    several = len(plate.outputs) > 1 or any(len(p.modes) > 1 for p in ports_of(plate))
    return unfit or ("no procedure yet for several outputs" if several else "")
