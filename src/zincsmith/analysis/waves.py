"""Waveforms out of the bytes that a book or a file holds."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.power import Power, power_of
from zincsmith.model.reading import Point, Wave


def samples_of(wave: Wave, samples: Mapping[str, bytes]) -> NDArray[np.float64]:
    """The samples of one channel in its unit, (count,). ValueError when there are more or fewer bytes than it names."""
    codes = np.frombuffer(samples[wave.sha256], dtype=f"<{wave.code}")
    if len(codes) != wave.count:
        raise ValueError(f"{wave.count} samples are named, {len(codes)} are there")
    return np.asarray(codes * wave.scale, dtype=np.float64)


def recorded_power(
    point: Point, samples: Mapping[str, bytes]
) -> tuple[Power, NDArray[np.float64], NDArray[np.float64], float] | None:
    """(power, volts, amps, step in s) of the record of a point; None where it has none, or one that shows no period."""
    by_name = {w.quantity: w for w in point.waves}
    if not {"input_voltage", "input_current"} <= by_name.keys():
        return None
    if any(w.sha256 not in samples for w in by_name.values()):
        return None  # whoever looks at points alone has no samples
    volts, amps = (samples_of(by_name[q], samples) for q in ("input_voltage", "input_current"))
    step_s = by_name["input_current"].step_s
    try:
        power = power_of(volts, amps, step_s)
    except ValueError:
        return None
    return (power, volts, amps, step_s) if not power.is_dc else None
