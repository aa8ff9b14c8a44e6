"""The coverage that a budget promises, against closed forms and JCGM 101."""

import math

import numpy as np
import pytest

from zincsmith.analysis.coverage import predicted_coverage
from zincsmith.model.finding import Contribution


def flat(*effects: float) -> list[Contribution]:
    return [Contribution(f"source {n}", e, True) for n, e in enumerate(effects)]


@pytest.mark.parametrize(
    ("contributions", "k", "covered"),
    [
        ([Contribution("repeats", 0.3, False, 9.0)], 2.0, 0.9545),
        ([Contribution("repeats", 0.3, False, 9.0)], 1.0, 0.6827),
        (flat(1.0), 1.0, 1.0 / math.sqrt(3.0)),
        (flat(1.0), 2.0, 1.0),
        # Two equal rectangles make a triangle of half-width sqrt 6 u: 1 - (1 - k / sqrt 6)^2.
        (flat(1.0, -1.0), 2.0, 1.0 - (1.0 - 2.0 / math.sqrt(6.0)) ** 2),
        # JCGM 101:2008, 9.2.3 (value from memory): four unit rectangles, 95 % within +-3.88 of u = 2.
        (flat(1.0, 1.0, 1.0, 1.0), 3.88 / 2.0, 0.95),
    ],
)
def test_closed_forms(contributions: list[Contribution], k: float, covered: float) -> None:
    assert predicted_coverage(contributions, k) == pytest.approx(covered, abs=1.5e-3)


def test_many_small_rectangles_are_a_normal() -> None:
    assert predicted_coverage(flat(*np.full(40, 0.1)), 2.0) == pytest.approx(0.9545, abs=1e-3)
    with pytest.raises(ValueError, match="nothing"):
        predicted_coverage(flat(0.0), 2.0)
