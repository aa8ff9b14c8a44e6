"""How warm a winding was: against the formula inverted, and a winding that cools as SciPy integrates it."""

from __future__ import annotations

import json

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from tests.conftest import Command

from zincsmith.analysis.winding import at_switch_off, winding


def ohm_at(degC: float, cold_ohm: float = 1.2, cold_degC: float = 22.0) -> float:
    """Of copper by its temperature coefficient at 20 °C, 0.393 % a kelvin (handbook value, from memory)."""
    alpha = 0.00393
    return cold_ohm * (1.0 + alpha * (degC - 20.0)) / (1.0 + alpha * (cold_degC - 20.0))


@pytest.mark.parametrize("degC", [22.0, 60.0, 110.0])
def test_it_is_that_of_the_coefficient_of_copper(degC: float) -> None:
    found = winding(1.2, 22.0, [(0.0, ohm_at(degC))], 25.0)
    assert found.degC == pytest.approx(degC, abs=0.1), "0.393 % a kelvin and 234.5 are one fact, rounded"
    assert found.rise_K == pytest.approx(found.degC - 25.0)
    assert found.gone_back


def test_what_cooled_before_it_was_read_is_gone_back_to() -> None:
    """100 °C at switch-off, a core of 70 °C beside it, 40 s: SciPy's own integration."""
    cools = solve_ivp(lambda _t, t: (70.0 - t) / 40.0, (0.0, 60.0), [100.0], rtol=1e-9, dense_output=True)
    readings = [(t, ohm_at(float(cools.sol(t)[0]))) for t in (12.0, 22.0, 32.0)]
    found = winding(1.2, 22.0, readings, 25.0)
    assert found.degC == pytest.approx(100.0, abs=0.2)
    assert winding(1.2, 22.0, readings[:1], 25.0).degC < 93.0
    assert not winding(1.2, 22.0, readings[:1], 25.0).gone_back


def test_its_uncertainty_is_that_of_two_readings() -> None:
    draw = np.random.default_rng(5)
    hot = ohm_at(80.0)
    tried = [
        winding(1.2 + e[0], 22.0, [(0.0, hot + e[1])], 25.0).degC for e in draw.normal(0.0, 0.002, (20_000, 2))
    ]  # fmt: skip
    assert winding(1.2, 22.0, [(0.0, hot)], 25.0, u_ohm=0.002).u_K == pytest.approx(float(np.std(tried)), rel=0.03)


@pytest.mark.parametrize(
    "readings",
    [[], [(-1.0, 1.0)], [(0.0, 0.0)], [(0.0, 1.5), (5.0, 1.4)], [(0.0, 1.5), (5.0, 1.4), (20.0, 1.3)],
     [(0.0, 1.5), (5.0, 1.5), (10.0, 1.5)], [(0.0, 1.3), (5.0, 1.4), (10.0, 1.45)]],
)  # fmt: skip
def test_readings_that_tell_nothing_are_refused(readings: list[tuple[float, float]]) -> None:
    with pytest.raises(ValueError, match=r"ohm|reading"):
        at_switch_off(readings)


def test_on_the_command_line(command: Command) -> None:
    of = ("winding", "--cold", "1.2", "--cold-degC", "22", "--room", "25")
    told = json.loads(command(*of, "--hot", "0:1.56", "--json").stdout)
    assert told["degC"] == pytest.approx(1.56 / 1.2 * 256.5 - 234.5)
    assert "had cooled" in command(*of, "--hot", "10:1.5").stdout
    refused = command(*of, "--hot", "10")
    assert refused.returncode == 2
    assert "10:1.512" in refused.stderr
