"""Searches: they find the boundary, stay inside their limits, and put points where a curve is least certain."""

from __future__ import annotations

from collections.abc import Generator
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.model.actions import SetLoad
from zincsmith.procedures.search import approach, bisect, predicted_error, refine


def carry_out(search: Generator[Any, Any, Any]) -> tuple[Any, list[float]]:
    """Run a search whose probes ask for one load each; returns its result and the settings it asked for."""
    asked: list[float] = []
    try:
        action = next(search)
        while True:
            asked.append(action.current_A)
            action = search.send(None)
    except StopIteration as end:
        return end.value, asked


def beyond(boundary: float):  # type: ignore[no-untyped-def]
    def probe(x: float) -> Generator[Any, Any, bool]:
        yield SetLoad(x, True)
        return x >= boundary

    return probe


@given(st.floats(0.0, 100.0), st.floats(0.01, 10.0))
def test_bisection_closes_in_on_the_boundary(boundary: float, resolution: float) -> None:
    (below, above), asked = carry_out(bisect(0.0, 100.0, resolution, beyond(boundary)))
    assert below < above <= below + resolution
    assert below < boundary or boundary == 0.0
    assert above >= boundary or above == 100.0
    assert all(0.0 < x < 100.0 for x in asked)
    assert len(asked) <= np.ceil(np.log2(100.0 / resolution)) + 1


@given(st.floats(1.0, 50.0), st.floats(-20.0, 20.0), st.floats(0.05, 7.0), st.floats(0.0, 60.0))
def test_a_limit_is_approached_from_the_safe_side_and_never_crossed(
    start: float, span: float, step: float, boundary: float
) -> None:
    limit = start + span
    sign = 1.0 if span >= 0.0 else -1.0
    found, asked = carry_out(approach(start, limit, step, beyond(boundary) if sign > 0 else below(boundary)))
    assert all(sign * x <= sign * limit + 1e-12 for x in asked)
    assert all(sign * (b - a) > 0.0 for a, b in pairwise(asked))
    if found is None:
        assert asked[-1] == limit, "the limit itself was tried"
    else:
        assert found[1] == asked[-1]


def below(boundary: float):  # type: ignore[no-untyped-def]
    def probe(x: float) -> Generator[Any, Any, bool]:
        yield SetLoad(x, True)
        return x <= boundary

    return probe


def refined(curve: Any, loads: list[float], points: int) -> tuple[list[tuple[float, float]], list[float]]:
    def value(x: float) -> Generator[Any, Any, float]:
        yield SetLoad(x, True)
        return float(curve(x))

    return carry_out(refine([(x, float(curve(x))) for x in loads], points, 1.0, value))


def worst(curve: Any, known: list[tuple[float, float]]) -> float:
    """Largest error of straight lines through the points, against the curve itself."""
    x = np.linspace(known[0][0], known[-1][0], 4001)
    true = np.array([curve(v) for v in x])
    return float(np.max(np.abs(np.interp(x, *np.array(known).T) - true)))


def test_points_go_where_the_curve_bends() -> None:
    def curve(x: float) -> float:
        return 1.0 / (1.0 + 0.5 / x + x / 400.0)

    known, asked = refined(curve, [2.0, 25.0, 50.0, 75.0, 100.0], 8)
    assert sum(x < 25.0 for x in asked) >= 5, "the knee at light load"
    even = [(x, curve(x)) for x in np.linspace(2.0, 100.0, len(known))]
    assert worst(curve, known) < 0.5 * worst(curve, even)


def test_a_jump_does_not_eat_all_points() -> None:
    known, asked = refined(lambda x: 0.85 if x < 48.3 else 0.88, [10.0, 25.0, 50.0, 75.0, 100.0], 30)
    near = [x for x in asked if 47.0 < x < 50.0]
    assert near, "the jump is closed in on"
    assert min(b[0] - a[0] for a, b in pairwise(known)) > 0.5


def test_a_straight_line_needs_no_more_points() -> None:
    _, asked = refined(lambda x: 2.0 * x + 1.0, [0.0, 10.0, 40.0, 100.0], 10)
    assert asked == []
    assert predicted_error([(0.0, 1.0), (10.0, 21.0), (40.0, 81.0)], 1) == pytest.approx(0.0, abs=1e-9)
