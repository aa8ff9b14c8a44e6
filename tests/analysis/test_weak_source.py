"""A source that gives way, against closed forms and SciPy."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path

import pytest
from scipy.integrate import quad

from zincsmith.analysis.weak_source import WeakSource, comes_up, meeting, run_time_h


def test_constant_power_meets_a_resistance_where_the_quadratic_says() -> None:
    """V (V0 - V) = P R, the higher root; none beyond V0^2 / (4 R). Closed form."""
    source = WeakSource(12.0, 1.5)
    at = meeting(source, lambda _v: 18.0, 6.0)
    assert at is not None
    assert at.voltage_V == pytest.approx((12.0 + math.sqrt(144.0 - 4.0 * 18.0 * 1.5)) / 2.0, abs=1e-9)
    assert at.current_A == pytest.approx(18.0 / at.voltage_V)
    assert source.most_W == pytest.approx(24.0)
    assert meeting(source, lambda _v: 24.1, 1.0) is None
    assert meeting(source, lambda _v: 18.0, 9.1) is None, "it would stand at 9 V, and stops above"


def test_a_limit_of_current_ends_it_earlier() -> None:
    """5 V and no more than 0.9 A: 4.5 W at most, whatever the resistance; what takes 5 W has no place to stand."""
    port = WeakSource(5.0, 0.01, 0.9)
    assert meeting(port, lambda _v: 5.0, 2.0) is None
    at = meeting(port, lambda _v: 4.0, 2.0)
    assert at is not None
    assert at.voltage_V == pytest.approx(5.0, abs=0.01)
    assert port.most_W == pytest.approx(0.9 * (5.0 - 0.009))


def test_what_runs_there_may_not_come_up_there() -> None:
    """A cell at 3.1 V carries a unit that stops at 2.9 V and starts at 3.3 V: it would run on, and not start."""
    cell = WeakSource(3.1, 0.05)
    assert meeting(cell, lambda _v: 3.0, 2.9) is not None
    assert not comes_up(cell, lambda _v: 3.0, 3.3, 2.9)
    assert comes_up(WeakSource(3.6, 0.05), lambda _v: 3.0, 3.3, 2.9)


def test_the_time_of_a_cell_is_the_integral_of_its_charge() -> None:
    """t = C times the integral of dq / I(q), by SciPy; from 4.2 to 3.0 V along a line, until it stops at 3.2 V."""
    ohm, watts, capacity = 0.08, 5.0, 3.0
    line = [(0.0, 3.0), (1.0, 4.2)]
    hours, used = run_time_h(line, capacity, ohm, lambda _v: watts, 3.2)

    def current(share: float) -> float:
        open_V = 3.0 + 1.2 * share
        return watts / ((open_V + math.sqrt(open_V**2 - 4.0 * watts * ohm)) / 2.0)

    ends = (3.2 + watts / 3.2 * ohm - 3.0) / 1.2  # where the open volts are those at which it stops under load
    truth = capacity * quad(lambda q: 1.0 / current(q), ends, 1.0)[0]
    assert used == pytest.approx(1.0 - ends, abs=0.003)
    assert hours == pytest.approx(truth, rel=0.004)
    with pytest.raises(ValueError, match="at two shares at least"):
        run_time_h([(1.0, 4.2)], 3.0, 0.1, lambda _v: 1.0, 3.0)
    with pytest.raises(ValueError, match="rising with it"):
        run_time_h([(0.0, 4.2), (1.0, 3.0)], 3.0, 0.1, lambda _v: 1.0, 3.0)


def test_by_command_line_from_what_was_measured(command: Callable[..., object], finished_book: Path) -> None:
    """The adapter of the book on leads of 8 ohm at 120 V: by the quadratic with the watts that it took at 115 V."""
    found = json.loads(command("weak-source", finished_book, "--open", 120, "--ohm", 8, "--json").stdout)  # type: ignore[attr-defined]
    assert found["comes_up"] is True
    watts = found["voltage_V"] * found["current_A"]
    assert 60.0 < watts < 90.0
    assert found["voltage_V"] == pytest.approx((120.0 + math.sqrt(120.0**2 - 4.0 * watts * 8.0)) / 2.0, abs=0.05)
    said = command("weak-source", finished_book, "--open", 120, "--ohm", 60)
    assert "It is not carried" in said.stdout  # type: ignore[attr-defined]
    refused = command("weak-source", finished_book, "--open", 400, "--ohm", 1)
    assert (refused.returncode, "lie above" in refused.stderr) == (2, True)  # type: ignore[attr-defined]
