"""The rig: which instrument plays which role, how it is reached and wired, how well it measures."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from zincsmith.model.address import at_port
from zincsmith.model.quantities import QUANTITIES, TIMED
from zincsmith.model.record import Record, Span
from zincsmith.model.roles import SOURCES

How = Literal["simulated", "connected", "by hand"]


@dataclass(frozen=True)
class Accuracy(Record):
    """A data-sheet limit: ``reading_percent`` x reading + ``range_percent`` x range (+ ``offset``), rectangular.

    ``range`` is the upper end of the range in the unit of the quantity. Where ``resolution``, ``noise`` (one
    sigma) or ``nonlinearity_percent`` (of range) are stated, they are what differs from reading to reading.
    ``printed`` keeps the text a limit was read from, ``counts`` the display's full count.

    ``transfer_*``: how far readings may differ among each other within ``transfer_min`` minutes on one range.
    ``per_K_*``: what the limit grows by for each kelvin outside 23 +/- 5 degC. ``valid_days``: since the calibration
    that this row holds for (1 for 24 h, 90, 365); None where the data sheet prints one row.
    """

    quantity: str
    range: float
    reading_percent: float = 0.0
    range_percent: float = 0.0
    offset: float = 0.0
    resolution: float = 0.0
    noise: float = 0.0
    nonlinearity_percent: float = 0.0
    printed: str = ""
    counts: int | None = None
    transfer_reading_percent: float = 0.0
    transfer_range_percent: float = 0.0
    transfer_min: float = 0.0
    per_K_reading_percent: float = 0.0
    per_K_range_percent: float = 0.0
    valid_days: float | None = None
    jack: str = ""  # where the lead goes for this range, as the meter is marked


NO_CONTACT = "no contact"


@dataclass(frozen=True)
class Probe(Record):
    """How the scope's probe is made and joined; a ground of *no contact* is a probe held near a node, which gives no
    volts. ``tip_uF`` are the capacitors fitted at its tip, ``blocking_uF`` the one in series before an input of 50 ohm,
    which stands ``input_most_V``. ``rated_V`` is what the probe stands, ``derates`` that at MHz, ``category`` its
    measurement category."""

    ratio: float | None = None
    coupling: Literal["", "DC", "AC"] = ""
    ground: Literal["", "spring", "coax", "long lead", "no contact"] = ""
    impedance_ohm: Literal[50, 1000000] = 1000000
    bandwidth_MHz: float | None = None
    tip_uF: tuple[float, ...] = ()
    differential: bool = False
    on: Literal["output", "primary"] = "output"
    rated_V: float | None = None
    compensated: bool | None = None
    blocking_uF: float | None = None
    input_most_V: float | None = None
    derates: tuple[tuple[float, float], ...] = ()  # (MHz, V)
    category: Literal["", "II", "III", "IV"] = ""

    @property
    def apart(self) -> bool:
        """Whether it joins nothing of the unit to the scope's own earth."""
        return self.differential or self.ground == NO_CONTACT


@dataclass(frozen=True)
class ScopeChannel(Record):
    """A channel of a scope, by its number: what it is joined to, and how. ``quantity`` and ``port`` are those of the
    unit; a current is one that a probe or a shunt makes volts of, and the scope shows in amps. ``reference`` is the
    node that the clip of its probe stands on; not stated it is the return of the port."""

    number: int
    quantity: str
    port: str = ""
    probe: Probe = Probe()
    reference: str = ""

    @property
    def address(self) -> str:
        return at_port(self.quantity, self.port)


MOST_STEPS = 12  # of a bank: every combination is tried


@dataclass(frozen=True)
class Dummy(Record):
    """A load that is no electronic one: a resistor, a bank of binary steps, a lamp, another supply.

    ``steps_W`` are taken at ``at_V``; ``measured_ohm`` is hot, of a bank that of all steps together.
    """

    kind: Literal["resistor", "binary bank", "lamp", "transistor", "another supply"]
    nominal_ohm: float | None = None
    measured_ohm: float | None = None  # hot
    tolerance_percent: float = 5.0
    steps_W: tuple[float, ...] = ()
    at_V: float | None = None
    most_W: float | None = None  # what it stands for good, as it is mounted; of a bank each step what it is marked for


@dataclass(frozen=True)
class AcRange(Record):
    """How a voltmeter reads AC volts: their true rms, or their mean scaled for a sine; whether that range keeps the DC
    volts out; up to how many kHz it reads as its data sheet says. None is *not known*."""

    true_rms: bool | None = None
    blocks_dc: bool | None = None
    up_to_kHz: float | None = None


@dataclass(frozen=True)
class Shunt(Record):
    """A resistor whose volts tell the amps: ohm with its limit in percent, and by how much it rises as it heats itself,
    ppm per watt, a limit too. ``most_W`` is what it stands as it is mounted."""

    ohm: float
    percent: float = 1.0
    ppm_per_W: float = 0.0
    most_W: float | None = None


@dataclass(frozen=True)
class SwitchedLoad(Record):
    """A transistor that a generator drives, with a resistor in series across an output: ``ohm`` of the resistor,
    ``on_ohm`` of the transistor, ``most_W`` what the resistor stands as it is mounted, ``most_Hz`` how fast it is
    driven at most. Its edge is measured."""

    ohm: float
    on_ohm: float = 0.0
    most_W: float | None = None
    most_Hz: float = 10_000.0


@dataclass(frozen=True)
class Instrument(Record):
    """``address`` is a VISA resource name (connected only), ``calibrated`` an ISO date. ``port`` is the port of the
    unit that it is joined to, empty where the unit has one of the kind.

    What follows ``most`` is stated only for the roles it belongs to; None or empty is *not stated*.
    """

    role: str
    how: How
    maker: str = ""
    model: str = ""
    serial: str = ""
    calibrated: str = ""
    address: str = ""
    dialect: str = ""  # a name that ships, or that of a file; then dialect_text carries what stands in it
    dialect_text: str = ""
    kind: str = ""  # by hand: what sort of meter it is
    spot: str = ""  # where its probe goes
    accuracy: tuple[Accuracy, ...] = ()
    most: dict[str, float] = field(default_factory=dict)  # greatest it may be set to: voltage_V, current_A ...
    calibration_months: float = 12.0
    limit_A: float | None = None  # source: its own current limit, as set
    cells: int | None = None  # DC source that is a battery: in series; it goes no lower than cell_floor_V each
    cell_floor_V: float | None = None
    isolated: bool | None = None  # source: its output is isolated from the mains
    outlet: Span | None = None  # source that nobody can set (the wall outlet): V rms as measured, and Hz
    tap: Literal["", "source", "unit"] = ""  # power meter: which side its voltage tap is on
    tap_ohm: float | None = None
    shunt_ohm: float | None = None
    phase_error_deg: float | None = None
    crest_most: float | None = None
    floor_W: float | None = None
    synchronized: Literal["", "mains", "other"] = ""
    direction_checked: bool | None = None  # a current probe or clamp
    deskewed: bool | None = None
    mode: Literal["", "CC", "CR", "CV", "CP"] = ""  # load
    least_V: float | None = None  # load: works from here up
    dummy: Dummy | None = None
    endures: tuple[tuple[float, float], ...] = ()  # load: (W, minutes) that it takes beyond what it takes for good
    probe: Probe | None = None
    port: str = ""
    emissivity: float | None = None  # camera
    shunt: Shunt | None = None  # ammeter: a voltmeter across it
    ac: AcRange | None = None  # AC voltmeter
    switched: SwitchedLoad | None = None  # load switch
    short_ohm: float | None = None  # load: what its short input has, contactor: with its leads; not stated: not used
    shares: str = ""  # the place of the instrument over whose link it is spoken to: a channel of an analyzer, a source
    channels: tuple[ScopeChannel, ...] = ()  # scope; none: its first channel is on the output, by ``probe``
    sets_phase: bool | None = None  # AC source: whether it can be told where in its period it switches
    output_ohm: float | None = None  # AC source: what stands between it and the unit, leads and all
    clock_ppm: float | None = None  # scope: limit of error of its sample clock
    visits: tuple[str, ...] = ()  # voltmeter: the ports that it goes to in turn, by a relay or by hand, instead of one

    @property
    def place(self) -> str:
        """Its role, and the port it is at."""
        return at_port(self.role, self.port)

    @property
    def scope_channels(self) -> tuple[ScopeChannel, ...]:
        """What the channels of a scope are joined to."""
        return self.channels or (ScopeChannel(1, "output_voltage", self.port, self.probe or Probe()),)

    @property
    def voltage_probes(self) -> tuple[tuple[ScopeChannel, Probe], ...]:
        """What a scope's channels look at volts with; nothing is told of a probe that nobody described."""
        told = self.channels or ((ScopeChannel(1, "output_voltage", self.port, self.probe),) if self.probe else ())
        return tuple((c, c.probe) for c in told if QUANTITIES[c.quantity].unit == "V")

    @property
    def ports(self) -> tuple[str, ...]:
        """Where it reads: the port it is at, or those that it visits."""
        return self.visits or (self.port,)

    @property
    def name(self) -> str:
        return " ".join(x for x in (self.maker, self.model) if x) or self.kind or self.role.replace("_", " ")

    @property
    def is_device(self) -> bool:
        """Of what asks a port, by hand: a device of somebody's, no board that is made for asking."""
        return self.role == "sink_controller" and self.how == "by hand" and DEVICE in self.kind.lower()

    def accuracy_of(self, quantity: str) -> Accuracy | None:
        """The first range declared for a quantity, the one it is tried on; None when nothing is declared."""
        return next((a for a in self.accuracy if a.quantity == quantity), None)

    def accuracy_for(self, quantity: str, value: float) -> Accuracy | None:
        """The smallest declared range that holds a value; the only one where there is one, the widest beyond all."""
        rows = sorted((a for a in self.accuracy if a.quantity == quantity), key=lambda a: a.range)
        fitting = (a for a in rows if a.range >= value)
        return next(fitting, rows[-1] if rows else None)


# A hand is late when it starts and when it stops, by a fifth of a second each time; common practice, no source.
DEVICE = "device"
STOPWATCH = Instrument("stopwatch", "by hand", kind="stopwatch", accuracy=(Accuracy("timed", 3600.0, offset=0.3),))


@dataclass(frozen=True)
class Lead(Record):
    """Copper wires: one-way length in m, the cross-section in mm2 or the gauge in AWG of each, how many lie in parallel
    each way, the contacts on the whole way with what one of them adds, and the amps that the weakest of it is made for.
    """

    between: str
    length_m: float
    area_mm2: float | None = None
    awg: int | None = None
    temperature_degC: float = 20.0
    wires: int = 1
    contacts: int = 0
    contact_ohm: float = 0.0
    rated_A: float | None = None

    @property
    def size_words(self) -> str:
        size = f"{self.awg} AWG" if self.awg is not None else f"{self.area_mm2:g} mm²"
        return f"{self.wires} x {size}" if self.wires > 1 else size


GearKind = Literal[
    "isolation transformer",
    "variable transformer",
    "fuse",
    "DC fuse",
    "line filter",
    "series lamp",
    "earth-leakage breaker",
    "hand switch",
    "clear cover",
    "pre-charge resistor",
]


@dataclass(frozen=True)
class Gear(Record):
    """Protective gear ahead of the unit, in the order the current flows."""

    what: GearKind
    note: str = ""
    rated_A: float | None = None


@dataclass(frozen=True)
class Earthed(Record):
    """What is earthed through what: ``node`` of the unit, ``through`` an instrument or wire."""

    node: str
    through: str


@dataclass(frozen=True)
class StandIn(Record):
    """What a simulated bench is made of; ``pace`` is bench seconds per second, 0 as fast as it will go."""

    file: str
    seed: int = 1
    pace: float = 0.0
    lead_ohm: float = 0.0  # of the simulated leads to the load
    input_lead_ohm: float = 0.0  # of those between power meter and unit
    imperfect: bool = False  # phase error, burdens, settings that are off, drawn by the seed
    faults: tuple[str, ...] = ()  # ROLE,FAULT or unit,KIND or bench,MISHAP from the start


@dataclass(frozen=True)
class Rig(Record):
    """``clock`` is the only thing in the application that knows a bench is simulated.

    ``sense`` says where the voltmeter clips on, ``reference`` which terminals of the unit figures are referred to.
    ``further_meters`` are meters in the current path besides those in their roles.
    """

    name: str
    clock: Literal["wall", "simulated"]
    instruments: tuple[Instrument, ...]
    leads: tuple[Lead, ...] = ()
    gear: tuple[Gear, ...] = ()
    sense: Literal["unit", "load"] = "unit"
    amps_by: Literal["load", "ammeter"] = "load"  # whose amps the figures are worked out of, where both read
    reference: str = ""
    earthed: tuple[Earthed, ...] = ()
    scope_earth_lifted: bool = False
    further_meters: tuple[str, ...] = ()
    isolation_by: str = ""  # work on an open board without a cover: who confirms each of the four, by name
    fuse_by: str = ""
    emergency_stop_by: str = ""
    second_person: str = ""
    background_recorded: bool | None = None
    humidity_percent: float | None = None
    note: str = ""
    standin: StandIn | None = None

    @property
    def practice(self) -> bool:
        """Whether its unit is drawn to be practised on: nothing of what is found there is of a real one."""
        return self.standin is not None and self.standin.file.endswith(".practice")

    def instrument(self, place: str) -> Instrument | None:
        """The one that plays a role, given by its address: the role alone is that at the only port."""
        return next((i for i in self.instruments if any(at_port(i.role, port) == place for port in i.ports)), None)

    def source(self, kind: str = "") -> Instrument | None:
        """What feeds the unit through an input of this kind, ac or dc; the only one, or that for mains, where none is
        named."""
        roles = [role for name, role in SOURCES.items() if kind in ("", name)]
        return next((one for role in roles if (one := self.instrument(role)) is not None), None)

    @property
    def multiplies_watts(self) -> bool:
        """Whether a person reads volts and amps of a DC input, and nobody its watts."""
        meter, source = self.instrument("power_meter"), self.source()
        if meter is None or source is None or source.role != SOURCES["dc"] or meter.how != "by hand":
            return False
        return meter.accuracy_of("input_power") is None and meter.accuracy_of("input_current") is not None

    def need(self, place: str) -> Instrument:
        """The same, where the caller has seen that there is one; ValueError else: a bug."""
        one = self.instrument(place)
        if one is None:
            raise ValueError(f"nobody plays {place} on this rig")
        return one

    def of(self, role: str) -> tuple[Instrument, ...]:
        """Every instrument that plays a role, at whichever port."""
        return tuple(i for i in self.instruments if i.role == role)

    def by_hand(self, role: str) -> bool:
        """Whether a person sets or reads this role, at any port."""
        return any(one.how == "by hand" for one in self.of(role))

    @cached_property
    def channels(self) -> dict[str, Instrument]:
        """What the rig reads: by address of a quantity, the instrument that reads it."""
        found: dict[str, Instrument] = {}
        for q in QUANTITIES.values():
            for one, port in ((i, port) for i in self.of(q.role) for port in i.ports):
                if one.role != "ammeter" or (q.name == "shunt_voltage") <= (one.shunt is not None):
                    found.setdefault(at_port(q.name, port), one)
        return found

    @property
    def read_by_hand(self) -> dict[str, Instrument]:
        """What a person reads, by address, with the meter; a stopwatch lies where anybody reads anything."""
        found = {name: one for name, one in self.channels.items() if one.how == "by hand"}
        by_hand = any(one.how == "by hand" for one in self.instruments)
        return found | ({at_port("timed", what): STOPWATCH for what in TIMED} if by_hand else {})

    def lead(self, between: str) -> Lead | None:
        return next((one for one in self.leads if one.between == between), None)

    def has(self, *kinds: str) -> bool:
        """Whether any of these kinds of protective gear is there."""
        return any(one.what in kinds for one in self.gear)

    @property
    def protection(self) -> str:
        """The protective gear in words."""
        shown = (f"{g.what}{f' {g.rated_A:g} A' if g.rated_A is not None else ''}" for g in self.gear)
        isolated = any(i.isolated for i in self.instruments)
        return ", ".join([*(["isolated source"] if isolated else []), *shown])
