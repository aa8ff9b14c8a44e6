"""What stands beside a load that can be set, by wire or by a person: base loads, load switches, contactors."""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.analysis.parallel_loads import Sharing, highest_A, share, switching_order
from zincsmith.analysis.resistor_load import base_steps_ohm
from zincsmith.bench.bench import Bench
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.engine.operator import Operator
from zincsmith.model.actions import Pulses
from zincsmith.model.address import at_port, name_of
from zincsmith.model.errors import InputError, InstrumentError, LimitError, Refused
from zincsmith.model.rig import Instrument
from zincsmith.planning.rig_facts import step_words

Body = dict[str, float | str | bool | None]


@dataclass
class BaseLoads:
    """``on`` holds by port the steps that are on, by place in the list; None of a port where nobody has asked yet."""

    bench: Bench
    operator: Operator
    on: dict[str, tuple[int, ...]] = field(default_factory=dict)

    def at(self, port: str) -> Instrument | None:
        return self.bench.rig.instrument(at_port("base_load", port))

    def shared(self, base: Instrument, wanted_A: float, voltage: float, most_A: float) -> Sharing:
        """How base and load share a current. LimitError where they cannot."""
        steps_A = [abs(voltage) / ohm for ohm in base_steps_ohm(base)]
        found = share(wanted_A, steps_A, most_A, self._now(base))
        if found is None:
            most = highest_A(steps_A, most_A)
            raise LimitError(f"{base.name} and the load together reach {most:.4g} A; {wanted_A:.4g} A are wanted")
        return found

    def switch(self, base: Instrument, steps: tuple[int, ...], voltage: float) -> None:
        """From the steps that are on to these; by wire one at a time, so that the total neither drops nor doubles."""
        now = self._now(base)
        if now != steps:
            if base.place in self.bench.instruments:
                self._by_wire(base, now, steps, voltage)
            else:
                self.operator.set_by_hand(base.place, base_words(base, steps))
        self.on[base.port] = steps
        ohms = base_steps_ohm(base)
        self.bench.base_ohm[base.port] = 1.0 / sum(1.0 / ohms[k] for k in steps) if steps else 0.0

    def _by_wire(self, base: Instrument, now: tuple[int, ...], steps: tuple[int, ...], voltage: float) -> None:
        bank, on = self.bench.instruments[base.place], set(now)
        for k in switching_order(now, steps, [abs(voltage) / ohm for ohm in base_steps_ohm(base)]):
            on ^= {k}
            bank.set("pattern", float(pattern_of(on)))

    def _now(self, base: Instrument) -> tuple[int, ...]:
        """What is on; a bank by wire is asked once, whatever somebody left it at."""
        if base.port not in self.on:
            asked = self.bench.instruments.get(base.place)
            pattern = round(asked.get("pattern")) if asked is not None else 0
            count = len(base_steps_ohm(base))
            self.on[base.port] = tuple(k for k in range(count) if pattern >> k & 1)
        return self.on[base.port]


def pattern_of(steps: set[int]) -> int:
    """The steps as one number: 1 for the first, 2 for the second, 4 for the third, added up."""
    return sum(1 << k for k in steps)


def base_words(base: Instrument, steps: tuple[int, ...]) -> str:
    """What a person switches of a base load."""
    if not steps:
        return f"Take the {base.name} off, or switch every step of it off."
    made = base.dummy
    if made is not None and made.steps_W:
        return f"Switch on {step_words([made.steps_W[k] for k in steps])} of the {base.name}, nothing else of it."
    return f"Connect the {base.name} beside the load. It gets hot, and its ends are live."


@dataclass
class LoadSwitches:
    """``running`` holds by port what runs; of a port where nobody has asked yet there is nothing, and it is told to
    rest whatever somebody left it at."""

    bench: Bench
    operator: Operator
    running: dict[str, Pulses | None] = field(default_factory=dict)

    def rest(self, port: str) -> None:
        """The resistor off."""
        one = self.bench.rig.instrument(at_port("load_switch", port))
        if one is None or (port in self.running and self.running[port] is None):
            return
        if one.place in self.bench.instruments:
            self.bench.instruments[one.place].set("output", False)
        elif self.running.get(port) is not None:
            self.operator.set_by_hand(one.place, f"Switch the generator of the {one.name} off: its resistor rests.")
        self.running[port] = None

    def run(self, port: str, pulses: Pulses) -> Body:
        """Rate, duty, then on. InputError where the rig has none there."""
        one = self.bench.rig.instrument(at_port("load_switch", port))
        if one is None:
            raise InputError("the rig has no load switch", key="instrument.load_switch")
        if self.running.get(port) != pulses:
            if one.place in self.bench.instruments:
                switch = self.bench.instruments[one.place]
                switch.set("rate", pulses.rate_Hz)
                switch.set("duty", pulses.duty)
                switch.set("output", True)
            else:
                self.operator.set_by_hand(one.place, run_words(one, pulses))
            self.running[port] = pulses
        return {"pulses_A": pulses.current_A, "pulses_Hz": pulses.rate_Hz, "pulses_duty": pulses.duty}


def run_words(one: Instrument, pulses: Pulses) -> str:
    """What a person does about one that the program cannot reach."""
    ohm = f" ({one.switched.ohm:g} ohm)" if one.switched is not None else ""
    return (
        f"Set the generator of the {one.name}{ohm} to {pulses.rate_Hz:g} Hz, on for {100.0 * pulses.duty:g} % of the "
        f"time, and switch it on: it adds about {pulses.current_A:.3g} A. Its resistor gets hot, and its ends are live."
    )


WELDED = "its contact reads closed though it was told to open: it may be welded; nothing is energised into it"


@dataclass
class Contactors:
    """Those that short outputs, by wire only. What is read back of one is its contact, not its coil. ``opened`` are the
    ports whose contact was seen open since it last closed."""

    bench: Bench
    opened: set[str] = field(default_factory=set)

    def at(self, port: str) -> ScpiInstrument | None:
        return self.bench.instruments.get(at_port("contactor", port))

    def close(self, port: str) -> None:
        """InstrumentError where it does not."""
        one = self.at(port)
        if one is not None:
            self.opened.discard(port)
            one.set("output", True)

    def open(self, port: str) -> None:
        """InstrumentError where its contact stays closed."""
        one = self.at(port)
        if one is None or port in self.opened:
            return
        try:
            one.set("output", False)
        except Refused as error:
            raise InstrumentError(WELDED, role=error.role, address=error.address) from error
        self.opened.add(port)

    def prove_open(self) -> None:
        """Each, before anything is energised. InstrumentError where a contact is closed."""
        for place, one in self.bench.instruments.items():
            if name_of(place) == "contactor" and one.get("output"):
                raise InstrumentError(WELDED, role=place, address=one.link.address)
