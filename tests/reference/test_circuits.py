"""The stand-in's circuits against ngspice (general-purpose circuit simulator) and closed forms."""

from __future__ import annotations

import math
import re
import shutil
import subprocess
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from zincsmith.simbench.scope import dip
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.rectifier import Rectifier
from zincsmith.simbench.world import World

STANDINS = Path(__file__).parents[2] / "examples" / "standins"
NGSPICE = shutil.which("ngspice")
BRIDGE = """rectifier into a bulk capacitor that feeds a constant power
V1 a 0 SIN(0 {peak} {hertz})
R1 a b {ohm}
D1 b p D
D2 0 p D
D3 n b D
D4 n 0 D
C1 p n {farad} IC={start}
B1 p n I={watts}/max(v(p,n),20)
R2 p 0 10MEG
R3 n 0 10MEG
C2 p 0 100p
C3 n 0 100p
.model D D(IS=1e-9 N=1.35 RS=10m CJO=50p)
.options reltol=1e-3 method=gear gmin=1e-10 itl4=100
.tran {step} {stop} {skip} {step} UIC
.control
run
let current = -i(V1)
let power = v(a)*current
let bulk = v(p)-v(n)
meas tran amps RMS current from={skip} to={stop}
meas tran watts AVG power from={skip} to={stop}
meas tran low MIN bulk from={skip} to={stop}
quit
.endc
.end
"""


def spice(text: str, folder: Path) -> dict[str, float]:
    """What the ``meas`` lines of a deck print."""
    assert NGSPICE is not None, "make setup installs ngspice"
    deck = folder / "deck.cir"
    deck.write_text(text)
    done = subprocess.run([NGSPICE, "-b", str(deck)], capture_output=True, text=True, timeout=120, check=False)
    found = re.findall(r"^(\w+)\s*=\s*([-+\d.eE]+)", done.stdout, re.MULTILINE)
    assert found, done.stdout[-500:] + done.stderr[-500:]
    return {name: float(value) for name, value in found}


@pytest.mark.parametrize(("volts", "hertz", "watts"), [(115.0, 60.0, 66.0), (230.0, 50.0, 66.0), (115.0, 60.0, 20.0)])
def test_the_rectifier_draws_what_ngspice_says(tmp_path: Path, volts: float, hertz: float, watts: float) -> None:
    """Rms current, real power and power factor of the same bridge; diodes there are exponential, ours drop 0.75 V."""
    half = 0.5 / hertz
    found = spice(
        BRIDGE.format(
            peak=volts * math.sqrt(2.0), hertz=hertz, ohm=1.5, farad=120e-6, start=volts * 1.3, watts=watts,
            step=half / 2000, stop=40 * half, skip=30 * half,
        ),
        tmp_path,
    )  # fmt: skip
    ours = Rectifier(120e-6, 1.5, 0.75, 0.0).steady(volts, hertz, watts)
    assert ours.power_W == pytest.approx(abs(found["watts"]), rel=0.01)
    assert ours.current_A == pytest.approx(found["amps"], rel=0.03)
    assert ours.power_W / (volts * ours.current_A) == pytest.approx(
        abs(found["watts"]) / (volts * found["amps"]), rel=0.03
    )
    assert ours.bulk_min_V == pytest.approx(found["low"], rel=0.01)


def test_hold_up_is_the_discharge_of_the_bulk_capacitor() -> None:
    """Closed form: t = C (V1^2 - V2^2) / (2 P), and what the output capacitor adds from 24 to 20 V, C dV / I."""
    unit = Adapter.read(STANDINS / "tarnbrook-tb2425.toml")
    for _ in range(40):
        unit.step(0.1, 230.0, 50.0, 2.0, 23.0)
    power = unit.output_V * 2.0 + unit.losses.fixed_W
    expected = unit.mains.bulk_F * (2.0 * 230.0**2 - 2.0 * unit.start.stop_V**2) / (2.0 * power)
    expected += unit.output.capacitor_F * (unit.output_V - 20.0) / 2.0
    held, dt = 0.0, 0.0005
    while unit.output_V > 20.0:
        unit.step(dt, 0.0, 50.0, 2.0, 23.0)
        held += dt
    assert held == pytest.approx(expected, abs=0.002)


def test_an_output_runs_down_through_its_bleeder_as_rc() -> None:
    """Closed form: v = V0 exp(-t / RC)."""
    unit = Adapter.read(STANDINS / "tarnbrook-tb2425.toml")
    unit.output_V = 24.0
    for _ in range(100):
        unit.step(0.05, 0.0, 50.0, 0.0, 23.0)
    tau = unit.output.capacitor_F * unit.output.bleeder_ohm
    assert unit.output_V == pytest.approx(24.0 * math.exp(-5.0 / tau), rel=0.01)


def test_heating_follows_the_two_time_constants_of_the_linear_system() -> None:
    """Two coupled first-order stages: the step response from the eigenvalues of the state matrix (NumPy)."""
    unit = Adapter.read(STANDINS / "tarnbrook-tb2425.toml")
    t = unit.thermal
    unit.core_degC = unit.case_degC = 23.0
    heat, seconds = 8.0, 600.0
    for _ in range(int(seconds)):
        unit._warm(1.0, heat, 23.0)
    g1, g2 = 1.0 / t.core_to_case_K_per_W, 1.0 / t.case_to_ambient_K_per_W
    a = np.array([[-g1 / t.core_J_per_K, g1 / t.core_J_per_K], [g1 / t.case_J_per_K, -(g1 + g2) / t.case_J_per_K]])
    b = np.array([heat / t.core_J_per_K, 0.0])
    values, vectors = np.linalg.eig(a)
    rest = -np.linalg.solve(a, b)
    start = np.linalg.solve(vectors, -rest)
    rise = rest + vectors @ (np.exp(values * seconds) * start)
    assert unit.core_degC - 23.0 == pytest.approx(float(rise[0]), rel=0.02)
    assert unit.case_degC - 23.0 == pytest.approx(float(rise[1]), rel=0.02)


def test_the_answer_to_a_load_step_is_that_of_a_damped_second_order_system() -> None:
    """Closed form: zero crossings pi / w_d apart, swings shrinking by exp(-pi zeta / sqrt(1 - zeta^2))."""
    world = World(Adapter.read(STANDINS / "tarnbrook-tb2425.toml"), 1)
    response = world.unit.response
    omega = 2.0 * math.pi * response.natural_Hz
    damped = omega * math.sqrt(1.0 - response.damping**2)
    times = np.linspace(0.0, 3.0 * math.pi / damped, 6001)
    wave = np.array([dip(world, float(t), 2.0) for t in times])
    first, second = wave[times <= math.pi / damped], wave[(times > math.pi / damped) & (times <= 2 * math.pi / damped)]
    assert first.min() < 0.0 < second.max(), "a dip, then a rise"
    shrink = math.exp(-math.pi * response.damping / math.sqrt(1.0 - response.damping**2))
    assert second.max() / -first.min() == pytest.approx(shrink, rel=0.01)
    assert abs(dip(world, math.pi / damped, 2.0)) < 1e-9


def test_correction_sets_in_and_out_at_different_loads() -> None:
    """Power factor in two regimes with hysteresis; common practice, no source: about 50 to 55 W on such adapters."""
    unit = Adapter.read(STANDINS / "dunmarrow-dm120.toml")

    def factor(amps: float) -> float:
        for _ in range(30):
            unit.step(0.1, 230.0, 50.0, amps, 23.0)
        return unit.intake.power_W / (230.0 * unit.intake.current_A)

    rising = {amps: factor(amps) for amps in (1.5, 2.4, 2.7, 3.4, 6.0)}
    falling = {amps: factor(amps) for amps in (3.4, 2.7, 2.2)}
    assert rising[2.7] < 0.7 < 0.95 < rising[3.4]
    assert falling[2.7] > 0.95 > 0.7 > falling[2.2]


@pytest.mark.parametrize(
    ("kind", "current", "volts"),
    [
        ("constant current", 8.2, 0.0),
        ("foldback", 8.2 * 0.3, 0.0),
        ("constant power", 12.3, 0.0),
        ("latching", 0.0, 0.0),
    ],
)
def test_each_protection_does_what_its_name_says(kind: str, current: float, volts: float) -> None:
    """Into a load that takes more than any of them gives."""
    unit = Adapter.read(STANDINS / "dunmarrow-dm120.toml")
    unit.protection = replace(unit.protection, kind=kind, delay_s=0.0)
    for _ in range(30):
        unit.step(0.1, 230.0, 50.0, 3.0, 23.0)
    for _ in range(30):
        unit.step(0.1, 230.0, 50.0, 20.0, 23.0)
    assert unit.current_A == pytest.approx(current, rel=0.02, abs=0.01)
    assert unit.output_V == pytest.approx(volts, abs=0.05)
    for _ in range(60):
        unit.step(0.1, 230.0, 50.0, 3.0, 23.0)
    assert (unit.output_V > 18.0) is (kind != "latching")


def test_a_hiccup_cycles_by_itself_and_comes_back() -> None:
    unit = Adapter.read(STANDINS / "dunmarrow-dm120.toml")
    for _ in range(30):
        unit.step(0.1, 230.0, 50.0, 3.0, 23.0)
    seen = []
    for _ in range(200):
        unit.step(0.05, 230.0, 50.0, 12.0, 23.0)
        seen.append(unit.output_V > 10.0)
    rises = sum(b and not a for a, b in pairwise(seen))
    assert rises >= 4, "tries again and again"
    for _ in range(60):
        unit.step(0.1, 230.0, 50.0, 3.0, 23.0)
    assert unit.output_V > 18.0
