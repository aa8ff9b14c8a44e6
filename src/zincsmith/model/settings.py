"""What sources, loads and ports were last set to: how a bench stands, as the engine and a rehearsal know it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from zincsmith.model.actions import ChooseMode, Dwell, Pulses, SetLoad, SetSource
from zincsmith.model.operating_point import LoadLaw, Mode
from zincsmith.model.port import UNPLUGGED, gives_nothing


@dataclass(frozen=True)
class Fed:
    """What the source at an input was last set to."""

    voltage_V: float = 0.0
    frequency_Hz: float = 50.0
    on: bool = False


@dataclass(frozen=True)
class Drawn:
    """What the load at an output was last set to."""

    current_A: float = 0.0
    on: bool = False
    law: LoadLaw = "CC"
    level: float | None = None
    pulses: Pulses | None = None
    beyond: float = 0.0
    shorted: bool = False

    @property
    def mean_A(self) -> float:
        """With what a load switch adds, over its periods."""
        base = self.current_A if self.on else 0.0
        return base + (self.pulses.duty * self.pulses.current_A if self.pulses is not None else 0.0)


@dataclass(frozen=True)
class Settings:
    """What sources and loads were last set to, and which modes were chosen, by port."""

    feeds: Mapping[str, Fed] = field(default_factory=dict)
    draws: Mapping[str, Drawn] = field(default_factory=dict)
    modes: Mapping[str, Mode] = field(default_factory=dict)

    def after(self, action: SetSource | SetLoad | ChooseMode) -> Settings:
        """The settings once an action was carried out."""
        match action:
            case SetSource(voltage, hertz, on, port):
                # What was asked for is forgotten with the power; what was taken off stays off.
                modes = self.modes if on else {p: m for p, m in self.modes.items() if m == UNPLUGGED}
                return replace(self, feeds={**self.feeds, port: Fed(voltage, hertz, on)}, modes=modes)
            case SetLoad(current, on, port, law, level, pulses, beyond, shorted, _):
                drawn = Drawn(current, on, law, level, pulses, beyond, shorted)
                return replace(self, draws={**self.draws, port: drawn})
            case ChooseMode("hard reset", port):  # what was asked for before is forgotten
                return replace(self, modes={p: m for p, m in self.modes.items() if p != port})
            case ChooseMode(mode, port):
                return replace(self, modes={**self.modes, port: mode})

    @property
    def all_off(self) -> Settings:
        feeds = {port: replace(one, on=False) for port, one in self.feeds.items()}
        return replace(
            self, feeds=feeds, draws={port: replace(one, on=False, pulses=None) for port, one in self.draws.items()}
        )

    @property
    def feed(self) -> Fed:
        """Of the first input."""
        return next(iter(self.feeds.values()), Fed())

    @property
    def input_V(self) -> float:
        """What the first input is fed with; zero while its source is off."""
        return self.feed.voltage_V if self.feed.on else 0.0

    @property
    def source_on(self) -> bool:
        return any(one.on for one in self.feeds.values())

    @property
    def bare(self) -> frozenset[str]:
        """Ports with nothing plugged in, outputs that are off by a switch of their own."""
        return frozenset(port for port, mode in self.modes.items() if gives_nothing(mode))

    @property
    def load_on(self) -> bool:
        return any(one.on or one.pulses is not None for one in self.draws.values())

    @property
    def drawn_A(self) -> dict[str, float]:
        """By port, the current that is asked for."""
        return {port: one.mean_A for port, one in self.draws.items() if one.on or one.pulses is not None}

    @property
    def words(self) -> list[str]:
        """What is on, each thing by itself."""
        fed = [
            f"{one.voltage_V:g} V at the {f'input {p}' if p else 'input'}" for p, one in self.feeds.items() if one.on
        ]
        return fed + [
            f"{current:.3g} A of load{f' at {port}' if port else ''}" for port, current in self.drawn_A.items()
        ]


@dataclass(frozen=True)
class Way:
    """How the bench came to stand as it does, where what the unit does depends on that (a lockout, a correction that
    switches): from an origin, the settings with the wait after each. Empty: it does not matter."""

    steps: tuple[tuple[Settings, Dwell], ...] = ()

    def after(self, settings: Settings, dwell: Dwell) -> Way:
        """Once something was waited for."""
        if dwell.origin:
            return Way(((settings, dwell),))
        return Way((*self.steps, (settings, dwell))) if self.steps else self


NO_WAY = Way()
