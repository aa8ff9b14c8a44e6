"""Waveform figures against closed-form Fourier series and ngspice; sources beside each, values from memory."""

from __future__ import annotations

import math
import re
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_groups import smoothed, window_groups
from zincsmith.analysis.harmonic_limits import judge_orders
from zincsmith.analysis.power import Power, power_of
from zincsmith.rules.harmonics import Draw, load_harmonics

RATE = 200_000.0
T = (np.arange(round(0.2137 * RATE)) + 0.5) / RATE  # no edge falls on a sample
W = 2.0 * np.pi * 50.0 * T


def of(amps: NDArray[np.float64], volts: NDArray[np.float64] | None = None) -> Power:
    return power_of(325.0 * np.sin(W) if volts is None else volts, amps, 1.0 / RATE)


def test_a_resistor_behind_phase_control_at_90_degrees() -> None:
    """Mohan, Power Electronics; Rashid: PF 0.7071, displacement 0.84356, THD of orders 2-40 63.94 %, crest 2."""
    p = of(np.where(np.mod(W, np.pi) > np.pi / 2, np.sin(W), 0.0))
    assert p.power_factor == pytest.approx(0.7071, abs=2e-4)
    assert p.displacement_factor == pytest.approx(0.84356, abs=2e-4)
    assert p.current_thd == pytest.approx(0.6394, abs=3e-4)
    assert p.current_crest == pytest.approx(2.0, abs=1e-3)


def test_blocks_of_current() -> None:
    """Mohan: 120-degree block PF 3/pi, THD 31.08 % (2-40: 29.68 %); square PF 0.9003, THD 48.34 % (2-40: 47.03 %)."""
    angle = np.mod(W, 2.0 * np.pi)
    third = np.pi / 6.0
    block = np.where((angle > third) & (angle < np.pi - third), 1.0, 0.0)
    block -= np.where((angle > np.pi + third) & (angle < 2.0 * np.pi - third), 1.0, 0.0)
    p = of(block)
    assert p.power_factor == pytest.approx(3.0 / np.pi, abs=3e-4)
    assert p.current_thd == pytest.approx(0.2968, abs=5e-4)
    square = of(np.sign(np.sin(W)))
    assert square.power_factor == pytest.approx(0.9003, abs=2e-4)
    assert square.current_thd == pytest.approx(0.4703, abs=3e-4)
    assert square.current_order(7) == pytest.approx(4.0 / np.pi / 7.0 / math.sqrt(2.0), rel=1e-3)


def test_a_half_wave_rectified_resistor() -> None:
    """Rashid: PF 0.7071, THD of orders 2-40 43.52 % with DC excluded."""
    p = of(np.maximum(0.0, np.sin(W)))
    assert p.power_factor == pytest.approx(0.7071, abs=1e-4)
    assert p.current_thd == pytest.approx(0.4352, abs=2e-4)


@pytest.mark.parametrize(
    ("shape", "thd", "crest"),
    [
        (lambda w: 2.0 / np.pi * np.arcsin(np.sin(w)), 0.121, 1.732),
        (lambda w: np.sign(np.sin(w)), 0.4703, 1.0),
        (lambda w: np.sin(w), 0.0, 1.414),
    ],
    ids=["triangle", "square", "sine"],
)
def test_crest_and_distortion_of_plain_shapes(shape, thd: float, crest: float) -> None:  # type: ignore[no-untyped-def]
    """Power-electronics handbooks: triangle THD 12.1 %, crest 1.732; square 47.0 % over orders 2-40; sine 1.414."""
    p = of(shape(W))
    assert p.current_thd == pytest.approx(thd, abs=5e-4)
    assert p.current_crest == pytest.approx(crest, abs=2e-3)


RECTIFIER = """bridge rectifier, capacitor and resistor
V1 a 0 SIN(0 325 50)
R1 a b 1.5
D1 b p D
D2 0 p D
D3 n b D
D4 n 0 D
C1 p n 100u IC=300
RL p n 1k
R2 p 0 10MEG
R3 n 0 10MEG
.model D D(IS=1e-9 N=1.35 RS=10m)
.options reltol=1e-4 method=gear
.tran 5u 0.30 0.10 5u UIC
.control
run
let current = -i(V1)
let power = v(a)*current
meas tran volts RMS v(a) from=0.1 to=0.3
meas tran amps RMS current from=0.1 to=0.3
meas tran watts AVG power from=0.1 to=0.3
meas tran peak MAX current from=0.1 to=0.3
linearize v(a) i(V1)
fourier 50 i(V1)
wrdata out.txt v(a) i(V1)
quit
.endc
.end
"""


def test_a_rectifier_against_the_circuit_simulators_own_measurement(tmp_path: Path) -> None:
    """ngspice: its meas of rms and mean power, and its fourier of the current, against figures from its samples."""
    program = shutil.which("ngspice")
    assert program is not None, "make setup installs ngspice"
    (tmp_path / "deck.cir").write_text(RECTIFIER)
    done = subprocess.run(
        [program, "-b", "deck.cir"], cwd=tmp_path, capture_output=True, text=True, timeout=300, check=False
    )
    said = {k: float(v) for k, v in re.findall(r"^(\w+)\s*=\s*([-+\d.eE]+)", done.stdout, re.MULTILINE)}
    record = np.loadtxt(tmp_path / "out.txt")
    time, volts, amps = record[:, 0], record[:, 1], -record[:, 3]
    p = power_of(volts, amps, float(time[-1] - time[0]) / (len(time) - 1))
    assert p.frequency == pytest.approx(50.0, rel=1e-6)
    assert p.voltage_rms == pytest.approx(said["volts"], rel=2e-3)
    assert p.current_rms == pytest.approx(said["amps"], rel=5e-3)
    assert p.real_power == pytest.approx(said["watts"], rel=5e-3)
    assert p.current_crest == pytest.approx(said["peak"] / said["amps"], rel=0.01)
    table = re.findall(r"^\s*(\d+)\s+[\d.e+]+\s+([\d.e+-]+)\s+[-\d.e+]+\s+[\d.e+-]+\s+[-\d.e+]+\s*$", done.stdout, re.M)
    orders = {int(n): float(size) / math.sqrt(2.0) for n, size in table}
    assert {1, 3, 5, 7, 9} <= orders.keys()
    for order in (1, 3, 5, 7, 9):
        assert p.current_order(order) == pytest.approx(orders[order], rel=0.01), order


@pytest.mark.parametrize(
    ("order", "amps"), [(2, 1.08), (3, 2.30), (5, 1.14), (11, 0.33), (13, 0.21), (15, 0.15), (39, 0.15 * 15 / 39),
                        (8, 0.23), (40, 0.23 * 8 / 40)],
)  # fmt: skip
def test_class_a_limits(order: int, amps: float) -> None:
    """IEC 61000-3-2, table 1 (value from memory)."""
    assert load_harmonics().limits_A("A", Draw(1000.0))[order] == pytest.approx(amps)


def test_class_d_goes_by_power_and_never_above_class_a() -> None:
    """IEC 61000-3-2, table 3 (value from memory): 3.4 mA/W at order 3, 3.85/n mA/W from 13 on, class A as the cap."""
    limits = load_harmonics()
    assert limits.limits_A("D", Draw(100.0))[3] == pytest.approx(0.34)
    assert limits.limits_A("D", Draw(100.0))[15] == pytest.approx(0.385 / 15)
    assert limits.limits_A("D", Draw(2000.0))[3] == 2.30
    assert 2 not in limits.limits_A("D", Draw(100.0))


def test_orders_are_judged_on_both_sides_and_small_ones_disregarded() -> None:
    limits = load_harmonics().limits_A("A", Draw(500.0))
    lines = np.zeros(41)
    lines[1], lines[3] = 3.0, 2.31
    assert judge_orders(lines, None, limits, 3.8).exceeded == (3,)
    lines[3] = 2.29
    found = judge_orders(lines, None, limits, 3.8)
    assert found.holds
    assert (found.worst, round(found.share, 3)) == (3, 0.996)
    windows = np.stack([lines, lines])
    windows[1, 3] = 3.46
    assert not judge_orders(lines, windows, limits, 3.8).holds, "one window above one and a half of the limit"
    small = np.zeros(41)
    small[1], small[39] = 0.01, 0.0049
    assert judge_orders(small, None, {39: 0.001}, 0.01).worst == 0


def test_the_other_classes() -> None:
    """IEC 61000-3-2 (values from memory): class B is one and a half of A; C is percent of the fundamental, 30 % times
    the power factor at order 3, up to 25 W the amps a watt of class D."""
    limits = load_harmonics()
    assert limits.limits_A("B", Draw(500.0))[3] == pytest.approx(3.45)
    lamp = limits.limits_A("C", Draw(60.0, first_A=0.3, power_factor=0.9))
    assert (lamp[2], lamp[3], lamp[5], lamp[39]) == pytest.approx((0.006, 0.081, 0.03, 0.009))
    assert limits.limits_A("C", Draw(20.0, first_A=0.1))[3] == pytest.approx(0.068)
    assert (limits.least_W["A"], limits.least_W["C"]) == (75.0, 5.0)


def test_the_reliefs_of_the_rule() -> None:
    """Both exceptions by hand: odd orders from 21 by their sum, and class A beyond 150 % for a tenth of the time."""
    limits = load_harmonics().limits_A("A", Draw(500.0))
    lines = np.zeros(41)
    lines[1] = 3.0
    lines[21] = 1.4 * limits[21]
    relieved = judge_orders(lines, None, limits, 3.0)
    assert relieved.holds
    assert "partial odd" in relieved.reliefs[0]
    for n in range(21, 40, 2):
        lines[n] = 1.05 * limits[n]
    assert not judge_orders(lines, None, limits, 3.0).holds, "together they are above what the limits make together"
    brief = np.zeros((100, 41))
    brief[:, 1], brief[:, 3] = 3.0, 0.5 * limits[3]
    brief[:8, 3] = 1.9 * limits[3]
    mean = brief.mean(axis=0)
    assert judge_orders(mean, brief, limits, 3.0, 0.2, True).holds
    assert not judge_orders(mean, brief, limits, 3.0, 0.2, False).holds, "a class that has no such exception"
    brief[:12, 3] = 1.9 * limits[3]
    assert not judge_orders(brief.mean(axis=0), brief, limits, 3.0, 0.2, True).holds, "longer than a tenth"


def test_groups_take_in_what_stands_between_the_orders_and_smoothing_takes_its_time() -> None:
    """IEC 61000-4-7 (value from memory): lines 5 Hz apart; 165 Hz belongs to order 3, 175 Hz half to 3 and half to 4.
    An order that sets in reaches 63 % after 1.5 s (first-order low pass)."""
    t = np.arange(40_000) / 10_000.0
    volts = 325.0 * np.sin(2.0 * np.pi * 50.0 * t)
    amps = np.sqrt(2.0) * (2.0 * np.sin(2.0 * np.pi * 50.0 * t) + 0.3 * np.sin(2.0 * np.pi * 150.0 * t))
    amps += np.sqrt(2.0) * (0.04 * np.sin(2.0 * np.pi * 165.0 * t) + 0.03 * np.sin(2.0 * np.pi * 175.0 * t))
    power = power_of(volts, amps, 1e-4)
    groups = window_groups(amps, 1e-4, power)
    assert groups is not None
    assert groups[3, 3] == pytest.approx(np.sqrt(0.3**2 + 0.04**2 + 0.03**2 / 2.0), rel=2e-3)
    assert groups[3, 4] == pytest.approx(0.03 / np.sqrt(2.0), rel=2e-2)
    step = np.zeros((20, 41))
    step[1:, 5] = 1.0
    assert smoothed(step, 0.2)[8, 5] == pytest.approx(1.0 - np.exp(-1.6 / 1.5), rel=1e-9)
