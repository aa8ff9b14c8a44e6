"""Decision rules and stability."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.conformity import conformance_probability, guarded_verdict, simple_verdict
from zincsmith.analysis.stability import settled
from zincsmith.model.finding import Verdict

values = st.floats(-100.0, 100.0)


@given(values, st.floats(0.001, 10.0), values)
def test_verdicts_mirror(value: float, expanded: float, limit: float) -> None:
    upper = guarded_verdict(value, expanded, None, limit)
    lower = guarded_verdict(-value, expanded, -limit, None)
    assert upper is lower
    assert conformance_probability(value, expanded / 2, None, limit) == pytest.approx(
        conformance_probability(-value, expanded / 2, -limit, None), abs=1e-12
    )


@given(values, st.floats(0.001, 10.0), values)
def test_a_guarded_call_is_never_against_the_simple_one(value: float, expanded: float, limit: float) -> None:
    guarded = guarded_verdict(value, expanded, None, limit)
    assert guarded in (Verdict.TOO_CLOSE, simple_verdict(value, None, limit))


def test_an_unknown_uncertainty_decides_nothing() -> None:
    assert guarded_verdict(1.0, None, 0.0, 2.0) is Verdict.TOO_CLOSE


def test_the_limit_itself_holds_by_simple_acceptance() -> None:
    assert simple_verdict(0.88, 0.88, None) is Verdict.HOLDS


def test_settled_needs_the_whole_window_and_a_small_slope() -> None:
    times = np.arange(0.0, 31.0)
    steep, flat = 60.0 + 0.02 * times, 60.0 + 0.001 * times
    assert not settled(times[:10], flat[:10], 20.0, 0.1, 0.0)
    assert settled(times, flat, 20.0, 0.1, 0.0)
    assert not settled(times, steep, 20.0, 0.1, 0.0)
