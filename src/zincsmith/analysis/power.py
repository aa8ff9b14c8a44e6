"""Power from records of voltage and current: rms, real, apparent, power factors, crest, harmonics, THD.

Definitions after IEEE 1459-2010 (from memory): real power is mean(v i), apparent power the product of the rms values,
power factor their ratio, displacement factor the cosine between the fundamentals; figures are taken over whole periods
of the voltage. THD counts orders 2 to 40 against the fundamental; the mean is not part of it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.periodic import fundamental, harmonics, mean_over, whole_periods

Array = NDArray[np.float64]

ORDERS = 40
DC_SWING = 0.2  # of the mean: with less swing in its volts a record is one of DC
PULSED = 0.05  # of the mean: with less swing a current is taken as it comes
NO_SIGNAL = 1e-12
WINDOW = {50: 10, 60: 12}  # periods of a window after IEC 61000-4-7, from memory
WINDOW_S = 0.2
WINDOW_SLACK = 0.03


@dataclass(frozen=True)
class Power:
    """Volts, amps, watts, Hz and plain ratios. What a record cannot show is None: everything that needs a period on DC,
    THD and the orders that its rate does not reach. ``current`` and ``voltage`` hold complex rms by order, from 0.
    """

    voltage_rms: float
    current_rms: float
    real_power: float
    apparent_power: float
    power_factor: float | None
    displacement_factor: float | None
    frequency: float | None
    current_thd: float | None
    voltage_thd: float | None
    current_crest: float | None
    voltage_crest: float | None
    current: NDArray[np.complex128] | None
    voltage: NDArray[np.complex128] | None
    periods: int | None
    samples: float  # that were used

    @property
    def is_dc(self) -> bool:
        return self.frequency is None

    @property
    def reversed(self) -> bool:
        """Power flows out of what is measured: a probe sits the wrong way round."""
        return self.real_power < 0.0

    def current_order(self, order: int) -> float | None:
        """Rms of one order of the current, A; None where the record cannot show it."""
        if self.current is None or order >= len(self.current):
            return None
        return float(abs(self.current[order]))


def power_of(volts: Array, amps: Array, step_s: float) -> Power:
    """Everything about a pair of records, sampled together every ``step_s``. Both (n,), finite.

    Raises ValueError for fewer than eight samples, or volts that alternate for less than one period.
    """
    if len(volts) != len(amps) or len(volts) < 8:
        raise ValueError("eight samples of volts and amps at least are needed")
    mean = float(np.mean(volts))
    swing = float(np.std(volts))
    if swing <= DC_SWING * abs(mean) or swing < NO_SIGNAL:
        return _over(volts, amps, _pulses(amps, step_s), None, step_s, None)
    f = fundamental(volts, step_s)
    if f is None:
        raise ValueError("the volts alternate, but nothing in them repeats")
    periods, length = whole_periods(len(volts), step_s, f)
    if periods < 1:
        raise ValueError(
            f"the record holds {len(volts) * step_s * f:.2f} periods of {f:.4g} Hz, one at least is needed"
        )
    return _over(volts, amps, length, f, step_s, periods)


def _pulses(amps: Array, step_s: float) -> float:
    """On DC: how many samples hold whole periods of a pulsed current; all of them when it does not repeat."""
    if float(np.std(amps)) <= PULSED * abs(float(np.mean(amps))):
        return float(len(amps))
    f = fundamental(amps, step_s)
    periods, length = whole_periods(len(amps), step_s, f) if f is not None else (0, 0.0)
    return length if periods else float(len(amps))


def _over(volts: Array, amps: Array, length: float, f: float | None, step_s: float, periods: int | None) -> Power:
    inside = min(len(volts), math.ceil(length))
    v, i = volts[:inside], amps[:inside]
    voltage_rms = math.sqrt(max(0.0, mean_over(_square(volts), length)))
    current_rms = math.sqrt(max(0.0, mean_over(_square(amps), length)))
    real = mean_over(volts * amps, length)
    apparent = voltage_rms * current_rms
    current, voltage = None, None
    if f is not None:
        orders = min(ORDERS, math.ceil(0.5 / (f * step_s)) - 1)
        current, voltage = harmonics(i, step_s, f, orders), harmonics(v, step_s, f, orders)
    displacement = None
    if current is not None and voltage is not None and abs(current[1]) > NO_SIGNAL:
        displacement = abs(float(np.real(voltage[1] * np.conj(current[1]))) / float(abs(voltage[1]) * abs(current[1])))
    return Power(
        voltage_rms=voltage_rms,
        current_rms=current_rms,
        real_power=real,
        apparent_power=apparent,
        power_factor=abs(real) / apparent if f is not None and apparent > NO_SIGNAL else None,
        displacement_factor=displacement,
        frequency=f,
        current_thd=_thd(current),
        voltage_thd=_thd(voltage),
        current_crest=_crest(i, current_rms),
        voltage_crest=_crest(v, voltage_rms),
        current=current,
        voltage=voltage,
        periods=periods,
        samples=length,
    )


def _square(values: Array) -> Array:
    return values * values


def _crest(values: Array, rms: float) -> float | None:
    """Greatest magnitude over rms, the mean included."""
    if rms < NO_SIGNAL:
        return None
    return float(max(np.max(values), -np.min(values))) / rms


def _thd(lines: NDArray[np.complex128] | None) -> float | None:
    """Orders 2 to 40 over the fundamental; None where order 40 is not reached or there is no fundamental."""
    if lines is None or len(lines) <= ORDERS or abs(lines[1]) < NO_SIGNAL:
        return None
    return float(np.sqrt(np.sum(np.abs(lines[2 : ORDERS + 1]) ** 2)) / abs(lines[1]))


def window_words(power: Power) -> str:
    """Which windows of IEC 61000-4-7 the record allows, and what the orders are therefore, in words."""
    if power.frequency is None or power.periods is None:
        return "no period"
    for nominal, periods in WINDOW.items():
        if abs(power.frequency - nominal) <= WINDOW_SLACK * nominal:
            if power.periods >= periods:
                fits = power.periods // periods
                return f"{fits} of {periods} periods; groups of each, smoothed with 1.5 s"
            return f"too short for a window of {periods} periods; bare lines over {power.periods}, not smoothed"
    return f"no window for {power.frequency:.4g} Hz; bare lines over {power.periods} periods, not smoothed"
