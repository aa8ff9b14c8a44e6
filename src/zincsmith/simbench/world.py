"""The one world the stand-in instruments share: mains, unit, leads, load, room and bench time."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial

from zincsmith.simbench.imperfect import Imperfections, reactive_W
from zincsmith.simbench.motor import Motor
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.battery import Battery
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.units.parameters import Display
from zincsmith.simbench.units.rails import Ports

LEAST_LOAD_V = 1.0  # an electronic load keeps its law down to about a volt, then is a resistor
SHORT_OHM = 0.02
CONTACT_OHM = 0.03  # of a contactor with its leads
ROOM = "room"
SOFT_STEP_S = 0.05  # how often a source that gives way is looked at anew
SHUNT_OHM, SHUNT_OFF, SHUNT_PER_W = 0.01, 0.002, 50e-6  # as marked; off by; rises by, a watt
OF_AN_INVERTER = ("output_real_power", "output_frequency", "output_thd", "output_crest", "output_dc")
SWITCH_OHM, SWITCH_EDGE_S, SWITCH_RATE_OFF = 16.0, 60e-9, 0.002  # of the load switch; its generator is a little off
BANK_OHM = (38.4, 19.2, 9.6, 4.8)  # 15, 30, 60 and 120 W at 24 V
DIP_STEP_S = 0.005  # of time while the line is away
SAME_A = 1e-9  # two amps that lie no further apart are those of a bisection
MOST_A = 20.0  # what an electronic load takes at most


@dataclass
class Source:
    """``drift`` is a relative error that grew while nobody looked; ``tripped`` says that it went off by itself."""

    voltage_V: float = 0.0
    frequency_Hz: float = 50.0
    on: bool = False
    drift: float = 0.0
    thd: float = 0.003
    tripped: bool = False
    limit_A: float = math.inf
    phase_deg: float | None = None  # at which it switches; None: whenever it happens
    dip_V: float = 0.0
    dip_s: float = 0.02
    dips_until_s: float = -math.inf  # on the clock of the bench


@dataclass
class Load:
    """``mode`` is CURR, RES, VOLT, POW or SHOR, with a setting for each."""

    current_A: float = 0.0
    on: bool = False
    mode: str = "CURR"
    resistance_ohm: float = 1000.0
    voltage_V: float = 0.0
    power_W: float = 0.0
    bank: int = 0  # the steps of a bank beside it that are on, as bits
    pulsed: bool = False  # a load switch beside it is driven
    contact_closed: bool = False  # of a contactor across the output
    pulses_Hz: float = 100.0
    pulses_duty: float = 0.5

    @property
    def bank_S(self) -> float:
        """Conductance of the bank, and of a load switch in the mean of its periods."""
        switched = self.pulses_duty / SWITCH_OHM if self.pulsed else 0.0
        switched += 1.0 / CONTACT_OHM if self.contact_closed else 0.0
        return switched + sum(1.0 / ohm for k, ohm in enumerate(BANK_OHM) if self.bank >> k & 1)

    def total_A(self, volts: float, lead_ohm: float = 0.0) -> float:
        """With what the bank takes beside it."""
        return self.wanted_A(volts, lead_ohm) + max(0.0, volts) * self.bank_S

    def wanted_A(self, volts: float, lead_ohm: float = 0.0) -> float:
        """The current it asks for at a voltage at the far end of its leads; it goes by its own terminals."""
        if not self.on or volts <= 0.0:
            return 0.0
        if self.mode == "SHOR":
            return volts / (SHORT_OHM + lead_ohm)
        if self.mode == "RES":
            return volts / (self.resistance_ohm + lead_ohm)
        if self.mode == "VOLT":
            return max(0.0, (volts - self.voltage_V) / (SHORT_OHM + lead_ohm))
        if self.mode == "POW":
            return min(MOST_A, self._by_power_A(volts, lead_ohm))
        return self.current_A

    def _by_power_A(self, volts: float, lead_ohm: float) -> float:
        """P = (V - I R) I, the smaller root; where the leads let no such power through it pulls all it can."""
        left = volts * volts - 4.0 * self.power_W * lead_ohm
        if left < 0.0:
            return MOST_A
        return 2.0 * self.power_W / (volts + math.sqrt(left))


PROBES = {
    1: ("output volts", 1.0, ""), 2: ("output amps", 1.0, ""), 3: ("input volts", 100.0, ""),
    4: ("input amps", 1.0, ""),
}  # fmt: skip


@dataclass(frozen=True)
class Event:
    """The last thing that changed at the unit: its load, or its input, from what to what. ``phase`` in rad is that of
    the mains at that moment; ``cold`` says that it had not run for long."""

    kind: str  # load or input, mode of ports, or pulses: of a load switch, time zero where it closes
    at_s: float
    epoch: int
    amps_before: float
    amps_after: float
    output_before_V: float
    output_after_V: float
    input_before_V: float
    input_after_V: float
    input_Hz: float
    phase: float
    correcting: bool
    cold: bool
    rails_before: Mapping[str, tuple[float, float]] = field(default_factory=dict)  # (V, A) by port, of several
    rails_after: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    asking: frozenset[str] = frozenset()  # the ports that are asked for something else than before
    reset: str = ""  # the one that starts anew
    dip_s: float = 0.0  # how long the input is away, of a dip


@dataclass
class World:
    """``epoch`` counts changes of setting: a meter's non-gain error is drawn anew with each, see meter.py.

    ``lead_ohm`` is the resistance of the leads between unit and load; ``mains_on`` False is a power cut.
    """

    unit: Adapter
    seed: int
    ambient_degC: float = 23.0
    lead_ohm: float = 0.0
    time_s: float = 0.0
    epoch: int = 0
    mains_on: bool = True
    source: Source = field(default_factory=Source)
    dc_source: Source = field(default_factory=lambda: Source(frequency_Hz=0.0, thd=0.0))
    loads: dict[str, Load] = field(default_factory=dict)  # by port; the only one has no name
    imperfect: Imperfections = field(default_factory=Imperfections)
    last_event: Event | None = None
    clips_on: str = ""  # of an LCR meter
    floats: bool = False  # the source that feeds it has no earth
    across_pins_ohm: float = 100e6  # of what reads the volts of the input
    phase_ignored: bool = False  # the source takes a phase, and switches whenever it likes
    tip_at_ground: bool = False  # the scope's tip stands at the return of the output, where its ground is
    rectifier_W: float = 0.0  # of a supply at an output that alternates, instead of the load
    rectifier_share: float = 0.35  # of each half period that it draws
    motor: Motor | None = None  # at an output that alternates, switched on while a record runs
    at_outlet: bool = False  # the scope's probe of the output is at a wall outlet
    bounces: bool = False  # the contact that switches the input
    load_slew_A_per_s: float = 0.5e6
    lead_H: float = 1e-6  # of the leads to the load
    welded: bool = False  # a contactor that has closed stays closed, whatever its coil does
    fallen_probe: str = ""  # the spot whose thermometer came off
    battery: Battery | None = None  # joined to the only output
    behind: tuple[float, float] | None = None  # (V, A at most) of a source that holds the output from behind
    source_ohm: float = 0.0  # of source and leads to the input: under load the unit sees less than was set
    # By channel of the scope: what its probe is joined to, what that divides by, how its ground is made.
    probes: dict[int, tuple[str, float, str]] = field(default_factory=lambda: dict(PROBES))

    _lagging: tuple[object, float] = (None, 0.0)
    _fed_V: float = 0.0
    _wanted: Mapping[str, object] = field(default_factory=dict)  # by port, as last seen

    def __post_init__(self) -> None:
        self.loads = {port: Load() for port in self.ports}
        self.unit.wired.lead_ohm = self.lead_ohm
        self.unit.core_degC = self.unit.case_degC = self.ambient_degC

    @property
    def ports(self) -> tuple[str, ...]:
        """The outputs of the unit."""
        rails = self.unit.rails
        return tuple(r.name for r in rails.rails) if rails is not None else ("",)

    @property
    def nodes(self) -> tuple[str, ...]:
        """The places inside the unit that a probe can go to."""
        return ("bulk",)

    @property
    def spots(self) -> tuple[str, ...]:
        """Where a thermometer can be held, the room among them."""
        return (*self.unit.spots, ROOM)

    def spot_degC(self, spot: str) -> float:
        """A probe that fell off hangs in the room."""
        unit = self.unit
        share = unit.spots.get(spot)
        if share is None or spot == self.fallen_probe:
            return self.ambient_degC
        return unit.case_degC + share * (unit.core_degC - unit.case_degC)

    @property
    def load(self) -> Load:
        """The one at the first output."""
        return next(iter(self.loads.values()))

    def changed(self) -> None:
        """Note that a setting was changed and let the unit follow at once."""
        self.epoch += 1
        unit, fed = self.unit, self._fed_V
        amps, volts, correcting = unit.current_A, unit.output_V, unit.correcting
        rails, wanted = self._at_rails(), (self.unit.rails or self.unit).wanted
        reset = self.unit.rails.reset if self.unit.rails is not None else ""
        asking = frozenset(port for port, now in wanted.items() if now != self._wanted.get(port, now))
        asking |= {reset} if reset else frozenset()
        self._wanted = wanted
        self.advance(0.0)
        self._fed_V = self.input_V
        if fed != self._fed_V and 0.0 in (fed, self._fed_V):
            kind = "input"
        elif asking:
            kind = "mode"
        elif abs(unit.current_A - amps) > SAME_A:
            kind = "load"
        else:
            return
        set_to = None if self.phase_ignored else self.source.phase_deg
        drawn = random.Random(f"phase {self.seed} {self.epoch}").uniform(0.0, 360.0)
        self.last_event = Event(
            kind, self.time_s, self.epoch, amps, self.load.total_A(unit.output.voltage_V, self.lead_ohm)
            if kind == "input" else unit.current_A, volts, unit.ends_V if kind == "mode" else unit.output_V, fed,
            self._fed_V, self.input_Hz,
            math.radians(drawn if set_to is None else set_to), correcting, unit.core_degC < self.ambient_degC + 15.0,
            rails, self._at_rails(), asking, reset,
        )  # fmt: skip

    def dip(self) -> None:
        """The source lets its volts go away for its ``dip_s``, now."""
        self.epoch += 1
        unit, source = self.unit, self.source
        stood, correcting = self.input_V, unit.correcting
        source.dips_until_s = self.time_s + source.dip_s
        drawn = random.Random(f"phase {self.seed} {self.epoch}").uniform(0.0, 360.0)
        self.last_event = Event(
            "dip", self.time_s, self.epoch, unit.current_A, unit.current_A, unit.output_V, unit.output_V, stood,
            source.dip_V, self.input_Hz, math.radians(drawn), correcting, False, dip_s=source.dip_s,
        )  # fmt: skip

    def _at_rails(self) -> dict[str, tuple[float, float]]:
        rails = self.unit.rails
        return {} if rails is None else {name: (volts, rails.amps[name]) for name, volts in rails.volts.items()}

    def pulses(self) -> Event:
        """What a load switch makes of the output: the base before it closes, and with it closed."""
        unit, load = self.unit, self.load
        base = self._wanted_of(load, unit.output_V)
        closed = base + unit.output.voltage_V / SWITCH_OHM
        was, then = (unit.regulated_V(self.input_V, amps, unit.core_degC) for amps in (base, closed))
        return Event(
            "pulses", self.time_s, self.epoch, base, closed, was, then, self.input_V, self.input_V, self.input_Hz, 0.0,
            unit.correcting, False,
        )  # fmt: skip

    def advance(self, seconds: float) -> None:
        """Move bench time on; long stretches are cut so that the unit's temperatures follow."""
        left = seconds
        while True:
            busy = isinstance(self.unit.rails, Ports) and self.unit.rails.busy
            dt = min(left, SOFT_STEP_S if self.yields or busy else 5.0)
            if (away_s := self.source.dips_until_s - self.time_s) > 0.0:
                dt = min(dt, away_s, DIP_STEP_S)
            self.time_s += dt
            if isinstance(self.unit.rails, Ports):
                self.unit.rails.tick(dt)
            self.unit.step(dt, self.input_V, self.input_Hz, self._at_unit(), self.ambient_degC)
            if self.battery is not None:
                self.battery.goes_on(dt, self.unit.current_A)
            if self.unit.rails is not None:
                self.unit.rails.settle(self.unit.output_V, self._drawn())
            left -= dt
            if left <= 0.0:
                return

    def _at_unit(self) -> float | Callable[[float], float]:
        """The load as the unit sees it."""
        if self.unit.rails is not None:
            return self.unit.rails.at_bus(self._drawn())
        if (battery := self.battery) is not None:
            return lambda volts: self._wanted_of(self.load, volts) + battery.takes_A(volts)
        if self.load.bank or self.load.pulsed or self.load.contact_closed:
            return lambda volts: self._wanted_of(self.load, volts) + volts * self.load.bank_S
        if not self.load.on or self.load.mode == "CURR":
            return self.wanted_A
        return partial(self.load.wanted_A, lead_ohm=self.lead_ohm)

    def _drawn(self) -> dict[str, Callable[[float], float]]:
        return {
            port: lambda volts, load=load: self._wanted_of(load, volts) + max(0.0, volts) * load.bank_S  # type: ignore[misc]
            for port, load in self.loads.items()
        }

    def _wanted_of(self, load: Load, volts: float) -> float:
        """What a load takes at a voltage; in constant current with the error of its setting, down to about a volt."""
        if load.mode != "CURR":
            return load.wanted_A(volts, self.lead_ohm)
        set_to = load.current_A * (1.0 + self.imperfect.load_set) if load.on else 0.0
        return set_to * min(1.0, volts / LEAST_LOAD_V)

    def _alternates(self, quantity: str) -> float:
        """What a power meter at an output that alternates reads; its loads are resistances."""
        unit = self.unit
        if not isinstance(unit, Inverter):
            return 0.0
        return {
            "output_real_power": unit.output_V * unit.current_A, "output_frequency": unit.frequency_Hz,
            "output_thd": unit.thd, "output_crest": unit.crest, "output_dc": unit.offset_V,
        }[quantity]  # fmt: skip

    def output_of(self, port: str) -> tuple[float, float]:
        """(V, A) of an output as its terminals have them."""
        rails = self.unit.rails
        if rails is None and self.battery is not None:  # it stands at the output whether that is on or off
            stands = self.battery.open_V
            volts = self.unit.output_V if self.unit.output_V > abs(stands) else stands
            return volts, self.unit.current_A
        if rails is None:
            return max(self.unit.output_V, self.held_V), self.unit.current_A
        return rails.volts[port], rails.amps[port]

    @property
    def held_V(self) -> float:
        """At the only output, held from behind: its source's volts, or what its limit makes of what the unit takes."""
        if self.behind is None:
            return 0.0
        volts, amps = self.behind
        return min(volts, amps * self.unit.output.back_ohm)

    @property
    def touch_A(self) -> float:
        """From the output to earth, through what bridges the barrier; nothing behind a source that floats."""
        y_F = self.unit.mains.y_capacitor_F
        return 0.0 if self.floats else 2.0 * math.pi * self.input_Hz * y_F * self.input_V

    @property
    def taken_back_A(self) -> float:
        """What the unit takes from there while it gives nothing itself."""
        return self.held_V / self.unit.output.back_ohm if self.held_V > self.unit.output_V else 0.0

    @property
    def feeding(self) -> Source:
        """What the unit is there to be fed by."""
        return self.dc_source if self.unit.direct else self.source

    @property
    def input_V(self) -> float:
        """What the unit is fed with, V rms; a DC source stands in for the mains when that is off."""
        feeds = self.feeding
        if feeds.on and self.mains_on:
            return feeds.dip_V if self.time_s < feeds.dips_until_s - 1e-9 else self._given(feeds)
        if self.dc_source.on and self.mains_on and not self.unit.direct:
            return self.dc_source.voltage_V / math.sqrt(2.0)  # the bulk capacitor charges to the same
        return 0.0

    def _given(self, feeds: Source) -> float:
        """What is left of a source behind its leads; at its own limit it gives way, the more the unit asks for."""
        amps = self.unit.intake.current_A
        volts = max(0.0, feeds.voltage_V * (1.0 + feeds.drift) - self.source_ohm * amps)
        return volts if amps <= feeds.limit_A else volts * feeds.limit_A / amps

    @property
    def yields(self) -> bool:
        """Whether what feeds the unit gives way under load, so that it is looked at often."""
        return self.source_ohm > 0.0 or self.unit.intake.current_A > self.dc_source.limit_A

    @property
    def input_Hz(self) -> float:
        return 0.0 if self.unit.direct else self.source.frequency_Hz

    @property
    def wanted_A(self) -> float:
        return self.load.current_A * (1.0 + self.imperfect.load_set) if self.load.on else 0.0

    def _metered_A(self) -> float:
        """With what a tap on the unit's side takes, in phase with the volts."""
        amps, off = self.unit.intake.current_A, self.imperfect
        if not off.tap_ohm or not self.input_V:
            return amps
        taken = self.input_V / off.tap_ohm
        return math.sqrt(amps**2 + 2.0 * taken * self.unit.intake.power_W / self.input_V + taken**2)

    def _metered_W(self) -> float:
        """Input watts at the meter's tap: those of the unit, of shunt and leads, and what the phase error makes of the
        fundamental that lags. That the unit itself sees a few hundredths of a volt less is left out."""
        amps, off = self.unit.intake.current_A, self.imperfect
        watts = self.unit.intake.power_W + off.series_ohm * amps**2
        if off.tap_ohm:
            watts += self.input_V**2 / off.tap_ohm
        if not off.phase_rad or not amps or self.unit.direct:
            return watts
        key = (round(self.input_V, 3), self.input_Hz, round(amps, 6))
        if self._lagging[0] != key:
            self._lagging = key, reactive_W(self.input_V, self.unit.input_half_cycle(self.input_V, self.input_Hz))
        return watts + self._lagging[1] * off.phase_rad

    def _through_load(self, port: str) -> float:
        """What the load itself takes, without the bank beside it."""
        volts, amps = self.output_of(port)
        return amps - abs(volts) * self.loads[port].bank_S

    def _across_shunt(self, amps: float) -> float:
        """I R of a shunt that is a little off and warms itself: its resistance rises with what it dissipates."""
        warm = 1.0 + SHUNT_PER_W * amps * amps * SHUNT_OHM
        return amps * SHUNT_OHM * (1.0 + SHUNT_OFF) * warm

    def load_V(self, port: str = "") -> float:
        """An output as its load sees it, behind the leads."""
        volts, amps = self.output_of(port)
        return math.copysign(max(0.0, abs(volts) - self.lead_ohm * amps), volts)

    def input_waves(self, times_s: list[float]) -> tuple[list[float], list[float]]:
        """(volts, amps) of the input from moment to moment; what is distorted in the volts is their fifth order."""
        rms, thd = self.input_V, self.source.thd
        if self.unit.direct:
            return [rms] * len(times_s), self.unit.input_current_wave(rms, 0.0, times_s)
        first = rms / math.sqrt(1.0 + thd * thd)
        volts = [
            math.sqrt(2.0) * first * (math.sin(x) + thd * math.sin(5.0 * x))
            for x in (2.0 * math.pi * self.input_Hz * t for t in times_s)
        ]
        return volts, self.unit.input_current_wave(rms, self.input_Hz, times_s)

    def true_value(self, quantity: str) -> float:
        """What a perfect instrument would read, in V, A, W, Hz, degC or 1; of one of several outputs QUANTITY@PORT."""
        quantity, _, port = quantity.partition("@")
        if quantity == "spot_temperature":
            return self.spot_degC(port)
        if quantity in OF_AN_INVERTER:
            return self._alternates(quantity)
        unit, volts = self.unit, self.input_V
        port = port if port in self.ports else self.ports[0]  # a node lies at none of them
        if quantity == "power_factor":
            apparent = volts * self._metered_A()
            return self._metered_W() / apparent if apparent > 0.0 else 0.0
        shown = unit.display or Display()
        before_sense = unit.output_V + shown.sense_ohm * unit.current_A
        return {
            "panel_voltage": before_sense * (1.0 + shown.volts_error_percent / 100.0),
            "panel_power": shown.watts(unit.output_V * unit.current_A),
            "panel_current": unit.current_A * (1.0 + shown.amps_error_percent / 100.0),
            "input_voltage": volts,
            "input_frequency": self.input_Hz if volts else 0.0,
            "voltage_thd": self.source.thd if volts and not unit.direct else 0.0,
            "input_current": self._metered_A(),
            "input_power": self._metered_W(),
            "output_voltage": self.output_of(port)[0],
            "load_voltage": self.load_V(port),
            "output_current": self._through_load(port),
            "node_voltage": unit.bulk_V,
            "second_input_voltage": volts,
            "second_input_current": unit.intake.current_A,
            "second_input_power": unit.intake.power_W + self.imperfect.input_lead_ohm * unit.intake.current_A**2,
            "second_output_voltage": self.output_of(port)[0],
            "ammeter_current": self.output_of(port)[1],
            "shunt_voltage": self._across_shunt(self.output_of(port)[1]),
            "case_temperature": unit.case_degC,
        }[quantity]
