"""The physics of a simulated bench supply: a transformer, a bridge, and a series pass element that holds volts or amps.

Closed forms: volts fall along their own resistance until the limit of the current is met, then the current is all but
the same whatever the volts are; between both the corner is as sharp as an ideal diode makes it. What the pass element
does not hand on is heat: (raw volts - output) times amps.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.parameters import Supply
from zincsmith.simbench.units.rectifier import Intake, Rectifier

POWER_FACTOR = 0.68  # of a transformer with a rectifier and a large capacitor
LEAST_V = 1e-3


class BenchSupply(Adapter):
    """An output that its user sets. ``set_V``, ``set_A`` and ``on`` are what its front says; without mains it forgets
    that its output was on."""

    def __init__(self, supply: Supply, **sections: Any) -> None:
        super().__init__(mains=Rectifier(6800e-6, 0.5, 0.8, 0.0), **sections)
        self.supply = supply
        self.nominal_V = supply.nominal_V
        self.set_V, self.set_A, self.on = 0.0, supply.most_A, False
        self.holds = "CV"
        self.trip_V = supply.trip_V
        self.tripped = False
        self._input_V = 0.0

    @property
    def wanted(self) -> dict[str, tuple[object, ...]]:
        return {"": (self.on, self.set_V)}

    @property
    def ends_V(self) -> float:
        return self.output_V if self.on else 0.0

    def raw_V(self, input_V: float, amps: float) -> float:
        s = self.supply
        return max(0.0, s.raw_V * input_V / s.nominal_V - s.raw_ohm * amps)

    def regulated_V(self, input_V: float, current_A: float, core_degC: float) -> float:
        o, s = self.output, self.supply
        to = round(self.set_V / s.set_step_V) * s.set_step_V if s.set_step_V else self.set_V
        aim = self.wired.moved(to * (1.0 + s.volts_share) + s.volts_offset_V, current_A) if self.on else 0.0
        aim += o.line_uV_per_V * 1e-6 * (input_V - self.nominal_V) + o.drift_uV_per_K * 1e-6 * (core_degC - 25.0)
        most = self.raw_V(input_V, current_A) - s.headroom_V
        return max(0.0, min(aim - o.resistance_ohm * current_A, most))

    def limit_A(self, volts: float, input_V: float) -> float:
        """What it holds in constant current at these volts of its output."""
        s = self.supply
        aim = self.set_A * (1.0 + s.amps_share) + s.amps_offset_A
        return max(0.0, aim - s.cc_S * volts + s.cc_line_S * (input_V - self.nominal_V))

    def loss_W(self, input_V: float, current_A: float, core_degC: float) -> float:
        """Standing loss, and what pass element and bridge turn into heat."""
        standing = self.losses.fixed_W * (input_V / self.nominal_V) ** 2
        return standing + max(0.0, self.raw_V(input_V, current_A) - self.output_V) * current_A + 1.6 * current_A

    def draw(self, input_V: float, frequency_Hz: float, converter_W: float, correcting: bool = False) -> Intake:
        return Intake(converter_W / (input_V * POWER_FACTOR), converter_W, math.sqrt(2.0) * input_V)

    def input_current_wave(self, input_V: float, frequency_Hz: float, times_s: list[float]) -> list[float]:
        """Pulses about the crest: the fundamental with a third that leaves its power factor."""
        amps, third = self.intake.current_A, math.sqrt(1.0 - POWER_FACTOR**2)
        return [
            math.sqrt(2.0) * amps * (POWER_FACTOR * math.sin(x) - third * math.sin(3.0 * x))
            for x in (2.0 * math.pi * frequency_Hz * t for t in times_s)
        ]

    def _run(self, h: float, input_V: float, hertz: float, at: Callable[[float], float]) -> None:
        if self.state == "soft start":
            self._become("running")
        self._input_V = input_V
        if not self.on:
            self._run_down(h, at(1.0))
            self.current_A = 0.0 if self.output_V < LEAST_V else self.current_A
            self._supply(input_V, hertz, self.current_A, self.output_V)
            return
        volts, amps = self._stands(input_V, at)
        if volts > self.trip_V * (1.0 + self.supply.trip_share):
            self.on, self.tripped = False, True
            volts = amps = 0.0
        self._supply(input_V, hertz, amps, volts)
        if self.core_degC > self.thermal.shutdown_degC:
            self._become("hot")

    def _stands(self, input_V: float, at: Callable[[float], float]) -> tuple[float, float]:
        """Where the line of the load meets what it holds, by bisection on the output."""

        def beyond(v: float) -> bool:
            amps = at(v)
            return amps > self.limit_A(v, input_V) or v > self.regulated_V(input_V, amps, self.core_degC)

        most_A = self.limit_A(0.0, input_V)  # its volts rise with the current where it makes up for leads
        low, high = 0.0, max(self.regulated_V(input_V, amps, self.core_degC) for amps in (0.0, most_A))
        for _ in range(50):
            middle = 0.5 * (low + high)
            low, high = (low, middle) if beyond(middle) else (middle, high)
        most = self.limit_A(low, input_V)
        held = at(high) > most
        self.holds = "CC" if held else "CV"
        return low, most if held and low > LEAST_V else min(at(low), most)

    # What its front shows and is told

    @property
    def shown_V(self) -> float:
        s = self.supply
        return self.output_V * (1.0 + s.shown_volts_share) + s.shown_volts_V

    @property
    def shown_A(self) -> float:
        s = self.supply
        return max(0.0, self.current_A * (1.0 + s.shown_amps_share) + s.shown_amps_A)

    def _become(self, state: str) -> None:
        if state == "off":
            self.on = self.tripped = False
        super()._become(state)
