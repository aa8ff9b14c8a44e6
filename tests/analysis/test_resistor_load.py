"""Banks of resistors with binary steps reach any load with few parts."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.resistor_load import bank_ohm, bank_steps, current_A

BINARY = (1.0, 2.0, 4.0, 8.0, 16.0, 32.0)


def test_steps_of_the_trade() -> None:
    """Trade notes, section 3 (common practice, no source): 37 = 32 + 4 + 1; power goes with V squared."""
    assert bank_steps(BINARY, 24.0, 24.0, 37.0 / 24.0) == (32.0, 4.0, 1.0)
    steps = bank_steps(BINARY, 24.0, 12.0, 9.25 / 12.0)
    assert steps == (32.0, 4.0, 1.0), "a quarter of the watts at half of the volts"
    assert current_A(12.0, bank_ohm(steps, 24.0)) * 12.0 == pytest.approx(9.25)


@given(st.floats(0.0, 63.0))
def test_binary_steps_come_within_half_of_the_smallest(watts: float) -> None:
    steps = bank_steps(BINARY, 24.0, 24.0, watts / 24.0)
    assert abs(sum(steps) - watts) <= 0.5 + 1e-9
    assert list(steps) == sorted(set(steps), reverse=True), "each step once"


def test_what_is_no_bank_is_said() -> None:
    with pytest.raises(ValueError, match="12 steps at most"):
        bank_steps([1.0] * 13, 24.0, 24.0, 1.0)
    with pytest.raises(ValueError, match="no step"):
        bank_ohm((), 24.0)
