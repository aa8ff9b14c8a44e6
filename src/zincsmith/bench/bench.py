"""The bench: every role with the instrument that plays it, opened together and closed together."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, cast

from zincsmith.bench.clock import Clock, SimulatedClock, WallClock
from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import Record, ScpiInstrument
from zincsmith.bench.link import Link, refuse_real_address
from zincsmith.bench.roles import FEEDING
from zincsmith.bench.signs import Seen, fallen_below_V, seen_of
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.dialect import Dialect
from zincsmith.model.errors import InputError, InstrumentError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.roles import MEASURING, NOT_NEEDED, REACHED, RECORDED, ROLES, SWITCHES, WAKES
from zincsmith.model.unit import Node

if TYPE_CHECKING:
    from zincsmith.bench.oscilloscope import Oscilloscope

NO_OUTPUTS: Mapping[str, float] = {}  # nothing is known of the unit
MOST_SAMPLES = 200_000  # of a record; what comes as text takes its time


def _stand_in_clock(addresses: Mapping[str, str]) -> ScpiInstrument:
    if "clock" not in addresses:
        raise InputError("the clock is simulated but no stand-in bench is running", key="clock")
    return ScpiInstrument(Link("clock", addresses["clock"]), dialect_for("clock"))


class Bench:
    """Built from a rig; ``addresses`` gives the VISA names of the simulated roles. Nothing is opened yet.

    ``beat`` is called before each thing an instrument is asked: whoever watches over this process sees it work.
    ``guarded``: somebody switches off when this process dies, so that instruments beyond this computer are reached.
    ``outputs_V`` is by port what the outputs of the unit are rated for, by which ``seen`` tells a running one;
    ``nodes`` are the places inside it that may hold a charge.
    InputError when the rig cannot be armed: a role is missing, an address is real and nobody guards.
    """

    def __init__(
        self,
        rig: Rig,
        addresses: Mapping[str, str],
        beat: Callable[[], None] = lambda: None,
        guarded: bool = False,
        outputs_V: Mapping[str, float] = NO_OUTPUTS,
        nodes: tuple[Node, ...] = (),
    ) -> None:
        self.rig, self.addresses, self.beat, self.nodes = rig, addresses, beat, nodes
        self.instruments: dict[str, ScpiInstrument] = {}
        self.clock: Clock = WallClock()
        self.in_use: dict[str, Accuracy] = {}  # the range each quantity is read on
        self.base_ohm: dict[str, float] = {}  # by port what stands beside the load, 0 while nothing of it is on
        self.seen: Seen = seen_of(rig, outputs_V)
        self.fallen_V = {port: fallen_below_V(voltage) for port, voltage in outputs_V.items()}
        if not any(rig.of(role) for role in FEEDING):
            _needed(rig, FEEDING[0])
        _needed(rig, "load")
        self._reach_all(guarded)
        self._refuse_what_cannot_visit()
        self._refuse_what_cannot_say_that_it_is_off()
        self.clock_instrument = _stand_in_clock(addresses) if rig.clock == "simulated" else None
        for quantity in QUANTITIES.values():
            if quantity.role and not rig.of(quantity.role) and quantity.role not in NOT_NEEDED:
                _needed(rig, quantity.role)
        for instrument in (*self.instruments.values(), self.clock_instrument):
            if instrument is not None:
                instrument.link.beat = beat

    def _reach_all(self, guarded: bool) -> None:
        """Every instrument that is spoken to; those that share a link once it is there."""
        rig, addresses = self.rig, self.addresses
        for one in rig.instruments:
            if one.how != "by hand" and one.role in REACHED:
                if one.how == "connected" and not guarded:
                    refuse_real_address(one.role, one.address)
                if not one.shares:
                    self.instruments[one.place] = reach(one, addresses)
        for one in rig.instruments:
            if one.shares and one.how != "by hand":
                self.instruments[one.place] = self._sharing(one)

    def _sharing(self, one: Instrument) -> ScpiInstrument:
        """One more channel of an instrument that plays another role too, over its link."""
        if one.shares not in self.instruments:
            raise InputError(f"the {ROLES[one.role].lower()} shares the link of {one.shares!r}, and no such instrument "
                             "is reached", key=f"instrument.{one.role}.shares")  # fmt: skip
        holder = self.instruments[one.shares]
        made = ScpiInstrument(holder.link, dialect_for(one.role, one.dialect, one.dialect_text))
        made.holder = holder
        return made

    def _refuse_what_cannot_visit(self) -> None:
        for one in self.rig.instruments:
            reached = self.instruments.get(one.place)
            if one.visits and reached is not None and not reached.can_choose("channel"):
                raise InputError(
                    f"the {ROLES[one.role].lower()} visits {', '.join(one.visits)} and its dialect knows no relay to "
                    "switch; take one that does (voltmeter_relay), or let a person read it",
                    key=f"instrument.{one.role}.dialect",
                )

    def _refuse_what_cannot_say_that_it_is_off(self) -> None:
        for place, one in self.instruments.items():
            if name_of(place) in SWITCHES and not one.dialect.quirks.reads_back:
                role = name_of(place)
                raise InputError(
                    f"the {role.replace('_', ' ')} cannot say whether it is off, so nobody could call the bench safe; "
                    "use one that reads back",
                    key=f"instrument.{role}.dialect",
                )

    def open(self) -> None:
        """Open every link and choose the declared ranges; InstrumentError from the first that fails."""
        self.open_clock()
        for instrument in self.instruments.values():
            if not instrument.link.is_open and instrument.role not in WAKES:  # several roles may share one
                instrument.link.open()
        for place in self._reading:
            for quantity in {row.quantity for row in self._sheet(place)}:
                self._use(place, quantity, self._rows(place, quantity)[-1 if self._many(place, quantity) else 0])

    # Ranges

    def choose_ranges(self, most: Mapping[str, float]) -> None:
        """For each quantity, by its address, with several ranges the smallest that holds the most to be expected."""
        for place in self._reading:
            instrument = self.instruments[place]
            for quantity in {row.quantity for row in self._sheet(place)}:
                expected = most.get(at_port(quantity, port_of(place)))
                if expected is not None and self._many(place, quantity) and instrument.can_range(quantity):
                    rows = self._rows(place, quantity)
                    fitting = [row for row in rows if row.range >= expected]
                    self._use(place, quantity, fitting[0] if fitting else rows[-1])

    @property
    def _reading(self) -> list[str]:
        """Where something is read off: what a scope's data sheet says of volts is no range of the voltmeter."""
        return [place for place in self.instruments if name_of(place) in MEASURING]

    def _use(self, place: str, quantity: str, row: Accuracy) -> None:
        instrument, channel = self.instruments[place], at_port(quantity, port_of(place))
        if self.in_use.get(channel) != row and instrument.can_range(quantity):
            instrument.choose_range(quantity, row.range)
        self.in_use[channel] = row

    def _range_up(self, place: str, seen: Mapping[str, float]) -> bool:
        """Take the next range of what could not be read; False when there is none."""
        instrument, changed = self.instruments[place], False
        for quantity in instrument.dialect.operation["read"].quantities:
            if quantity in seen:
                continue
            row = self.in_use.get(at_port(quantity, port_of(place)))
            if row is None or not instrument.can_range(quantity):
                continue
            wider = [r for r in self._rows(place, quantity) if r.range > row.range]
            if wider:
                self._use(place, quantity, wider[0])
                changed = True
        return changed

    def _sheet(self, place: str) -> tuple[Accuracy, ...]:
        """What the rig states of an instrument's accuracy, else what its dialect does."""
        one = self.rig.instrument(place)
        return (one.accuracy if one is not None else ()) or self.instruments[place].dialect.accuracy

    def _rows(self, place: str, quantity: str) -> list[Accuracy]:
        return sorted((r for r in self._sheet(place) if r.quantity == quantity), key=lambda r: r.range)

    def _many(self, place: str, quantity: str) -> bool:
        return len(self._rows(place, quantity)) > 1

    # Clock and readings

    def open_clock(self) -> None:
        """The clock alone: enough for making safe, which opens what it needs."""
        if self.clock_instrument is not None:
            self.clock_instrument.link.open()
            pace = self.rig.standin.pace if self.rig.standin else 0.0
            self.clock = SimulatedClock(self.clock_instrument, pace)

    def polled(self) -> frozenset[str]:
        """What is read without a person, by address."""
        return frozenset(name for name, one in self.rig.channels.items() if one.place in self.instruments)

    def by_hand(self) -> dict[str, Instrument]:
        """What a person reads, by address, with the meter."""
        return self.rig.read_by_hand

    def poll(self) -> dict[str, float]:
        """One reading of everything that can be read without a person, by address."""
        for instrument in self.instruments.values():
            if instrument.holder is None:
                instrument.hold()
        ahead = self._asked_ahead
        for instrument in ahead:
            instrument.ask_ahead()
        try:
            values = self._heard()
        except InstrumentError:
            for instrument in ahead:
                instrument.link.leave_unheard()
            raise
        for port, ohm in self.base_ohm.items():
            voltage, current = (at_port(name, port) for name in ("output_voltage", "output_current"))
            if ohm and voltage in values and current in values:  # the load reads its own share
                values[current] += abs(values[voltage]) / ohm
        return values

    def _heard(self) -> dict[str, float]:
        """What everything says, in the order in which it is read."""
        values: dict[str, float] = {}
        for place, instrument in self._polled:
            if instrument.role not in WAKES:
                values.update(self._read(place, instrument, held=True))
            elif instrument.link.is_open:
                values.update(self._told_by_unit(place, instrument))
        return values

    def _told_by_unit(self, place: str, interface: ScpiInstrument) -> dict[str, float]:
        """What the unit itself says; a unit that falls silent is no instrument that fails."""
        try:
            return self._read(place, interface, held=True)
        except InstrumentError:
            interface.link.close()
            return {}

    def unit_sleeps(self) -> None:
        """The unit is fed no longer: its own interface is gone with that."""
        for instrument in self.instruments.values():
            if instrument.role in WAKES:
                instrument.link.close()

    def read_at(self, place: str) -> dict[str, float]:
        """What the instrument at a place reads, by address: of one that visits several, at each of them."""
        one = self.rig.instrument(place)
        at = one.place if one is not None else place
        instrument = self.instruments[at]
        if not instrument.link.is_open:
            instrument.reopen()
        return self._read(at, instrument)

    def _read(self, place: str, instrument: ScpiInstrument, held: bool = False) -> dict[str, float]:
        one = self._visitors.get(place)
        if one is None:
            seen = instrument.read(held)
            if self._range_up(place, seen):
                seen = instrument.read()
            return read_at(place, seen)
        values: dict[str, float] = {}
        for number, port in enumerate(one.visits, start=1):
            instrument.set("channel", float(number))
            values.update(read_at(at_port(one.role, port), instrument.read()))
        return values

    @cached_property
    def _visitors(self) -> dict[str, Instrument]:
        """The instruments that go to several ports, by their own place."""
        return {one.place: one for one in self.rig.instruments if one.visits}

    @cached_property
    def _polled(self) -> list[tuple[str, ScpiInstrument]]:
        """What is read in every slice, in its order."""
        return [(p, one) for role in MEASURING for p, one in self.instruments.items() if name_of(p) == role]

    @cached_property
    def _asked_ahead(self) -> list[ScpiInstrument]:
        """Those that work on their reading side by side: the first on each link, no unit, none that visits."""
        first: dict[int, ScpiInstrument] = {}
        for place, one in self._polled:
            if one.role not in WAKES and place not in self._visitors:
                first.setdefault(id(one.link), one)
        return list(first.values())

    def record(self, seconds: float) -> Record:
        """Volts and amps of the input, recorded together by the power meter, for so long as MOST_SAMPLES allow.

        InputError when it cannot.
        """
        meter = self.instruments.get("power_meter")
        if meter is None or not meter.dialect.records:
            raise InputError("the power meter gives no waveforms", key="instrument.power_meter.dialect")
        rate = meter.get("record_rate")
        return meter.record(min(round(seconds * rate), MOST_SAMPLES), RECORDED)

    @property
    def scope(self) -> Oscilloscope | None:
        """The one that is reached by wire."""
        found = (one for one in self.instruments.values() if one.role == "scope")
        return cast("Oscilloscope | None", next(found, None))

    def close(self) -> None:
        for instrument in self.instruments.values():
            instrument.link.close()
        if self.clock_instrument is not None:
            self.clock_instrument.link.close()


def read_at(place: str, seen: Mapping[str, float]) -> dict[str, float]:
    """What an instrument read, by the address of the port it is at."""
    port = port_of(place)
    return {at_port(quantity, port): value for quantity, value in seen.items()} if port else dict(seen)


def reach(one: Instrument, addresses: Mapping[str, str]) -> ScpiInstrument:
    """An instrument behind its address, not opened yet. InputError when it has none."""
    spoken = dialect_for(one.role, one.dialect, one.dialect_text)
    if one.how == "connected":
        link = Link(one.place, one.address, spoken.quirks.termination)
        link.expected = one.serial
        return _made(one, link, spoken)
    if one.place not in addresses:
        where = f" at {one.port}" if one.port else ""
        raise InputError(f"no stand-in plays the {ROLES[one.role].lower()}{where}", key=f"instrument.{one.role}.how")
    return _made(one, Link(one.place, addresses[one.place], spoken.quirks.termination), spoken)


def _made(one: Instrument, link: Link, spoken: Dialect) -> ScpiInstrument:
    if one.role != "scope":
        return ScpiInstrument(link, spoken)
    from zincsmith.bench.oscilloscope import Oscilloscope  # its samples need NumPy, which the guardian starts without

    return Oscilloscope(link, spoken)


def _needed(rig: Rig, role: str) -> Instrument:
    found = rig.of(role)
    if not found:
        raise InputError(f"the rig names no {role.replace('_', ' ')}", key=f"instrument.{role}")
    return found[0]
