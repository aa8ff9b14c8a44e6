"""The one world the stand-in instruments share: mains, unit, load, room and bench time."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from zincsmith.simbench.adapter import Adapter


@dataclass
class Source:
    voltage_V: float = 0.0
    frequency_Hz: float = 50.0
    on: bool = False


@dataclass
class Load:
    current_A: float = 0.0
    on: bool = False


@dataclass
class World:
    """``epoch`` counts changes of setting: a meter's non-gain error is drawn anew with each, see meter.py."""

    unit: Adapter
    seed: int
    ambient_degC: float = 23.0
    time_s: float = 0.0
    epoch: int = 0
    source: Source = field(default_factory=Source)
    load: Load = field(default_factory=Load)

    def __post_init__(self) -> None:
        self.unit.core_degC = self.unit.case_degC = self.ambient_degC
        self.noise = random.Random(f"noise {self.seed}")

    def changed(self) -> None:
        """Note that a setting was changed and let the unit follow at once."""
        self.epoch += 1
        self.advance(0.0)

    def advance(self, seconds: float) -> None:
        """Move bench time on; long stretches are cut so that the unit's temperatures follow."""
        left = seconds
        while True:
            dt = min(left, 5.0)
            self.time_s += dt
            self.unit.step(dt, self.input_V, self.source.frequency_Hz, self.wanted_A, self.ambient_degC)
            left -= dt
            if left <= 0.0:
                return

    @property
    def input_V(self) -> float:
        return self.source.voltage_V if self.source.on else 0.0

    @property
    def wanted_A(self) -> float:
        return self.load.current_A if self.load.on else 0.0

    def true_value(self, quantity: str) -> float:
        """What a perfect instrument would read, in V, A, W, Hz, degC or 1."""
        unit, volts = self.unit, self.input_V
        if quantity == "power_factor":
            apparent = volts * unit.intake.current_A
            return unit.intake.power_W / apparent if apparent > 0.0 else 0.0
        return {
            "input_voltage": volts,
            "input_frequency": self.source.frequency_Hz if volts else 0.0,
            "input_current": unit.intake.current_A,
            "input_power": unit.intake.power_W,
            "output_voltage": unit.output_V,
            "output_current": unit.current_A,
            "case_temperature": unit.case_degC,
        }[quantity]
