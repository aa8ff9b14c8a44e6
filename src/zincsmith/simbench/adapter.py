"""The physics of a simulated AC-DC adapter, read from a TOML file in examples/standins/."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any

from zincsmith.simbench.rectifier import Intake, Rectifier


@dataclass(frozen=True)
class Output:
    """The regulator: what it aims for and how it errs."""

    voltage_V: float
    setpoint_error_percent: float
    resistance_ohm: float
    line_uV_per_V: float  # change of output for each volt of input, from 230 V
    drift_uV_per_K: float  # change of output for each kelvin of the hot part, from 25 degC
    limit_A: float  # above this current the output collapses until the overload goes away
    capacitor_F: float
    bleeder_ohm: float


@dataclass(frozen=True)
class Losses:
    """Loss between bulk capacitor and output: fixed + linear x I + square x I^2, stated at 230 V and 25 degC."""

    fixed_W: float
    linear_W_per_A: float
    square_W_per_A2: float
    fixed_line_exponent: float  # fixed loss goes with (V/230)^this
    square_line_exponent: float  # square loss goes with (230/V)^this
    square_per_K: float  # and grows with the temperature of the hot part


@dataclass(frozen=True)
class Thermal:
    """Two stages: the hot part heats the case, the case heats the room."""

    core_J_per_K: float
    core_to_case_K_per_W: float
    case_J_per_K: float
    case_to_ambient_K_per_W: float


@dataclass(frozen=True)
class Start:
    """Lowest rms input that starts it, lowest that keeps it running, and the delay before the output rises."""

    start_V: float
    stop_V: float
    delay_s: float


@dataclass(frozen=True)
class Steady:
    """One operating point as it really is: what a perfect set of instruments would read."""

    input_current_A: float
    input_power_W: float
    output_voltage_V: float
    output_current_A: float

    @property
    def efficiency(self) -> float:
        return self.output_voltage_V * self.output_current_A / self.input_power_W


class Adapter:
    """A single-output adapter between the mains and a load; ``step`` moves it on in time."""

    def __init__(self, output: Output, losses: Losses, thermal: Thermal, start: Start, mains: Rectifier) -> None:
        self.output, self.losses, self.thermal, self.start, self.mains = output, losses, thermal, start, mains
        self.core_degC = self.case_degC = 25.0
        self.output_V = 0.0
        self.current_A = 0.0
        self.intake = Intake(0.0, 0.0, 0.0)
        self._since_input_s = 0.0
        self._running = False
        self._stored_J = 0.0
        self._grid: dict[tuple[float, float, int], Intake] = {}

    @classmethod
    def read(cls, file: Path) -> Adapter:
        """Read the physics; a missing or unknown key is a ValueError that names it."""
        raw = tomllib.loads(file.read_text("utf-8"))
        parts: dict[str, Any] = {}
        for name, kind in SECTIONS.items():
            section = raw.pop(name, {})
            wanted = {field.name for field in fields(kind)}
            if set(section) != wanted:
                odd = ", ".join(sorted(set(section) ^ wanted))
                raise ValueError(f"{file}: [{name}] has missing or unknown keys: {odd}")
            parts[name] = kind(**{key: float(value) for key, value in section.items()})
        raw.pop("name", None)
        if raw:
            raise ValueError(f"{file}: unknown sections: {', '.join(sorted(raw))}")
        return cls(**parts)

    # What it does at one point, without time

    def loss_W(self, input_V: float, current_A: float, core_degC: float) -> float:
        """Converter loss in W between bulk capacitor and output."""
        k, line = self.losses, input_V / 230.0
        fixed = k.fixed_W * line**k.fixed_line_exponent
        square = k.square_W_per_A2 * line**-k.square_line_exponent * (1.0 + k.square_per_K * (core_degC - 25.0))
        loss: float = fixed + k.linear_W_per_A * current_A + square * current_A**2
        return loss

    def regulated_V(self, input_V: float, current_A: float, core_degC: float) -> float:
        """Output voltage in V while it regulates."""
        o = self.output
        return (
            o.voltage_V * (1.0 + o.setpoint_error_percent / 100.0)
            + o.line_uV_per_V * 1e-6 * (input_V - 230.0)
            + o.drift_uV_per_K * 1e-6 * (core_degC - 25.0)
            - o.resistance_ohm * current_A
        )

    def draw(self, input_V: float, frequency_Hz: float, converter_W: float) -> Intake:
        """Mains side for a converter power, interpolated between integrated points 1.5 W apart."""
        step = 1.5
        low = int(converter_W / step)
        share = converter_W / step - low
        a, b = (self._point(input_V, frequency_Hz, low + k) for k in (0, 1))
        # What is interpolated is the loss of the rectifier, not the power: it is small, so is its error.
        loss_a, loss_b = a.power_W - low * step, b.power_W - (low + 1) * step
        return Intake(
            a.current_A + share * (b.current_A - a.current_A),
            converter_W + loss_a + share * (loss_b - loss_a),
            a.bulk_min_V + share * (b.bulk_min_V - a.bulk_min_V),
        )

    def _point(self, input_V: float, frequency_Hz: float, index: int) -> Intake:
        key = (round(input_V, 2), frequency_Hz, index)
        if key not in self._grid:
            self._grid[key] = self.mains.steady(input_V, frequency_Hz, 1.5 * index)
        return self._grid[key]

    def steady(self, input_V: float, frequency_Hz: float, current_A: float, ambient_degC: float = 23.0) -> Steady:
        """The operating point after any warm-up, by iterating temperature and loss."""
        core = ambient_degC
        for _ in range(60):
            volts = self.regulated_V(input_V, current_A, core)
            loss = self.loss_W(input_V, current_A, core)
            intake = self.draw(input_V, frequency_Hz, volts * current_A + loss)
            heat = intake.power_W - volts * current_A
            t = self.thermal
            core = ambient_degC + heat * (t.core_to_case_K_per_W + t.case_to_ambient_K_per_W)
        return Steady(intake.current_A, intake.power_W, volts, current_A)

    # How it moves in time

    def step(self, dt_s: float, input_V: float, frequency_Hz: float, wanted_A: float, ambient_degC: float) -> None:
        """Move on by ``dt_s`` with the source at ``input_V`` (0: off) and a load that wants ``wanted_A``."""
        live = input_V >= (self.start.stop_V if self._running else self.start.start_V)
        self._since_input_s = self._since_input_s + dt_s if input_V > 0.0 else 0.0
        overload = wanted_A > self.output.limit_A
        self.intake = Intake(0.0, 0.0, 0.0)
        if live and not overload and self._since_input_s >= self.start.delay_s:
            self._run(input_V, frequency_Hz, wanted_A)
        elif self._running and not live and self._stored_J > 0.0:
            self._hold_up(dt_s, wanted_A)
        else:
            self._running = False
            self._run_down(dt_s, wanted_A)
        self._warm(dt_s, self.intake.power_W - self.output_V * self.current_A, ambient_degC)

    def _run(self, input_V: float, frequency_Hz: float, wanted_A: float) -> None:
        self._running = True
        self.current_A = wanted_A
        self.output_V = self.regulated_V(input_V, wanted_A, self.core_degC)
        loss = self.loss_W(input_V, wanted_A, self.core_degC)
        self.intake = self.draw(input_V, frequency_Hz, self.output_V * wanted_A + loss)
        peak = input_V * math.sqrt(2.0)
        self._stored_J = 0.5 * self.mains.bulk_F * (peak**2 - 2.0 * self.start.stop_V**2)

    def _hold_up(self, dt_s: float, wanted_A: float) -> None:
        self.current_A = wanted_A
        self._stored_J -= dt_s * (self.output_V * wanted_A + self.losses.fixed_W)

    def _run_down(self, dt_s: float, wanted_A: float) -> None:
        # An electronic load keeps its current down to about a volt, then behaves as a resistor.
        o = self.output
        left = dt_s
        while left > 0.0 and self.output_V > 1e-4:
            dt = min(left, 0.02)
            self.current_A = wanted_A * min(1.0, self.output_V)
            slope = (self.current_A + self.output_V / o.bleeder_ohm) / o.capacitor_F
            self.output_V = max(0.0, self.output_V - dt * slope)
            left -= dt
        if self.output_V <= 1e-4:
            self.output_V = self.current_A = 0.0

    def _warm(self, dt_s: float, heat_W: float, ambient_degC: float) -> None:
        t = self.thermal
        steps = max(1, math.ceil(dt_s / 2.0))
        dt = dt_s / steps
        for _ in range(steps):
            inward = (self.core_degC - self.case_degC) / t.core_to_case_K_per_W
            outward = (self.case_degC - ambient_degC) / t.case_to_ambient_K_per_W
            self.core_degC += dt * (max(0.0, heat_W) - inward) / t.core_J_per_K
            self.case_degC += dt * (inward - outward) / t.case_J_per_K


SECTIONS: dict[str, Any] = {
    "output": Output,
    "losses": Losses,
    "thermal": Thermal,
    "start": Start,
    "mains": Rectifier,
}
