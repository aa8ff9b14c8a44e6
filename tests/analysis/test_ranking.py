"""Rankings by a recipe: worked by hand, and the weight that turns one found again by trying weights."""

from __future__ import annotations

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from zincsmith.analysis.ranking import Wish, scored, turns

EFF, IDLE = Wish("efficiency", 0.80, 0.90, 2.0), Wish("idle", 0.3, 0.1, 1.0)
UNITS = {
    "A": {"efficiency": (0.88, 0.001), "idle": (0.20, 0.002)},  # 80 and 50 points: (160 + 50) / 3
    "B": {"efficiency": (0.86, 0.001), "idle": (0.10, 0.002)},  # 60 and 100: (120 + 100) / 3
    "C": {"efficiency": (0.95, 0.001), "idle": (0.50, 0.002)},  # beyond both ends: 100 and 0
}


def test_a_ranking_worked_by_hand() -> None:
    found = {s.name: s for s in scored((EFF, IDLE), UNITS)}
    assert found["A"].score == pytest.approx(70.0)
    assert found["B"].score == pytest.approx(220.0 / 3.0)
    assert found["C"].score == pytest.approx(200.0 / 3.0)
    assert [s.name for s in scored((EFF, IDLE), UNITS)] == ["B", "A", "C"]
    assert [found[n].rank for n in "BAC"] == [1, 2, 3]
    # A: 2/3 of 1000 points a unit times 0.001, and 1/3 of 500 times 0.002, in square
    assert found["A"].u == pytest.approx(((2 / 3 * 1000 * 0.001) ** 2 + (1 / 3 * 500 * 0.002) ** 2) ** 0.5)
    assert found["C"].u == 0.0, "beyond the ends nothing moves it"


def test_ranks_are_shared_where_nobody_can_tell() -> None:
    near = {**UNITS, "D": {"efficiency": (0.8801, 0.001), "idle": (0.20, 0.002)}}
    found = {s.name: s.rank for s in scored((EFF, IDLE), near)}
    assert found["A"] == found["D"] == 2
    assert found["C"] == 4


def test_the_weight_that_turns_it() -> None:
    """By hand: B leads A by 50 on idle and trails by 20 on efficiency: equal at an idle weight of 2 * 20 / 50 = 0.8."""
    idle = next(t for t in turns((EFF, IDLE), UNITS) if t.figure == "idle")
    assert (idle.turns_at, idle.winner) == (pytest.approx(0.8), "A")
    efficiency = next(t for t in turns((EFF, IDLE), UNITS) if t.figure == "efficiency")
    assert (efficiency.turns_at, efficiency.winner) == (pytest.approx(2.5), "A")
    assert [t.turns_at for t in turns((EFF,), {"A": UNITS["A"]})] == [None]


VALUES = st.integers(0, 100).map(lambda n: n / 100.0)


@given(st.lists(st.tuples(VALUES, VALUES, VALUES), min_size=2, max_size=6), st.tuples(*[st.floats(0.1, 5.0)] * 3))
def test_turning_weights_are_those_that_trying_finds(rows: list[tuple[float, ...]], weights: tuple[float, ...]) -> None:
    """Brute force: just beyond the weight another is first, up to it the same one."""
    units = {f"U{n}": {f: (v, 0.0) for f, v in zip("xyz", row, strict=True)} for n, row in enumerate(rows)}
    wishes = tuple(Wish(f, 0.0, 1.0, w) for f, w in zip("xyz", weights, strict=True))
    order = scored(wishes, units)
    assume(order[0].score - order[1].score > 0.5)
    for k, turn in enumerate(turns(wishes, units)):

        def first(weight: float, k: int = k) -> str:
            changed = tuple(Wish(w.figure, 0.0, 1.0, weight if n == k else w.weight) for n, w in enumerate(wishes))
            return scored(changed, units)[0].name

        span = 20.0 if turn.turns_at is None else abs(turn.turns_at - turn.weight)
        for share in (0.2, 0.6, 0.95):  # nothing turns before it does
            for weight in (turn.weight - share * span, turn.weight + share * span):
                assert weight < 0.0 or first(weight) == order[0].name
        if turn.turns_at is not None and turn.turns_at < 1e3:
            beyond = turn.turns_at + 1e-6 * (1.0 + turn.turns_at) * (1.0 if turn.turns_at > turn.weight else -1.0)
            assert beyond < 0.0 or first(beyond) != order[0].name or abs(gap(wishes, units, k, beyond)) < 1e-3


def gap(wishes: tuple[Wish, ...], units: dict[str, dict[str, tuple[float, float]]], k: int, weight: float) -> float:
    changed = tuple(Wish(w.figure, 0.0, 1.0, weight if n == k else w.weight) for n, w in enumerate(wishes))
    order = scored(changed, units)
    return order[0].score - order[1].score


def test_a_recipe_without_weights_is_none() -> None:
    with pytest.raises(ValueError, match="more than nothing"):
        scored((Wish("efficiency", 0.8, 0.9, 0.0),), UNITS)
