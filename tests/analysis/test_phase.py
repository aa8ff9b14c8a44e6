"""The phase error of a power meter where a record shows the fundamental, against closed forms."""

from __future__ import annotations

import hashlib
import math
from dataclasses import replace

import numpy as np
import pytest

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.phase import with_fundamental
from zincsmith.model.operating_point import operating_point
from zincsmith.model.reading import Point, Reading, Wave
from zincsmith.model.rig import Rig

T = np.arange(4000) / 10_000.0


def recorded(phi: float, third: float = 0.0) -> tuple[Point, dict[str, bytes]]:
    """230 V and 0.1 A of the fundamental that lags by ``phi``, with so much of the third order."""
    volts = math.sqrt(2.0) * 230.0 * np.sin(2.0 * np.pi * 50.0 * T)
    amps = math.sqrt(2.0) * (0.1 * np.sin(2.0 * np.pi * 50.0 * T - phi) + third * np.sin(2.0 * np.pi * 150.0 * T))
    waves, samples = [], {}
    for quantity, unit, record in (("input_voltage", "V", volts), ("input_current", "A", amps)):
        data = record.astype("<f8").tobytes()
        key = hashlib.sha256(data).hexdigest()
        samples[key] = data
        waves.append(Wave(quantity, unit, 1e-4, len(T), 1.0, key, "power_meter", "P2", "f8"))
    amps_rms = math.hypot(0.1, third)
    readings = tuple(
        Reading(f"1/1/{q}", q, v, "", "power_meter", "P2", "simulated", known=True, phase_limit=p)
        for q, v, p in (
            ("input_voltage", 230.0, 0.0), ("input_current", amps_rms, 0.0),
            ("input_power", 23.0 * math.cos(phi), 9.9),
        )
    )  # fmt: skip
    at = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 0.0}
    return Point(1, operating_point(at), readings, 0.0, waves=tuple(waves)), samples


@pytest.mark.parametrize("third", [0.0, 0.2])
def test_watts_move_by_the_fundamental_alone(rig: Rig, third: float) -> None:
    """V1 I1 sin(phi1) d-phi, whatever the distortion: 23 VA, 60 degrees, 0.02 degrees of error."""
    phi = math.radians(60.0)
    point, samples = recorded(phi, third)
    later = replace(point, number=2, waves=())
    for found in with_fundamental((point, later), samples, rig):
        watts = found.get("input_power")
        assert watts is not None
        expected = 23.0 * math.sin(phi) * math.radians(0.02)
        assert watts.phase_limit == pytest.approx(expected, rel=1e-6), "of its own record, or one of the same state"
        part = next(p for p in column([watts]).parts if p.source.startswith("phase error"))
        assert part.effect[0] == pytest.approx(expected / math.sqrt(3.0))
        assert "at most" not in part.source


def test_without_a_record_it_stays_an_upper_bound(rig: Rig) -> None:
    point, samples = recorded(1.0)
    elsewhere = replace(point, waves=(), at=point.at.with_draw(share_percent=50.0))
    for points in ((elsewhere,), (point, elsewhere)):
        watts = with_fundamental(points, samples, rig)[-1].get("input_power")
        assert watts is not None
        assert watts.phase_limit == 9.9
        assert "at most" in next(p.source for p in column([watts]).parts)
