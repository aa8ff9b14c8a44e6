"""What an added choke and capacitor leave of a ripple: against ngspice (general-purpose circuit simulator), closed
forms, and by the command line."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import run_command
from tests.recorded.test_waveform_files import saved
from tests.reference.test_circuits import spice

from zincsmith.analysis.remedy import Capacitor, Choke, Remedy, corners, passed, predicted, treated
from zincsmith.formats.remedy_text import parse_remedy
from zincsmith.model.errors import InputError

STEP_S, COUNT = 1e-7, 200_000  # 20 ms
SWITCHING_HZ, LINE_HZ = 65e3, 100.0


def triangle(t: np.ndarray) -> np.ndarray:
    """Ripple of 40 mV on the switching, 10 mV on the rectified line."""
    phase = (t * SWITCHING_HZ) % 1.0
    return 0.02 * (4.0 * np.abs(phase - 0.5) - 1.0) + 0.005 * np.sin(2.0 * np.pi * LINE_HZ * t)


@pytest.mark.long
def test_behind_a_choke_and_a_capacitor_it_is_what_ngspice_says(tmp_path: Path) -> None:
    remedy = Remedy(Choke(10e-6, 0.02), Capacitor(100e-6, 0.05))
    found = spice(
        f"""ripple through a choke and a capacitor
Bs a 0 V = 24 + 0.02*(4*abs((time*{SWITCHING_HZ}) - floor(time*{SWITCHING_HZ}) - 0.5) - 1)
+ + 0.005*sin(6.2831853*{LINE_HZ}*time)
L1 a b 10u
R1 b o 0.02
C1 o c 100u IC=23.9
R2 c 0 0.05
R3 o 0 9.6
.options reltol=1e-5
.tran 0.1u 30m 10m 0.1u UIC
.control
run
meas tran pp PP v(o) from=10m to=30m
meas tran sw PP v(o) from=20m to=20.0153846m
.endc
.end
""",
        tmp_path,
    )  # fmt: skip
    volts = 24.0 + triangle(np.arange(COUNT) * STEP_S)
    behind = treated(volts, STEP_S, remedy, 9.6, 2.5)
    assert np.ptp(behind) == pytest.approx(found["pp"], rel=0.03)
    told = predicted(volts, STEP_S, remedy, 24.0, 2.5, LINE_HZ)
    assert told.left["switching_peak_to_peak"].expected_V == pytest.approx(found["sw"], rel=0.1, abs=3e-5)
    assert told.left["line_peak_to_peak"].expected_V == pytest.approx(0.01, rel=0.02), "the line passes"
    for one in told.left.values():
        assert one.low_V <= one.expected_V <= one.high_V
    assert told.drop_V == pytest.approx(0.05)
    assert told.heat_W == pytest.approx(0.125)
    assert told.resonance_Hz == pytest.approx(1.0 / (2.0 * math.pi * math.sqrt(10e-6 * 100e-6)))


def test_closed_forms() -> None:
    hertz = np.array([1e2, 1e4, 1e6])
    # A capacitor alone against the series resistance that is there: far above, the divider of both resistances.
    alone = passed(Remedy(None, Capacitor(1e-3, 0.03), source_ohm=0.06), hertz, 1e9, 1.0)
    assert abs(alone[2]) == pytest.approx(0.03 / 0.09, rel=1e-3)
    # A choke alone against the load: first order with R / (2 pi L).
    choke = passed(Remedy(Choke(1e-3)), np.array([10.0 / (2.0 * math.pi * 1e-3)]), 10.0, 1.0)
    assert abs(choke[0]) == pytest.approx(2.0**-0.5)
    # Undamped, at ten times the resonance both leave 1 / (1 - 100).
    both = Remedy(Choke(10e-6), Capacitor(10e-6, 1e-9))
    far = 10.0 / (2.0 * math.pi * math.sqrt(1e-10))
    assert abs(passed(both, np.array([far]), 1e9, 1.0)[0]) == pytest.approx(1.0 / 99.0, rel=1e-6)
    assert Choke(10e-6, 0.0, 3.0).at(3.0) == pytest.approx(7e-6)
    assert Choke(10e-6, 0.0, 3.0).at(0.0) == 10e-6
    assert len(corners(both)) == 9
    small = predicted(24.0 + triangle(np.arange(COUNT) * STEP_S), STEP_S, Remedy(Choke(10e-6, 0.02, 3.0),
                      Capacitor(100e-6, 0.05)), 24.0, 9.0)  # fmt: skip
    assert small.inductance_H == pytest.approx(10e-6 / (1.0 + (1.0 / 0.7 - 1.0) * 9.0))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("choke 10uH 20mohm 3A, capacitor 470uF 30mohm",
         {"choke": {"henry": 10e-6, "ohm": 0.02, "saturation_A": 3.0}, "capacitor": {"farad": 470e-6, "ohm": 0.03}}),
        ("capacitor 0,47mF 30mΩ", {"capacitor": {"farad": 470e-6, "ohm": 0.03}}),
        ("choke 1 mH", "of a choke are said"), ("choke 10uV", "of a choke are said"),
        ("banana 3", "neither choke nor capacitor"),
        ("capacitor 470uF", "series resistance is not said"), ("choke -1uH", "nothing above zero"),
        ("", "say what is added"),
    ],
)  # fmt: skip
def test_what_a_person_writes(text: str, said: object) -> None:
    if isinstance(said, dict):
        found = parse_remedy(text)
        assert found.keys() == said.keys()
        for part, values in said.items():
            assert found[part] == pytest.approx(values)
        return
    with pytest.raises(InputError, match=str(said)):
        parse_remedy(text)


def test_by_the_command_line(tmp_path: Path) -> None:
    t = np.arange(20_000) * 1e-6
    file = saved(tmp_path / "r.csv", time_s=t, voltage_V=24.0 + triangle(t))
    asked = ("remedy", file, "choke 10uH 20mohm, capacitor 470uF 30mohm")
    done = run_command(*asked, "--nominal", 24, "--load", 2.5, "--line", 100, "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    left = found["figures"]["peak_to_peak"]
    assert left["low"] <= left["expected"] <= left["high"] < left["was"]
    assert any("saturates is not said" in d for d in found["doubts"])
    assert any("ring at" in d for d in found["doubts"])
    done = run_command(*asked, "--nominal", 24, "--load", 2.5)
    assert "→" in done.stdout
    for more, why in (((), "amps that are drawn are wanted"), (("--nominal", 24, "--load", 0), "amps that are drawn")):
        done = run_command(*asked, *more)
        assert (done.returncode, why in done.stderr) == (2, True), done.stderr
    done = run_command("remedy", file, "capacitor 1uF 1mohm", "--nominal", 24, "--load", 1)
    assert (done.returncode, "source-ohm" in done.stderr) == (2, True)
