"""Waveforms out of the bytes that a book or a file holds, and what they show."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_groups import smoothed, window_groups, window_periods
from zincsmith.analysis.power import ORDERS, Power, power_of
from zincsmith.analysis.wave_doubts import wave_doubts
from zincsmith.model.finding import Doubt
from zincsmith.model.reading import Point, Wave

KEPT = 200  # records whose figures are kept at hand


@dataclass(frozen=True)
class Recorded:
    """What a record of volts and amps shows. ``orders_A`` (41,) is rms by order over all of it, None where it does not
    reach order 40; ``windows_A`` (windows, 41) the smoothed groups of each window of IEC 61000-4-7, ``window_s`` long;
    ``doubts`` what the record itself gives reason to doubt."""

    power: Power
    orders_A: NDArray[np.float64] | None
    windows_A: NDArray[np.float64] | None
    window_s: float
    doubts: tuple[Doubt, ...]

    @property
    def average_A(self) -> NDArray[np.float64] | None:
        """(41,) what is held to the limits: the mean of the smoothed groups, bare lines where there is no window."""
        return self.orders_A if self.windows_A is None else np.asarray(np.mean(self.windows_A, axis=0))


def samples_of(wave: Wave, samples: Mapping[str, bytes]) -> NDArray[np.float64]:
    """The samples of one channel in its unit, (count,). ValueError when there are more or fewer bytes than it names."""
    codes = np.frombuffer(samples[wave.sha256], dtype=f"<{wave.code}")
    if len(codes) != wave.count:
        raise ValueError(f"{wave.count} samples are named, {len(codes)} are there")
    return np.asarray(codes * wave.scale, dtype=np.float64)


def recorded_of(point: Point, samples: Mapping[str, bytes]) -> Recorded | None:
    """What the record of a point shows; None where it has none, or one that shows no period.

    It takes tens of milliseconds and is asked for by every figure and plot: the samples are named by what they are, so
    what they show is kept by their names.
    """
    by_name = {w.quantity: w for w in point.waves}
    voltage, amps = by_name.get("input_voltage"), by_name.get("input_current")
    if voltage is None or amps is None or not {voltage.sha256, amps.sha256} <= samples.keys():
        return None
    key = (voltage, amps)
    if key not in _kept:
        _kept[key] = _recorded(samples_of(voltage, samples), samples_of(amps, samples), amps.step_s)
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return _kept[key]


_kept: OrderedDict[tuple[Wave, Wave], Recorded | None] = OrderedDict()


def _recorded(voltage: NDArray[np.float64], amps: NDArray[np.float64], step_s: float) -> Recorded | None:
    try:
        power = power_of(voltage, amps, step_s)
    except ValueError:
        return None
    return None if power.is_dc else shown_by(voltage, amps, step_s, power)


def shown_by(voltage: NDArray[np.float64], amps: NDArray[np.float64], step_s: float, power: Power) -> Recorded:
    """Everything that is held to limits, and the doubts, of a record whose power is known."""
    reaches = power.current is not None and len(power.current) > ORDERS
    orders = np.abs(power.current) if reaches and power.current is not None else None
    windows = window_groups(amps, step_s, power) if reaches else None
    periods, f = window_periods(power), power.frequency
    window_s = periods / f if periods and f else 0.2
    if windows is not None:
        windows = smoothed(windows, window_s)
    return Recorded(power, orders, windows, window_s, tuple(wave_doubts(voltage, amps, step_s, power)))
