"""The simulated adapter against independent integration, energy balance and closed forms."""

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal
from scipy.integrate import solve_ivp

from zincsmith.simbench import scope
from zincsmith.simbench.ac_volts import UP_TO_HZ, AcVolts
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.rectifier import Rectifier
from zincsmith.simbench.world import World

STANDINS = Path(__file__).parents[2] / "examples" / "standins"


@pytest.fixture
def adapter() -> Adapter:
    return Adapter.read(STANDINS / "tarnbrook-tb2425.toml")


@pytest.mark.parametrize(("volts", "hertz", "watts"), [(115.0, 60.0, 66.0), (230.0, 50.0, 66.0), (115.0, 60.0, 7.0)])
def test_rectifier_agrees_with_scipy(volts: float, hertz: float, watts: float) -> None:
    """SciPy's adaptive integrator on the same circuit (general-purpose reference library)."""
    bridge = Rectifier(120e-6, 1.5, 0.75, 220e-9)
    ours = bridge.steady(volts, hertz, watts)
    peak, omega = volts * math.sqrt(2.0), 2.0 * math.pi * hertz

    def current(t: float, v: float) -> float:
        return max(0.0, (abs(peak * math.sin(omega * t)) - 1.5 - v) / 1.5)

    def slope(t: float, v: np.ndarray) -> list[float]:
        return [(current(t, v[0]) - watts / v[0]) / 120e-6]

    half = 0.5 / hertz
    solved = solve_ivp(slope, (0.0, 30 * half), [peak - 1.5], max_step=half / 150, rtol=1e-7, dense_output=True)
    times = np.linspace(29 * half, 30 * half, 8001)[:-1]
    bulk = solved.sol(times)[0]
    mains = peak * np.sin(omega * times)
    poll_loop = np.array([current(t, v) for t, v in zip(times, bulk, strict=True)]) * np.sign(mains)
    whole = poll_loop + 220e-9 * omega * peak * np.cos(omega * times)
    assert ours.power_W == pytest.approx(float(np.mean(mains * poll_loop)), rel=2e-3)
    assert ours.current_A == pytest.approx(float(np.sqrt(np.mean(whole**2))), rel=5e-3)
    assert ours.bulk_min_V == pytest.approx(float(bulk.min()), rel=2e-3)


@settings(max_examples=25, deadline=None)
@given(st.floats(90.0, 264.0), st.floats(2.0, 90.0), st.sampled_from([50.0, 60.0]))
def test_rectifier_takes_more_than_it_gives_and_less_than_apparent(volts: float, watts: float, hertz: float) -> None:
    found = Rectifier(120e-6, 1.5, 0.75, 220e-9).steady(volts, hertz, watts)
    assert watts < found.power_W < 1.1 * watts + 0.5
    assert found.power_W < volts * found.current_A
    assert 0.5 * volts < found.bulk_min_V < volts * math.sqrt(2.0)


def test_x_capacitor_alone_draws_reactive_current() -> None:
    """Closed form: I = 2 pi f C V; no real power."""
    found = Rectifier(120e-6, 1.5, 0.75, 220e-9).steady(230.0, 50.0, 1e-6)
    assert found.current_A == pytest.approx(2.0 * math.pi * 50.0 * 220e-9 * 230.0, rel=1e-2)
    assert found.power_W < 1e-3


def test_mains_side_is_interpolated_closely(adapter: Adapter) -> None:
    exact = adapter.mains.steady(115.0, 60.0, 40.6)
    found = adapter.draw(115.0, 60.0, 40.6)
    assert found.power_W == pytest.approx(exact.power_W, rel=1e-4)
    assert found.current_A == pytest.approx(exact.current_A, rel=1e-3)


def test_loss_follows_its_law(adapter: Adapter) -> None:
    at = [adapter.loss_W(230.0, i, 25.0) for i in (0.0, 1.0, 2.0)]
    k = adapter.losses
    assert at[0] == pytest.approx(k.fixed_W)
    assert at[2] - 2 * at[1] + at[0] == pytest.approx(2.0 * k.square_W_per_A2)
    assert adapter.loss_W(115.0, 2.0, 25.0) > at[2], "low line costs more at load"


def test_warming_ends_where_the_heat_leaves(adapter: Adapter) -> None:
    """Two thermal stages in series: at rest the core is heat x (R1 + R2) above the room."""
    for _ in range(9000):
        adapter.step(2.0, 230.0, 50.0, 2.5, 23.0)
    steady = adapter.steady(230.0, 50.0, 2.5)
    heat = steady.input_power_W - steady.output_voltage_V * 2.5
    t = adapter.thermal
    assert adapter.case_degC == pytest.approx(23.0 + heat * t.case_to_ambient_K_per_W, abs=0.05)
    assert adapter.core_degC == pytest.approx(
        23.0 + heat * (t.core_to_case_K_per_W + t.case_to_ambient_K_per_W), abs=0.05
    )
    assert adapter.output_V == pytest.approx(steady.output_voltage_V, abs=1e-4)


def test_it_starts_late_holds_up_and_runs_down(adapter: Adapter) -> None:
    adapter.step(0.1, 115.0, 60.0, 0.0, 23.0)
    assert adapter.output_V == 0.0, "soft start has not passed"
    for _ in range(10):
        adapter.step(0.1, 115.0, 60.0, 1.0, 23.0)
    assert adapter.output_V == pytest.approx(24.0, abs=0.2)
    adapter.step(0.005, 0.0, 60.0, 1.0, 23.0)
    assert adapter.output_V > 23.0, "the bulk capacitor holds it up"
    for _ in range(100):
        adapter.step(0.02, 0.0, 60.0, 1.0, 23.0)
    assert adapter.output_V < 1.0


def test_start_and_stop_voltage_differ(adapter: Adapter) -> None:
    def runs(volts: float) -> bool:
        for _ in range(40):
            adapter.step(0.1, volts, 60.0, 0.0, 23.0)
        return adapter.output_V > 20.0

    assert not runs(70.0), "below the start voltage from rest"
    assert runs(90.0)
    assert runs(70.0), "still above the stop voltage"


def test_an_overload_collapses_the_output_and_goes_away(adapter: Adapter) -> None:
    for _ in range(10):
        adapter.step(0.1, 230.0, 50.0, 1.0, 23.0)
    for _ in range(10):
        adapter.step(0.1, 230.0, 50.0, 5.0, 23.0)
    assert adapter.output_V < 2.0
    for _ in range(10):
        adapter.step(0.1, 230.0, 50.0, 1.0, 23.0)
    assert adapter.output_V > 23.0


def test_a_wrong_physics_file_is_named(tmp_path: Path) -> None:
    text = (STANDINS / "tarnbrook-tb2425.toml").read_text()
    file = tmp_path / "x.toml"
    file.write_text(text.replace("fixed_W", "fixed_w"))
    with pytest.raises(ValueError, match=r"\[losses\].*fixed_W"):
        Adapter.read(file)
    file.write_text(text + "\n[magic]\nx = 1\n")
    with pytest.raises(ValueError, match="magic"):
        Adapter.read(file)


def test_twenty_percent_more_square_loss_moves_the_true_efficiency_by_hand(adapter: Adapter) -> None:
    """Worked by hand: extra loss 0.2 k2 I^2 (hot), passed through the rectifier, lowers P / Pin."""
    before = adapter.steady(230.0, 50.0, 2.5)
    worse = replace(adapter.losses, square_W_per_A2=1.2 * adapter.losses.square_W_per_A2)
    after = Adapter(adapter.output, worse, adapter.thermal, adapter.start, adapter.mains).steady(230.0, 50.0, 2.5)
    extra = after.input_power_W - before.input_power_W
    hot = 1.0 + adapter.losses.square_per_K * 25.0
    assert 0.2 * 0.16 * 2.5**2 < extra < 0.2 * 0.16 * 2.5**2 * hot * 1.1
    out = 2.5 * before.output_voltage_V
    assert after.efficiency == pytest.approx(out / (before.input_power_W + extra), abs=1e-4)


def test_an_ac_voltmeter_shows_the_mean_behind_its_bandwidth(adapter: Adapter) -> None:
    """Against SciPy: a first-order low-pass by its bilinear recursion over two periods of the mains, the second one
    counted, the mean of the absolute value scaled for a sine. Little of what switches at 65 kHz gets through."""
    world = World(adapter, seed=4)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 115.0, 50.0, True
    world.loads[""].current_A, world.loads[""].on = 2.5, True
    world.changed()
    world.advance(10.0)
    t = np.arange(0.0, 0.04, 1e-7)
    true = scope.ripple(world, t, "LONG") + scope.pick_up(world, t, "LONG")
    b, a = signal.bilinear([1.0], [1.0 / (2.0 * math.pi * UP_TO_HZ), 1.0], fs=1e7)
    seen = signal.lfilter(b, a, true - true.mean())[len(t) // 2 :]
    expected = math.pi / math.sqrt(8.0) * float(np.mean(np.abs(seen - seen.mean())))
    assert AcVolts(world).read() == pytest.approx(expected, rel=0.02)
    assert expected < 0.9 * float(np.std(true))
