"""The beat of a run: bench time moves on slice by slice, everything is polled, watched, written, and people heard."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field

from zincsmith.bench.bench import Bench
from zincsmith.engine.event_log import EventLog
from zincsmith.engine.operator_interface import OperatorInterface
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.commands import Command
from zincsmith.model.events import Emptied, Polled, Tripped
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.settings import Settings
from zincsmith.model.states import State
from zincsmith.planning.watches import Trip, Watches

WAIT_SLICE_S = 0.25  # wall time between polls, and between signs of life, while a person is awaited
MOST_LOGGED = 100_000  # polls of a stage
HISTORY = 2000


class RunEnd(Exception):
    """The run ends here; not an error of the program."""

    def __init__(self, outcome: str, why: str) -> None:
        super().__init__(why)
        self.outcome, self.why = outcome, why


class Skip(Exception):
    """A person goes on without what is under way; ``part``: without the rest of this part."""

    def __init__(self, part: bool) -> None:
        super().__init__()
        self.part = part


Logged = tuple[float, dict[str, float], dict[str, float]]  # bench seconds, what was polled, what was asked by port


@dataclass
class PollLoop:
    """``listen`` deals with what a person may command at any time and returns the rest.

    ``history`` holds (bench seconds, values) since the last setting.
    """

    bench: Bench
    event_log: EventLog
    operator_interface: OperatorInterface
    watches: Watches
    listen: Callable[[list[Command]], list[Command]] = list
    settings: Settings = field(default_factory=Settings)
    began_s: float = 0.0
    history: list[tuple[float, dict[str, float]]] = field(default_factory=list)
    now: dict[str, float] = field(default_factory=dict)
    log: list[Logged] = field(default_factory=list)  # since the stage began
    skip: Skip | None = None
    off_since_s: float | None = None
    _emptied: bool = False
    _energy_Wh: float = 0.0

    def slice(self, seconds: float) -> dict[str, float]:
        """Let bench time pass while commands are heard, then poll. Skip when a person goes on without this."""
        left = self.bench.clock.wall_s(seconds)
        while True:  # in pieces: whoever watches over this process has to see it work
            self.bench.beat()
            self._hear(self.operator_interface.commands(min(left, WAIT_SLICE_S)))
            left -= WAIT_SLICE_S
            if left <= 0.0:
                break
        return self._poll(seconds)

    def hear(self) -> None:
        """Deal with what was commanded, without waiting."""
        self.listen(self.operator_interface.commands(0.0))

    def wait_for_person(self) -> list[Command]:
        """Bench time and watches go on while nobody answers."""
        self.bench.beat()  # waiting for a person is life
        began = time.monotonic()
        commands = self._hear(self.operator_interface.commands(WAIT_SLICE_S))
        waited = max(0.05, min(WAIT_SLICE_S, time.monotonic() - began))
        if not commands:
            self._poll(waited * max(1.0, self._pace()))
        return commands

    def _hear(self, commands: list[Command]) -> list[Command]:
        rest = self.listen(commands)
        if self.skip is not None and self.event_log.state is not State.PAUSED:
            skip, self.skip = self.skip, None
            raise skip
        return rest

    def _pace(self) -> float:
        wall = self.bench.clock.wall_s(1.0)
        return 1.0 / wall if wall else 1.0

    def _poll(self, seconds: float) -> dict[str, float]:
        self.bench.clock.advance(seconds)
        values = self.bench.poll()
        self.event_log.append(Polled(values, self.settings.source_on, self.settings.load_on))
        self.now = values
        self.bench.seen.observe(self.bench.clock.now_s, values, self.settings.source_on, self.settings.bare)
        self.history.append((self.bench.clock.now_s, values))
        if len(self.log) < MOST_LOGGED:
            self.log.append((self.bench.clock.now_s, values, self.settings.drawn_A))
        del self.history[:-HISTORY]
        self._energy_Wh += values.get("input_power", 0.0) * seconds / 3600.0
        worked_out = {"run_time": self.bench.clock.now_s - self.began_s, "input_energy": self._energy_Wh}
        for name, voltage in values.items():
            current = values.get(at_port("output_current", port_of(name)))
            if name_of(name) == "output_voltage" and current is not None:
                worked_out[at_port("output_power", port_of(name))] = abs(voltage * current)
        self._note_emptied(values)
        trip = self.watches.check({**worked_out, **values}, self.settings.source_on)
        if trip is not None:
            watch = trip.watch
            self.event_log.append(Tripped(watch.quantity, trip.value, watch.low, watch.high, watch.whose))
            raise RunEnd("tripped", trip_words(trip))
        return values

    def _note_emptied(self, values: dict[str, float]) -> None:
        """How long the output took to fall after a switch-off in the middle of a run: later gates wait as long."""
        now = self.bench.clock.now_s
        if self.settings.source_on:
            self.off_since_s, self._emptied = None, False
            return
        if self.off_since_s is not None and self._emptied:
            return
        lived = {n: c for n, c in self.bench.seen.channels.items() if name_of(n) == "output_voltage" and c.lived}
        if self.off_since_s is None:
            self.off_since_s = now
            self._emptied = not lived
        elif all(abs(values.get(name, 1e9)) < channel.low for name, channel in lived.items()):
            self._emptied = True
            self.emptied("output", now - self.off_since_s)

    def emptied(self, what: str, after_s: float) -> None:
        """Record how long something took to empty."""
        seen = self.bench.seen
        seen.emptied_s = max(seen.emptied_s or 0.0, after_s)
        self.event_log.append(Emptied(what, after_s))


def trip_words(trip: Trip) -> str:
    """Why a watch made the bench safe, in a sentence."""
    watch, value = trip.watch, trip.value
    info = WATCHABLE[watch.quantity]
    if value is None:
        return f"{info.words} could not be read, so they could not be watched ({watch.whose})"
    bound = watch.high if watch.high is not None and value > watch.high else watch.low
    unit = info.unit.replace("degC", "°C")
    return f"{info.words} reached {value:.4g} {unit}; {watch.whose} is {bound:.4g} {unit}"
