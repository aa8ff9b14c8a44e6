"""Propagation with shared sources, checked against the uncertainties package and against itself."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from uncertainties import ufloat

from zincsmith.analysis.accuracy import column, limit_of_error, shared_and_own
from zincsmith.analysis.uncertainty import Column, Part, covariance, coverage_factor, propagate
from zincsmith.model.reading import Reading


def reading(value: float, key: str = "1/1/x", **more: object) -> Reading:
    stated = {"range": 75.0, "reading_percent": 0.1, "range_percent": 0.05, "known": True, **more}
    return Reading(key, "input_power", value, "W", "power_meter", "P2", "simulated", **stated)


def test_efficiency_agrees_with_the_uncertainties_package() -> None:
    columns = {
        "pin": Column(
            np.array([68.8]), (Part("gain pin", np.array([0.04]), True), Part("own pin", np.array([0.03]), False))
        ),
        "v": Column(np.array([23.95]), (Part("own v", np.array([0.004]), False),)),
        "i": Column(np.array([2.5]), (Part("own i", np.array([0.001]), False),)),
    }
    ours = propagate(lambda x: float(x["v"][0] * x["i"][0] / x["pin"][0]), columns)
    theirs = ufloat(23.95, 0.004) * ufloat(2.5, 0.001) / ufloat(68.8, 0.05)
    assert ours.value == pytest.approx(theirs.nominal_value, rel=1e-12)
    assert ours.u == pytest.approx(theirs.std_dev, rel=1e-5)


def test_a_shared_gain_cancels_in_a_difference_and_adds_in_a_mean() -> None:
    shared = column([reading(24.0, "1/1/x", range_percent=0.0), reading(23.9, "1/2/x", range_percent=0.0)])
    difference = propagate(lambda x: float(x["v"][0] - x["v"][1]), {"v": shared})
    mean = propagate(lambda x: float(np.mean(x["v"])), {"v": shared})
    gain = 0.001 / math.sqrt(3.0)
    assert difference.u == pytest.approx(0.1 * gain, rel=1e-6)
    assert mean.u == pytest.approx(23.95 * gain, rel=1e-6)


def test_figures_of_the_same_instrument_know_their_correlation() -> None:
    both = column([reading(24.0, "1/1/x", range_percent=0.0), reading(24.0, "1/2/x", range_percent=0.0)])
    first = propagate(lambda x: float(x["v"][0]), {"v": both})
    second = propagate(lambda x: float(x["v"][1]), {"v": both})
    assert covariance(first, second) == pytest.approx(first.u * second.u, rel=1e-9)


@given(st.floats(-75.0, 75.0), st.floats(0.0, 1.0), st.floats(0.001, 1.0))
def test_parts_of_a_single_reading_make_up_its_limit(value: float, gain: float, rest: float) -> None:
    one = reading(value, reading_percent=gain, range_percent=rest)
    shared, own = shared_and_own(one)
    assert math.hypot(shared, own) == pytest.approx(limit_of_error(one) / math.sqrt(3.0), rel=1e-9)


def test_stated_noise_is_what_differs_from_reading_to_reading() -> None:
    one = reading(60.0, noise=0.02, resolution=0.01)
    shared, own = shared_and_own(one)
    assert own == pytest.approx(math.sqrt(0.02**2 + 0.01**2 / 12.0))
    assert math.hypot(shared, own) == pytest.approx(limit_of_error(one) / math.sqrt(3.0))


def test_repeats_bring_degrees_of_freedom_and_a_larger_k() -> None:
    few = column([reading(60.0, reading_percent=0.0, range_percent=0.0, spread=0.3, count=4)])
    estimate = propagate(lambda x: float(x["v"][0]), {"v": few})
    assert estimate.u == pytest.approx(0.15)
    assert estimate.dof == pytest.approx(3.0)
    assert estimate.k == pytest.approx(3.307, abs=2e-3)  # JCGM 100 table G.2, 95.45 %, 3 dof: 3.31 (from memory)


def test_k_is_two_from_thirty_degrees_of_freedom_up() -> None:
    assert coverage_factor(None) == coverage_factor(30.0) == 2.0
    assert coverage_factor(29.0) > 2.0
    with pytest.raises(ValueError, match="degrees of freedom"):
        coverage_factor(0.5)


def test_a_reading_without_a_value_cannot_enter_a_figure() -> None:
    with pytest.raises(ValueError, match="without a value"):
        column([reading(1.0), Reading("x", "input_power", None, "W", "power_meter", "P2", "by hand")])
