"""The mains side of an adapter without power-factor correction: bridge, series resistance, bulk and X capacitor.

The input current is integrated over the mains cycle; power factor and crest factor are results, never inputs.
"""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True)
class Rectifier:
    """Bridge rectifier into a bulk capacitor that feeds a constant-power converter."""

    bulk_F: float
    series_ohm: float
    diode_V: float
    x_capacitor_F: float
    y_capacitor_F: float = 2.2e-9  # across the barrier
    bleeder_ohm: float = 1e6  # across it; beyond 1e9 there is none

    def steady(self, voltage_V: float, frequency_Hz: float, power_W: float) -> Intake:
        """What the mains sees once the bulk voltage repeats from half cycle to half cycle.

        ``power_W`` is the power the converter takes from the bulk capacitor. Midpoint integration of
        C dv/dt = i - P/v with i = max(0, (|vs| - 2 Vd - v) / R), STEPS steps a half cycle.
        """
        return self._settled(voltage_V, frequency_Hz, power_W, [])

    def half_cycle(self, voltage_V: float, frequency_Hz: float, power_W: float) -> list[float]:
        """The input current over the positive half of the mains cycle, (STEPS,) A; nothing where it cannot run."""
        currents: list[float] = []
        self._settled(voltage_V, frequency_Hz, power_W, currents)
        return currents[-STEPS:]

    def _settled(self, voltage_V: float, frequency_Hz: float, power_W: float, currents: list[float]) -> Intake:
        peak = voltage_V * math.sqrt(2.0)
        omega = 2.0 * math.pi * frequency_Hz
        dt = 0.5 / frequency_Hz / STEPS
        drop = 2.0 * self.diode_V
        at = [peak * math.sin(omega * dt * k / 2.0) for k in range(2 * STEPS + 1)]
        slope = [self.x_capacitor_F * omega * peak * math.cos(omega * dt * (k + 0.5)) for k in range(STEPS)]
        conductance = 1.0 / self.series_ohm
        v = peak - drop
        intake = Intake(0.0, 0.0, 0.0)
        for _ in range(60):
            start, square, energy, lowest = v, 0.0, 0.0, v
            for k in range(STEPS):
                i = max(0.0, (at[2 * k] - drop - v) * conductance)
                middle = v + 0.5 * dt * (i - power_W / v) / self.bulk_F
                i = max(0.0, (at[2 * k + 1] - drop - middle) * conductance)
                v += dt * (i - power_W / middle) / self.bulk_F
                if v < 0.2 * peak:
                    currents.clear()
                    return Intake(math.inf, math.inf, 0.0)  # the capacitor cannot carry this power
                lowest = min(lowest, v)
                total = i + slope[k]
                currents.append(total)
                square += total * total
                energy += at[2 * k + 1] * i
            intake = Intake(math.sqrt(square / STEPS), energy / STEPS, lowest)
            if abs(v - start) < 1e-6 * peak:
                break
        return intake


STEPS = 400


@dataclass(frozen=True)
class Intake:
    """Rms input current in A, real input power in W, lowest bulk voltage in V."""

    current_A: float
    power_W: float
    bulk_min_V: float
