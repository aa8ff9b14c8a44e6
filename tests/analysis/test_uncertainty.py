"""Propagation with shared sources, checked against the uncertainties package and against itself."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from uncertainties import ufloat

from zincsmith.analysis.accuracy import column, limit_of_error, scatter_u
from zincsmith.analysis.data_sheet import with_data_sheets
from zincsmith.analysis.uncertainty import Column, Part, covariance, coverage_factor, propagate
from zincsmith.model.operating_point import NOWHERE, operating_point
from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Accuracy, Instrument, Rig


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


def test_a_limit_whose_split_nobody_knows_counts_the_worse_way() -> None:
    """24.0 W and 23.9 W, limit 0.1 % of reading + 0.05 % of 75 W. Worked by hand: u = limit / sqrt 3 of each; they add
    in square in the difference, and as they stand in the mean."""
    both = column([reading(24.0, "1/1/x"), reading(23.9, "1/2/x")])
    difference = propagate(lambda x: float(x["v"][0] - x["v"][1]), {"v": both})
    mean = propagate(lambda x: float(np.mean(x["v"])), {"v": both})
    first, second = (0.024 + 0.0375) / math.sqrt(3.0), (0.0239 + 0.0375) / math.sqrt(3.0)
    assert difference.u == pytest.approx(math.hypot(first, second), rel=1e-9)
    assert mean.u == pytest.approx((first + second) / 2.0, rel=1e-9)
    assert mean.k == pytest.approx(0.9545 * math.sqrt(3.0), rel=2e-3), "one rectangle: U does not exceed its limit"
    assert mean.k * mean.u < 0.024 + 0.0375
    assert difference.k == 2.0


@given(st.floats(0.0, 0.05), st.floats(0.0, 0.02))
def test_stating_a_display_step_or_noise_never_makes_a_difference_look_better(step: float, noise: float) -> None:
    """Once it did: 5 times off, for a load regulation."""
    plain = [reading(24.0, "1/1/x"), reading(23.9, "1/2/x")]
    stated = [
        reading(24.0, resolution=step, noise=noise),
        reading(23.9, "1/2/x", resolution=step, noise=noise),
    ]
    for formula in (lambda x: float(x["v"][0] - x["v"][1]), lambda x: float(np.mean(x["v"]))):
        one, other = (propagate(formula, {"v": column(rows)}) for rows in (plain, stated))
        assert other.u >= 0.72 * one.u, "what is known to be each reading's own cannot err alike, and no more"
    differ = [propagate(lambda x: float(x["v"][0] - x["v"][1]), {"v": column(rows)}).u for rows in (plain, stated)]
    assert differ[1] == pytest.approx(differ[0], rel=1e-6)


def test_what_a_data_sheet_says_beside_its_limit_decides_small_differences() -> None:
    """A transfer accuracy of 2 mW within ten minutes, a non-linearity of 0.005 % of 75 W; worked by hand."""

    def u(minutes: float | None, **more: object) -> float:
        rows = [reading(24.0, "1/1/x", **more), reading(24.0, "1/2/x", **more)]
        return propagate(lambda x: float(x["v"][0] - x["v"][1]), {"v": column(rows, minutes)}).u

    alone = math.sqrt(2.0) * (0.024 + 0.0375) / math.sqrt(3.0)
    assert u(5.0) == pytest.approx(alone)
    assert u(5.0, transfer=0.002, transfer_min=10.0) == pytest.approx(math.sqrt(2.0) * 0.002 / math.sqrt(3.0))
    assert u(11.0, transfer=0.002, transfer_min=10.0) == pytest.approx(alone), "too long apart"
    assert u(None, nonlinearity_percent=0.005) == pytest.approx(math.sqrt(2.0) * 0.00375 / math.sqrt(3.0))


def test_a_phase_error_moves_watts_by_the_reactive_part() -> None:
    """115 V, 50 mA, 0.171 W and 1 degree: 5.75 VA, so 5.747 var x 0.01745 = 0.1003 W at most. Worked by hand."""
    place = {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 0.0}
    meter = Instrument("power_meter", "simulated", "Calderwick", "P2", serial="7", phase_error_deg=1.0)
    rows = [Reading("v", "input_voltage", 115.0, "V", "power_meter", meter.name, ""),
            Reading("i", "input_current", 0.05, "A", "power_meter", meter.name, ""),
            Reading("p", "input_power", 0.171, "W", "power_meter", meter.name, "")]  # fmt: skip
    known = with_data_sheets(
        Point(1, operating_point(place), tuple(rows), 0.0), Rig("r", "wall", (meter,)), 1, 23.0, "2026-11-20"
    )
    estimate = propagate(lambda x: float(x["p"][0]), {"p": column([r for r in known.readings if r.id == "p"])})
    assert estimate.u == pytest.approx(0.1003 / math.sqrt(3.0), rel=1e-3)
    assert "phase error" in estimate.contributions[0].source


def test_the_row_of_a_data_sheet_follows_the_calibration_and_the_room() -> None:
    """24 h, 90 d and a year; 0.002 % of reading a kelvin beyond 18 to 28 degC."""
    sheet = tuple(Accuracy("output_voltage", 60.0, p, 0.0, valid_days=d, per_K_reading_percent=0.002)
                  for p, d in ((0.01, 1.0), (0.02, 90.0), (0.03, 365.0)))  # fmt: skip
    meter = Instrument("voltmeter", "by hand", "Fennhollow", "M6", serial="9", calibrated="2026-03-01", accuracy=sheet)
    one = Reading("v", "output_voltage", 24.0, "V", "voltmeter", meter.name, "", range=60.0, reading_percent=0.01)

    def limit(on: str, room: float) -> float:
        point = with_data_sheets(Point(1, NOWHERE, (one,), 0.0), Rig("r", "wall", (meter,)), 1, room, on)
        return limit_of_error(point.readings[0])

    assert limit("2026-03-02", 23.0) == pytest.approx(24.0 * 1e-4)
    assert limit("2026-03-03", 27.9) == pytest.approx(24.0 * 2e-4)
    assert limit("2026-09-01", 30.0) == pytest.approx(24.0 * 3e-4 + 2.0 * 24.0 * 2e-5)
    assert limit("2028-09-01", 16.0) == pytest.approx(24.0 * 3e-4 + 2.0 * 24.0 * 2e-5), "beyond all: the longest"


def test_a_shared_gain_cancels_in_a_difference_and_adds_in_a_mean() -> None:
    shared = column([reading(24.0, "1/1/x", nonlinearity_percent=1e-9, range_percent=0.0),
                     reading(23.9, "1/2/x", nonlinearity_percent=1e-9, range_percent=0.0)])  # fmt: skip
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


@given(st.floats(-75.0, 75.0), st.floats(0.0, 1.0), st.floats(0.001, 1.0), st.floats(0.0, 0.001))
def test_parts_of_a_single_reading_make_up_its_limit(value: float, gain: float, rest: float, step: float) -> None:
    one = reading(value, reading_percent=gain, range_percent=rest, resolution=step)
    alone = propagate(lambda x: float(x["v"][0]), {"v": column([one])})
    assert alone.u == pytest.approx(limit_of_error(one) / math.sqrt(3.0), rel=1e-9)


def test_stated_noise_is_what_differs_from_reading_to_reading() -> None:
    assert scatter_u(reading(60.0, noise=0.02, resolution=0.01)) == pytest.approx(math.sqrt(0.02**2 + 0.01**2 / 12.0))


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
