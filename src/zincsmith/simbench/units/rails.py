"""Several outputs behind one converter: rails that pull on each other, or ports that are asked for a voltage.

What the rails draw stands as a current at the converter's own bus; each rail follows the bus, droops over a resistance
of its own, and moves with what the others take (cross-regulation).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from typing import Any

Draws = Mapping[str, Callable[[float], float]]  # by rail: amps at a voltage across the load


@dataclass(frozen=True)
class Rail:
    """``modes_V``: what may be asked for instead of ``voltage_V``, which is the first of them. ``pulled_V_per_A``: how
    far an ampere of the others moves it. ``efficiency`` is that of making it from the bus. With nothing connected it
    rises by ``open_rise_V``, what leaks of the spikes of its winding charges its capacitor to; by exp(-I / ``open_A``)
    less with a load. ``modes_A``: what each mode gives at most; ``always``: it has its volts with nothing plugged in,
    as an older kind of port has. ``range_V``: what it can be set to instead, in steps of ``step_V``, up to ``range_A``;
    set to a current it keeps that, and lets its volts go, down to where the range ends. It comes
    ``comes_after_s`` after the bus; its own capacitor carries it on; ``coupled`` of the dip of another shows in it.
    ``apart``: it has a small converter of its own, and stands while the unit is held off at a terminal.

    Asked for another mode it begins ``mode_delay_s`` later and goes there at ``mode_V_per_s``, past it by the share
    ``mode_past`` of the way with a swing of ``mode_Hz``; with nothing plugged in it empties its capacitor through
    ``discharge_ohm``."""

    name: str
    voltage_V: float
    resistance_ohm: float = 0.0
    pulled_V_per_A: float = 0.0
    efficiency: float = 1.0
    setpoint_error_percent: float = 0.0
    modes_V: tuple[float, ...] = ()
    modes_A: tuple[float, ...] = ()
    always: bool = False
    open_rise_V: float = 0.0
    open_A: float = 0.05
    range_V: tuple[float, ...] = ()
    range_A: float = 0.0
    step_V: float = 0.02
    comes_after_s: float = 0.0
    capacitor_F: float = 1e-3
    coupled: float = 0.1
    limit_error_A: float = 0.0
    apart: bool = False
    mode_delay_s: float = 0.06
    mode_V_per_s: float = 1500.0
    mode_past: float = 0.01
    mode_Hz: float = 900.0
    discharge_ohm: float = 100.0


class Rails:
    """The outputs of one unit whose converter makes a bus of ``bus_V``."""

    def __init__(self, rails: tuple[Rail, ...], bus_V: float) -> None:
        self.rails, self.bus_V = rails, bus_V
        self.asked = {rail.name: 1 for rail in rails}
        self.volts = dict.fromkeys(self.asked, 0.0)
        self.amps = dict.fromkeys(self.asked, 0.0)
        self.attached = dict.fromkeys(self.asked, True)  # whether something asks a port that has several modes
        self.set_to: dict[str, tuple[float, float]] = {}  # by port, (V, A) of one that was set within its range
        self.apart_fed = False  # whether what stands apart is all that the unit makes
        self.reset = ""  # the port that is starting anew because its sink wants it to
        self._limits: set[str] = set()  # ports that hold their current

    def modes_of(self, name: str) -> tuple[float, ...]:
        """What may be asked of a port, V; the one voltage of a plain rail."""
        rail = next(r for r in self.rails if r.name == name)
        return rail.modes_V or (rail.voltage_V,)

    @property
    def wanted(self) -> dict[str, tuple[object, ...]]:
        """By port, what asks it for what."""
        return {n: (self.attached[n], self.asked[n], self.set_to.get(n)) for n in self.asked}

    def settle(self, bus: float, draws: Draws) -> None:
        """Volts and amps of every rail at a bus voltage: each load takes what it wants at the volts it then has."""
        if bus < 0.02 * self.bus_V:  # nothing is made of nothing; whoever asks again asks from the start
            self.volts, self.amps = dict.fromkeys(self.volts, 0.0), dict.fromkeys(self.amps, 0.0)
            self.asked = dict.fromkeys(self.asked, 1)
            self.set_to.clear()
            for rail in [r for r in self.rails if r.apart and self.apart_fed] * 3:
                self._settle_one(rail, bus, 0.0, draws[rail.name])
            return
        for _ in range(3):
            for rail in self.rails:
                others = sum(a for name, a in self.amps.items() if name != rail.name)
                self._settle_one(rail, bus, others, draws[rail.name])

    def _settle_one(self, rail: Rail, bus: float, others_A: float, draw: Callable[[float], float]) -> None:
        volts = self._open_V(rail, bus) + rail.pulled_V_per_A * others_A
        sign = 1.0 if volts >= 0.0 else -1.0
        volts += sign * rail.open_rise_V * math.exp(-self.amps[rail.name] / rail.open_A)
        self.volts[rail.name] = sign * max(0.0, abs(volts) - rail.resistance_ohm * self.amps[rail.name])
        self.amps[rail.name] = draw(abs(self.volts[rail.name]))
        self._hold_amps(rail, draw)

    def _hold_amps(self, rail: Rail, draw: Callable[[float], float]) -> None:
        """A port that was set to a current gives no more: its volts go to where the load takes just that."""
        self._limits.discard(rail.name)
        _, most = self.set_to.get(rail.name, (0.0, math.inf))
        most += rail.limit_error_A
        if self.amps[rail.name] > most:
            low, high = 0.0, self.volts[rail.name]
            for _ in range(40):
                middle = 0.5 * (low + high)
                low, high = (low, middle) if draw(middle) > most else (middle, high)
            self.volts[rail.name], self.amps[rail.name] = low, min(most, draw(low))
            self._limits.add(rail.name)

    def at_bus(self, draws: Draws) -> Callable[[float], float]:
        """What all rails together take from the bus, A at a bus voltage."""

        def wanted(bus: float) -> float:
            self.settle(bus, draws)
            return self.watts / max(bus, 0.02 * self.bus_V)

        return wanted

    @property
    def watts(self) -> float:
        """Taken from the bus."""
        return sum(self._taken_W(r) for r in self.rails if not (r.apart and self.apart_fed))

    @property
    def apart_W(self) -> float:
        """Taken from the input by what stands apart while the rest is held off."""
        return sum(self._taken_W(r) for r in self.rails if r.apart and self.apart_fed)

    def _taken_W(self, rail: Rail) -> float:
        return abs(self.volts[rail.name]) * self.amps[rail.name] / rail.efficiency

    def _open_V(self, rail: Rail, bus: float) -> float:
        modes = self.modes_of(rail.name)
        if rail.apart and self.apart_fed:
            return modes[0] * (1.0 + rail.setpoint_error_percent / 100.0)
        if len(modes) > 1 and not self.attached[rail.name]:
            return 0.0
        if rail.range_V and not rail.modes_V:  # its user sets it, and nobody has before that
            made = self.set_to.get(rail.name, (0.0, 0.0))[0] * (1.0 + rail.setpoint_error_percent / 100.0)
            return made if bus > 0.5 * self.bus_V else 0.0
        aim = modes[self.asked[rail.name] - 1] * (1.0 + rail.setpoint_error_percent / 100.0)
        # A port with modes has a converter of its own and holds its volts while the bus stands at all.
        return aim if rail.modes_V and bus > 0.5 * self.bus_V else aim * bus / self.bus_V


class Ports(Rails):
    """Ports that share what one unit has: who is plugged in decides what each may give. When somebody comes or goes the
    others are told anew, and stand at the volts that nobody asks for meanwhile. One that is asked for more than its
    share and a little goes off, and comes back at those volts."""

    def __init__(self, rails: tuple[Rail, ...], bus_V: float, shared: Shared) -> None:
        super().__init__(rails, bus_V)
        self.shared = shared
        self.time_s = 0.0
        self._told_until = dict.fromkeys(self.asked, 0.0)
        self._off_until = dict.fromkeys(self.asked, 0.0)
        self._before: frozenset[str] = frozenset()

    @property
    def in_use(self) -> frozenset[str]:
        """Ports with something plugged in; one that has its volts always counts once it gives something."""
        return frozenset(
            r.name for r in self.rails if (self.amps[r.name] > IN_USE_A if r.always else self.attached[r.name])
        )

    def budget_W(self, name: str) -> float:
        """What a port may give beside those that are in use now."""
        use = self.in_use | {name}
        return next((each[name] for ports, each in self.shared.table if ports == use), self.shared.alone_W)

    def offered_W(self, name: str) -> float:
        """The most it offers now, of all its modes."""
        rail = next(r for r in self.rails if r.name == name)
        if not (self.attached[name] or rail.always):
            return 0.0
        most = max(v * a for v, a in zip(self.modes_of(name), rail.modes_A, strict=True))
        return min(most, self.budget_W(name))

    def hard_reset(self, name: str) -> None:
        """The port lets go, stays without volts for a while, and stands at its lowest mode again."""
        self.asked[name] = 1
        self.set_to.pop(name, None)
        self._off_until[name] = self.time_s + self.shared.reset_s
        self.reset = name

    def tick(self, seconds: float) -> None:
        """Time that passes: whoever was plugged in before is told anew when that changes."""
        self.time_s += seconds
        use = self.in_use
        if use != self._before:
            for name in use & self._before:
                self._told_until[name] = self.time_s + self.shared.tells_s
            self._before = use
        for name, amps in self.amps.items():
            if amps > TRIPS * self._most_A(name) or self._beaten(name):
                self._off_until[name] = self.time_s + OFF_S
                self.asked[name] = 1
                self.set_to.pop(name, None)

    def _beaten(self, name: str) -> bool:
        """A port whose current limit drove it below its range starts anew."""
        rail = next(r for r in self.rails if r.name == name)
        return name in self._limits and bool(rail.range_V) and self.volts[name] < 0.95 * rail.range_V[0]

    @property
    def busy(self) -> bool:
        """Whether something changes by itself before long."""
        return max(*self._told_until.values(), *self._off_until.values()) > self.time_s or self.in_use != self._before

    def _most_A(self, name: str) -> float:
        rail = next(r for r in self.rails if r.name == name)
        if name in self.set_to:
            return rail.range_A
        n = self.asked[name] - 1
        return min(rail.modes_A[n], self.budget_W(name) / self.modes_of(name)[n])

    def _open_V(self, rail: Rail, bus: float) -> float:
        name = rail.name
        if bus <= 0.5 * self.bus_V or self.time_s < self._off_until[name]:
            return 0.0
        if not (self.attached[name] or rail.always):
            return 0.0
        waits = self.time_s < self._told_until[name]
        aim = self.modes_of(name)[0 if waits else self.asked[name] - 1]
        if name in self.set_to and not waits:
            aim = round(self.set_to[name][0] / rail.step_V) * rail.step_V
        return aim * (1.0 + rail.setpoint_error_percent / 100.0)


IN_USE_A, TRIPS, OFF_S = 0.05, 1.18, 1.0


@dataclass(frozen=True)
class Shared:
    """``table``: what each port has beside which others, W; ``alone_W`` one that is alone. ``tells_s``: how long the
    others stand at their lowest volts while they are told anew, ``reset_s`` one without volts after a hard reset."""

    table: tuple[tuple[frozenset[str], dict[str, float]], ...]
    alone_W: float
    tells_s: float = 0.6
    reset_s: float = 0.8


def read_shared(raw: dict[str, Any]) -> Shared:
    """From the table of a physics file; KeyError names what is missing."""
    rows = tuple((frozenset(r["ports"]), dict(zip(r["ports"], r["each_W"], strict=True))) for r in raw["table"])
    return Shared(
        rows,
        float(raw["alone_W"]),
        float(raw.get("tells_s", Shared.tells_s)),
        float(raw.get("reset_s", Shared.reset_s)),
    )


def read_rails(raw: object, bus_V: float, file: object, shared: dict[str, Any] | None = None) -> Rails | None:
    """From the tables of a physics file, with how ports share where they do; a ValueError names what is wrong."""
    if not raw:
        return None
    if not isinstance(raw, list):
        raise ValueError(f"{file}: rails are a list of tables, [[rail]]")
    known = {f.name for f in fields(Rail)}
    found: list[Rail] = []
    for one in raw:
        if not {"name", "voltage_V"} <= set(one) <= known:
            raise ValueError(f"{file}: [[rail]] has missing or unknown keys: {', '.join(sorted(set(one) ^ known))}")
        stated: dict[str, Any] = {k: tuple(map(float, v)) if isinstance(v, list) else v for k, v in one.items()}
        found.append(Rail(**stated))
    return Rails(tuple(found), bus_V) if shared is None else Ports(tuple(found), bus_V, read_shared(shared))
