"""The phase error of a power meter where a record shows the fundamental: its watts move by V1 I1 sin(phi1) dphi."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.waves import recorded_of
from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Rig

Place = tuple[float | None, ...]


def with_fundamental(points: Sequence[Point], samples: Mapping[str, bytes], rig: Rig) -> tuple[Point, ...]:
    """The points with the limit of their phase error worked out from a record of the same line and load, where there is
    one; else the upper bound that it was stays, and is called one."""
    meter = rig.instrument("power_meter")
    shares = _shares(points, samples) if meter is not None and meter.phase_error_deg else {}
    if meter is None or not meter.phase_error_deg or not shares:
        return tuple(points)
    limit = math.radians(meter.phase_error_deg)
    return tuple(_with(p, shares.get(_place(p)), limit) for p in points)


def _place(point: Point) -> Place:
    return point.at.place


def _shares(points: Sequence[Point], samples: Mapping[str, bytes]) -> dict[Place, float]:
    """Of each line and load that was recorded: |V1 I1 sin phi1| over V I, a plain ratio."""
    found: dict[Place, float] = {}
    for point in points:
        recorded = recorded_of(point, samples)
        if recorded is None or _place(point) in found:
            continue
        p = recorded.power
        if p.voltage is None or p.current is None or p.apparent_power <= 0.0 or len(p.current) < 2:
            continue
        found[_place(point)] = float(abs(np.imag(p.voltage[1] * np.conj(p.current[1])))) / p.apparent_power
    return found


def _with(point: Point, share: float | None, limit_rad: float) -> Point:
    volts, amps = (r.value if (r := point.get(q)) is not None else None for q in ("input_voltage", "input_current"))
    if share is None or not volts or amps is None:
        return point

    def known(reading: Reading) -> Reading:
        if reading.quantity != "input_power" or not reading.phase_limit:
            return reading
        return replace(reading, phase_limit=limit_rad * share * abs(volts * amps), phase_known=True)

    return replace(point, readings=tuple(known(r) for r in point.readings))
