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
    less with a load."""

    name: str
    voltage_V: float
    resistance_ohm: float = 0.0
    pulled_V_per_A: float = 0.0
    efficiency: float = 1.0
    setpoint_error_percent: float = 0.0
    modes_V: tuple[float, ...] = ()
    open_rise_V: float = 0.0
    open_A: float = 0.05


class Rails:
    """The outputs of one unit whose converter makes a bus of ``bus_V``."""

    def __init__(self, rails: tuple[Rail, ...], bus_V: float) -> None:
        self.rails, self.bus_V = rails, bus_V
        self.asked = {rail.name: 1 for rail in rails}
        self.volts = dict.fromkeys(self.asked, 0.0)
        self.amps = dict.fromkeys(self.asked, 0.0)

    def modes_of(self, name: str) -> tuple[float, ...]:
        """What may be asked of a port, V; the one voltage of a plain rail."""
        rail = next(r for r in self.rails if r.name == name)
        return rail.modes_V or (rail.voltage_V,)

    def settle(self, bus: float, draws: Draws) -> None:
        """Volts and amps of every rail at a bus voltage: each load takes what it wants at the volts it then has."""
        if bus < 0.02 * self.bus_V:  # nothing is made of nothing; whoever asks again asks from the start
            self.volts, self.amps = dict.fromkeys(self.volts, 0.0), dict.fromkeys(self.amps, 0.0)
            self.asked = dict.fromkeys(self.asked, 1)
            return
        for _ in range(3):
            for rail in self.rails:
                others = sum(a for name, a in self.amps.items() if name != rail.name)
                volts = self._open_V(rail, bus) + rail.pulled_V_per_A * others
                sign = 1.0 if volts >= 0.0 else -1.0
                volts += sign * rail.open_rise_V * math.exp(-self.amps[rail.name] / rail.open_A)
                self.volts[rail.name] = sign * max(0.0, abs(volts) - rail.resistance_ohm * self.amps[rail.name])
                self.amps[rail.name] = draws[rail.name](abs(self.volts[rail.name]))

    def at_bus(self, draws: Draws) -> Callable[[float], float]:
        """What all rails together take from the bus, A at a bus voltage."""

        def wanted(bus: float) -> float:
            self.settle(bus, draws)
            return self.watts / max(bus, 0.02 * self.bus_V)

        return wanted

    @property
    def watts(self) -> float:
        """Taken from the bus."""
        return sum(abs(self.volts[r.name]) * self.amps[r.name] / r.efficiency for r in self.rails)

    def _open_V(self, rail: Rail, bus: float) -> float:
        modes = self.modes_of(rail.name)
        aim = modes[self.asked[rail.name] - 1] * (1.0 + rail.setpoint_error_percent / 100.0)
        # A port with modes has a converter of its own and holds its volts while the bus stands at all.
        return aim if rail.modes_V and bus > 0.5 * self.bus_V else aim * bus / self.bus_V


def read_rails(raw: object, bus_V: float, file: object) -> Rails | None:
    """From the tables of a physics file; a ValueError names what is wrong."""
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
    return Rails(tuple(found), bus_V)
