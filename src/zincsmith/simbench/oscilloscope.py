"""The stand-in oscilloscope: four channels of the one world, single records of eight bits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.simbench.imperfect import ScopeErrors, scope_errors
from zincsmith.simbench.scope import (
    FULL_HZ,
    LEVELS,
    codes_of,
    input_amps,
    input_volts,
    output_amps,
    output_volts,
    power_good_volts,
)
from zincsmith.simbench.scope_rails import rail_amps, rail_volts
from zincsmith.simbench.scpi import Interpreter, ScpiError, number, render
from zincsmith.simbench.units.node import node_amps, node_volts
from zincsmith.simbench.world import Event, World

Array = NDArray[np.float64]

MOST_POINTS = 10_000_000
SEARCHED = 40_001  # places at which the trigger is looked for
WAITS_S = 0.5  # how long after the record would have ended it still looks


@dataclass
class Channel:
    span: float = 40.0
    offset: float = 0.0
    bandwidth_Hz: float = FULL_HZ
    coupling: str = "DC"


@dataclass(frozen=True)
class Held:
    """A record: around which event, from when on, and what makes its noise."""

    event: Event | None
    at_s: float
    epoch: int
    forced_s: float | None = None  # on the clock of the bench, of one that nothing triggered


class Oscilloscope:
    """Four channels, each joined to what the world says its probe is joined to; amps come as as many volts."""

    def __init__(self, world: World, identity: str) -> None:
        self.world, self.box = world, Interpreter(identity)
        self.channels = [Channel() for _ in range(4)]
        self.rate_Hz, self.depth, self.before, self.level = 1e6, 1000.0, 0.0, 0.0
        self.source, self.slope, self.ground = "CHAN1", "POS", "SPR"
        self.armed: int | None = None  # the world's epoch then
        self.held: Held | None = None
        for n, channel in enumerate(self.channels, 1):
            self._number(f"CHANnel{n}:RANGe", channel, "span", 1e-3, 2000.0)
            self._number(f"CHANnel{n}:OFFSet", channel, "offset", -1000.0, 1000.0)
            self._number(f"CHANnel{n}:BWIDth", channel, "bandwidth_Hz", 1e3, 1e9)
            self._word(f"CHANnel{n}:COUPling", channel, "coupling", "DC", "AC")
        self._number("ACQuire:SRATe", self, "rate_Hz", 1e3, 1e9)
        self._number("ACQuire:DEPTh", self, "depth", 16.0, MOST_POINTS)
        self._number("ACQuire:BEFore", self, "before", 0.0, MOST_POINTS)
        self._number("TRIGger:LEVel", self, "level", -1000.0, 1000.0)
        self._word("TRIGger:SOURce", self, "source", "CHAN1", "CHAN2", "CHAN3", "CHAN4")
        self._word("TRIGger:SLOPe", self, "slope", "POS", "NEG", "EITH")
        self._word("PROBe:GROund", self, "ground", "SPR", "LONG", "COAX")
        self.box.on("TRIGger:SINGle", lambda _: self._arm())
        self.box.on("TRIGger:FORCe", lambda _: self._force())
        self.box.on("TRIGger:STATe?", lambda _: str(int(self._has_triggered())))
        self.box.on("WAVeform:DATA?", lambda text: self._block(self._of(text)))
        self.box.on("WAVeform:STEP?", lambda text: render(self.channels[self._of(text)].span / LEVELS))
        self.box.on("WAVeform:ORIGin?", lambda text: render(self.channels[self._of(text)].offset))

    def _number(self, header: str, of: object, name: str, low: float, high: float) -> None:
        self.box.on(header, lambda text: setattr(of, name, number(text, low, high)))
        self.box.on(f"{header}?", lambda _: render(getattr(of, name)))

    def _word(self, header: str, of: object, name: str, *allowed: str) -> None:
        def choose(text: str) -> None:
            if text.upper() not in allowed:
                raise ScpiError(-224, "Illegal parameter value")
            setattr(of, name, text.upper())

        self.box.on(header, choose)
        self.box.on(f"{header}?", lambda _: str(getattr(of, name)))

    def _of(self, text: str) -> int:
        return int(number(text, 1.0, float(len(self.channels)))) - 1

    def _arm(self) -> None:
        self.armed, self.held = self.world.epoch, None

    def _force(self) -> None:
        event = self.world.pulses() if self.world.load.pulsed else None
        self.armed, self.held = None, Held(event, 0.0, self.world.epoch, self.world.time_s)

    def _while_it_ran(self, held: Held) -> Held:
        """What happened while a record ran that nothing triggered is in it, where it happened."""
        event = self.world.last_event
        if held.forced_s is None or held.event is not None or event is None or event.epoch <= held.epoch:
            return held
        return Held(event, held.forced_s - event.at_s, held.epoch)

    def _has_triggered(self) -> bool:
        """Whether something came since it was armed that passes the level the right way."""
        event = self.world.last_event
        fresh = self.armed is not None and event is not None and event.epoch > self.armed
        if not fresh and self.world.load.pulsed:
            fresh, event = self.armed is not None, self.world.pulses()
        if fresh and event is not None:
            length = (self.depth - self.before) / self.rate_Hz + WAITS_S
            times = np.linspace(-0.2 * length, length, SEARCHED)
            seen = self._analog(int(self.source[-1]) - 1, times, event)
            way = -1.0 if self.slope == "NEG" else 1.0
            above = np.abs(seen) >= abs(self.level) if self.slope == "EITH" else way * (seen - self.level) >= 0.0
            passed = np.flatnonzero(above[1:] & ~above[:-1])
            if len(passed):
                self.armed, self.held = None, Held(event, float(times[int(passed[0]) + 1]), self.world.epoch)
        return self.held is not None

    def _analog(self, n: int, times: Array, event: Event | None) -> Array:
        what, ratio, ground = self.world.probes.get(n + 1, ("nothing", 1.0, ""))
        ground = ground or self.ground
        what, _, port = what.partition("@")
        if what == "output volts":
            if port in self.world.ports and self.world.unit.rails is not None:
                return rail_volts(self.world, times, event, ground, port) / ratio
            return output_volts(self.world, times, event, ground) / ratio
        if what == "output amps" and port in self.world.ports and self.world.unit.rails is not None:
            return rail_amps(self.world, times, event, port) / ratio
        if what == "node":
            return node_volts(self.world, times, ground, event) / ratio
        if what == "node amps":
            return node_amps(self.world, times) / ratio
        reads: dict[str, Callable[[World, Array, Event | None], Array]] = {
            "output amps": output_amps, "input volts": input_volts, "input amps": input_amps,
            "signal": power_good_volts,
        }  # fmt: skip
        return reads[what](self.world, times, event) / ratio if what in reads else np.zeros(len(times))

    def _block(self, n: int) -> str:
        """The record of a channel as a block of bytes of stated length."""
        if self.held is None:
            raise ScpiError(-230, "Data corrupt or stale")
        held, channel = self._while_it_ran(self.held), self.channels[n]
        lag = 0.3 if held.event is not None else 0.0  # its clock runs by itself
        off = scope_errors(self.world.seed, n) if self.world.imperfect.apart else ScopeErrors()
        times: Array = np.arange(int(self.depth), dtype=np.float64)
        times -= self.before - lag
        times *= (1.0 + off.clock) / self.rate_Hz
        times += held.at_s
        values = self._analog(n, times, held.event)
        if channel.coupling == "AC":
            values = values - float(np.mean(values))
        if self.world.imperfect.apart:
            values = (1.0 + off.gain) * values + off.offset * channel.span
        dice = np.random.default_rng([self.world.seed, held.epoch, n])
        codes = codes_of(values, channel.span, channel.offset, self.rate_Hz, channel.bandwidth_Hz, dice)
        data = codes.tobytes()
        length = str(len(data))
        return f"#{len(length)}{length}" + data.decode("latin-1")
