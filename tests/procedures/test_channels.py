"""Before an analyzer's watts are believed: each channel by its record, with what is wrong made by hand."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import operating_point
from zincsmith.model.reading import Point, Wave
from zincsmith.procedures.rig_check.steps import CODES, channels

STEP_S, COUNT = 1e-4, 4000
T = STEP_S * np.arange(COUNT)
SINE = np.sin(2.0 * np.pi * 50.0 * T)


def found(volts: Any, amps: Any, end_A: float = 3.0, hertz: float = 50.0) -> Finding:
    waves, samples = [], {}
    for quantity, unit, record, end in (("input_voltage", "V", volts, 900.0), ("input_current", "A", amps, end_A)):
        data = np.round(record / end * CODES).astype("<i2").tobytes()
        key = hashlib.sha256(data).hexdigest()
        samples[key] = data
        waves.append(Wave(quantity, unit, STEP_S, COUNT, end / CODES, key, "power_meter", "P2"))
    at = {"input_voltage_V": 230.0, "frequency_Hz": hertz, "load_percent": 50.0}
    one = channels(Point(1, operating_point(at), (), 0.0, waves=tuple(waves)), samples)
    assert one is not None
    return one


@pytest.mark.parametrize(
    ("code", "wrong"),
    [
        ("channel_polarity", lambda: found(325.0 * SINE, -SINE)),
        ("channel_frequency", lambda: found(325.0 * SINE, np.sin(2.0 * np.pi * 47.0 * T))),
        ("channel_frequency", lambda: found(325.0 * SINE, SINE, hertz=60.0)),
        ("channel_frequency", lambda: found(12.0 + 2.0 * SINE, 1.0 + 0.3 * SINE, hertz=0.0)),
        ("channel_headroom", lambda: found(325.0 * SINE, SINE, end_A=1.02)),
    ],
)
def test_what_a_channel_shows_is_told_and_not_without_cause(code: str, wrong: Callable[[], Finding]) -> None:
    sound = found(325.0 * SINE, SINE)
    assert sound.doubts == ()
    assert sound.value == pytest.approx(3.0, rel=1e-3), "the end of the range over the greatest sample"
    assert "volts 50.00 Hz, amps 50.00 Hz" in sound.working.note
    assert code in {d.code for d in wrong().doubts}


def test_a_channel_of_dc_has_no_frequency() -> None:
    steady = found(np.full(COUNT, 48.0), np.full(COUNT, 1.0), hertz=0.0)
    assert steady.doubts == ()


def test_a_meter_without_waveforms_is_not_judged_by_them() -> None:
    assert channels(Point(1, operating_point({"load_percent": 50.0}), (), 0.0), {}) is None
