"""Running cost, pay-back, specimens: worked by hand, and against the tables of a handbook."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import ttest_ind
from tests.conftest import ROOT

from zincsmith.analysis.specimens import chance_of, one_sided_factor, specimens, two_sided_factor
from zincsmith.analysis.value import Sum, even_price, pay_back, watts_at, weighted, yearly_kWh
from zincsmith.formats.feeding_file import read_feeding
from zincsmith.model.errors import InputError

LOADS = [(2.5, 68.0, 0.1), (0.0, 0.1, 0.001), (1.25, 34.0, 0.05)]


def test_a_day_of_its_duty_by_hand() -> None:
    """3 h at 2.5 A, 4 h at 1.875 A, 14 h at 0.625 A, 3 h idle: 204 + 204 + 238.7 + 0.3 Wh a day."""
    day = 3 * 68.0 + 4 * 51.0 + 14 * (0.1 + 0.5 * 33.9) + 3 * 0.1
    found = yearly_kWh(LOADS, [(3, 2.5), (4, 1.875), (14, 0.625), (3, 0.0)])
    assert found is not None
    assert found.value == pytest.approx(365.25 * day / 1000.0)
    assert found.u == pytest.approx(365.25 * (3 * 0.1 + 4 * 0.075 + 14 * 0.0255 + 3 * 0.001) / 1000.0)
    assert yearly_kWh(LOADS, [(1, 3.0)]) is None, "nobody measured so much"
    assert watts_at(LOADS[:1], 2.5) is None
    beyond = watts_at(LOADS, 2.54)
    assert beyond is not None
    assert beyond.value == pytest.approx(68.0 + 0.04 * 34.0 / 1.25)


def test_pay_back_is_a_span() -> None:
    back = pay_back(12.0, Sum(2.0, 0.25))
    assert (back.years, back.low, back.high) == pytest.approx((6.0, 12.0 / 2.5, 12.0 / 1.5))
    unsure = pay_back(12.0, Sum(2.0, 1.5))
    assert (unsure.years, unsure.high) == (6.0, None)
    assert pay_back(12.0, Sum(-1.0, 0.1)).years is None
    assert pay_back(0.0, Sum(1.0, 0.1)).years == 0.0
    assert even_price(10.0, Sum(2.0, 0.25), 5.0) == Sum(20.0, 1.25)


@given(st.floats(0.1, 100.0), st.floats(0.01, 50.0), st.floats(0.0, 5.0))
def test_at_the_even_price_it_has_paid_back_when_its_years_are_over(price: float, saved: float, u: float) -> None:
    at = even_price(price, Sum(saved, u), 7.0).value
    years = pay_back(at - price, Sum(saved, u)).years
    assert years == pytest.approx(7.0, rel=1e-6)


@pytest.mark.parametrize(
    ("count", "one_sided", "two_sided"),
    [(10, 2.911, 3.379), (20, 2.396, 2.752), (5, 4.203, 5.079)],  # handbook tables (from memory)
)
def test_tolerance_factors_are_those_of_the_handbook(count: int, one_sided: float, two_sided: float) -> None:
    """95 % of all, 95 % sure: NIST/SEMATECH e-Handbook 7.2.6.3 and the usual tables, values from memory; Howe's
    approximation lies within one in a hundred of the exact two-sided ones."""
    assert one_sided_factor(count) == pytest.approx(one_sided, rel=2e-3)
    assert two_sided_factor(count) == pytest.approx(two_sided, rel=0.012)
    # Its worked example: 43 specimens, 90 % of all, 99 % sure (values from memory).
    assert two_sided_factor(43, 0.9, 0.99) == pytest.approx(2.217, rel=2e-3)
    assert one_sided_factor(43, 0.9, 0.99) == pytest.approx(1.8740, rel=2e-3)


def test_such_an_interval_holds_what_it_says() -> None:
    """Brute force: of a thousand lots of six, 95 in a hundred hold 95 % of all there are."""
    dice = np.random.default_rng(3)
    held = 0
    for _ in range(1000):
        one = specimens([float(v) for v in dice.normal(10.0, 2.0, 6)])
        assert one.low is not None
        assert one.high is not None
        inside = 0.5 * (math.erf((one.high - 10.0) / 2.0 / 2**0.5) - math.erf((one.low - 10.0) / 2.0 / 2**0.5))
        held += inside >= 0.95
    assert 0.92 < held / 1000.0 < 0.98


def test_models_differ_or_their_specimens_do() -> None:
    near, far = (
        chance_of([10.0, 10.4, 9.7, 10.1], [10.1, 9.9, 10.3, 9.8]),
        chance_of([10.0, 10.1, 9.9], [11, 11.2, 10.9]),
    )
    assert near is not None
    assert far is not None
    assert near > 0.5
    assert far < 0.01
    assert chance_of([10.0], [11.0, 11.1]) is None
    assert chance_of([10.0, 10.0], [10.0, 10.0, 10.0]) is None
    dice = np.random.default_rng(5)
    for size in (2, 3, 7):
        a, b = dice.normal(10.0, 1.0, size), dice.normal(11.0, 2.0, size + 2)
        by_scipy = ttest_ind(a, b, equal_var=False).pvalue  # Welch's test, SciPy
        assert chance_of(list(a), list(b)) == pytest.approx(by_scipy, rel=1e-9)
    alone = specimens([4.0])
    assert (alone.mean, alone.deviation, alone.low) == (4.0, None, None)
    with pytest.raises(ValueError, match="no specimen"):
        specimens([])
    with pytest.raises(ValueError, match="weight"):
        weighted([(0.0, 1.0)])


def test_what_it_must_feed_is_read_and_nonsense_refused(tmp_path) -> None:  # type: ignore[no-untyped-def]
    file = ROOT / "examples" / "feedings" / "valve-controller.toml"
    one = read_feeding(file)
    assert (one.voltage_V, sum(d.hours for d in one.duty)) == (24.0, 24.0)
    for was, now, words in (
        ("hours = 14", "hours = 19", "24 hours"), ("current_A = 1.875", "current_A = 3", "more amps"),
        ("voltage_V = 24", "voltage_V = 0", "above zero"), ("years = 5", "yeers = 5", "yeers"),
        ("lowest_V = 21.6", "lowest_V = 30\nhighest_V = 28", "below its highest"),
    ):  # fmt: skip
        wrong = tmp_path / "wrong.toml"
        wrong.write_text(file.read_text("utf-8").replace(was, now), "utf-8")
        with pytest.raises(InputError, match=words):
            read_feeding(wrong)
