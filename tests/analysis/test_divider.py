"""Dividers and preferred values, against tables and drawn parts."""

from __future__ import annotations

import json
from collections.abc import Callable

import numpy as np
import pytest

from zincsmith.analysis.divider import lower_for, output_V, pairs, preferred, spread, trims, upper_for


def test_preferred_values_are_those_of_the_standard() -> None:
    """IEC 60063, values from memory: the whole of E12, and values of E48, E96 and E192 where rounding could err."""
    assert preferred("E12") == (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
    assert [len(preferred(s)) for s in ("E3", "E6", "E24", "E48", "E96", "E192")] == [3, 6, 24, 48, 96, 192]
    assert {1.05, 1.21, 3.16, 4.64, 8.25, 9.53} <= set(preferred("E48"))
    assert {1.02, 2.94, 4.99, 6.19, 9.76} <= set(preferred("E96"))
    assert {1.01, 9.2, 9.88} <= set(preferred("E192"))
    assert 9.19 not in preferred("E192")
    with pytest.raises(ValueError, match="there is no series"):
        preferred("E13")


def test_both_ways_and_trimmed() -> None:
    """1.23 V behind 3.1 k over 1 k is 5.043 V; 12 V want 8.756 k; by hand. A trim put in gives what it was for."""
    assert output_V(1.23, 3100.0, 1000.0) == pytest.approx(5.043)
    assert upper_for(1.23, 12.0, 1000.0) == pytest.approx(8756.1, abs=0.1)
    assert lower_for(1.23, 12.0, 8756.1) == pytest.approx(1000.0, abs=0.1)
    raised, _ = trims(1.23, 3100.0, 1000.0, 5.5)
    _, lowered = trims(1.23, 3100.0, 1000.0, 4.8)
    assert raised is not None
    assert lowered is not None
    assert output_V(1.23, 3100.0, 1.0 / (1.0 / 1000.0 + 1.0 / raised)) == pytest.approx(5.5)
    assert output_V(1.23, 1.0 / (1.0 / 3100.0 + 1.0 / lowered), 1000.0) == pytest.approx(4.8)


def test_the_spread_is_that_of_drawn_parts() -> None:
    """200 000 sets of parts drawn evenly within 1 % and a reference within 2 %, by NumPy."""
    draws = np.random.default_rng(5)
    ref, upper, lower = (nominal * (1.0 + limit * draws.uniform(-1.0, 1.0, 200_000))
                         for nominal, limit in ((1.23, 0.02), (31e3, 0.01), (10e3, 0.01)))  # fmt: skip
    drawn = ref * (1.0 + upper / lower)
    found = spread(1.23, 31e3, 10e3, 0.01, 0.02)
    assert found.u_V == pytest.approx(float(np.std(drawn)), rel=0.01)
    assert found.low_V <= drawn.min()
    assert found.high_V >= drawn.max()
    assert found.high_V == pytest.approx(1.23 * 1.02 * (1.0 + 31e3 * 1.01 / (10e3 * 0.99)))


def test_the_best_pair_is_found_among_all() -> None:
    best = pairs(1.23, 5.0, "E24", 1e-4)[0]
    every = [(abs(output_V(1.23, u * 10.0**d, v * 1e4) - 5.0), u * 10.0**d, v * 1e4)
             for u in preferred("E24") for v in preferred("E24") for d in (3, 4, 5)
             if 1.23 / 3e-4 <= v * 1e4 <= 3.0 * 1.23 / 1e-4]  # fmt: skip
    assert abs(best.out_V - 5.0) <= min(every)[0] + 1e-12
    assert 1.23 / 3e-4 <= best.lower_ohm <= 3.0 * 1.23 / 1e-4
    with pytest.raises(ValueError, match="above its reference"):
        pairs(5.0, 3.3, "E24", 1e-4)


def test_by_command_line(command: Callable[..., object]) -> None:
    said = command("divider", "--ref", 1.23, "--upper", "3.1k", "--lower", "1k", "--out", 5.5)
    assert "3.1 kohm over 1 kohm: 5.043 V" in said.stdout  # type: ignore[attr-defined]
    assert "across the lower one makes it 5.5 V" in said.stdout  # type: ignore[attr-defined]
    found = json.loads(command("divider", "--ref", 0.6, "--out", 3.3, "--series", "E96", "--json").stdout)  # type: ignore[attr-defined]
    assert found["pairs"][0]["output_V"] == pytest.approx(3.3, rel=2e-3)
    refused = command("divider", "--ref", 1.23)
    assert refused.returncode == 2  # type: ignore[attr-defined]
