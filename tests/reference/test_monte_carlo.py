"""The budgets of a real run against a Monte Carlo of their sources (JCGM 101:2008): 10 000 draws, no sockets.

Each draw moves every source by its own distribution, a rectangle of the data sheet or a normal of the repeats, and
works the formula out anew on the moved readings: nothing is linearized, no sensitivity is shared with what is tested.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence, Set
from pathlib import Path

import numpy as np
import pytest

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.coverage import predicted_coverage
from zincsmith.analysis.efficiency import average_active_efficiency
from zincsmith.analysis.regulation import load_regulation, output_resistance
from zincsmith.analysis.uncertainty import Column, Estimate, Values, propagate
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.reading import Point

DRAWS = 10_000
POWER = ("input_power", "output_voltage", "output_current")


@pytest.fixture(scope="module")
def run(finished_book: Path) -> JudgedRun:
    with BookReader(finished_book) as book:
        return judge_run(book)


def drawn(columns: dict[str, Column], formula: Callable[[Values], float], seed: int, apart: Set[str]) -> np.ndarray:
    """The figure in every draw; the limits named in ``apart`` are drawn anew for each reading."""
    rng = np.random.default_rng(seed)
    pulls: dict[str, np.ndarray] = {}
    out = np.empty(DRAWS)
    for c in columns.values():
        for part in c.parts:
            if part.source not in pulls:
                size = (DRAWS, len(c.values)) if part.source in apart else (DRAWS, 1)
                flat = rng.uniform(-np.sqrt(3.0), np.sqrt(3.0), size)
                pulls[part.source] = flat if part.dof is None else rng.normal(size=size)
    for n in range(DRAWS):
        moved = {
            name: c.values + sum((pulls[p.source][n] * p.effect for p in c.parts), np.zeros(len(c.values)))
            for name, c in columns.items()
        }
        out[n] = formula(moved)
    return out


def at(run: JudgedRun, volts: float, loads: Sequence[float]) -> list[Point]:
    found = {p.at.load_percent: p for p in run.evidence.points if p.at.line_V == volts}
    return [found[load] for load in loads]


FIGURES: dict[str, tuple[tuple[str, ...], tuple[float, ...], Callable[[Values], float]]] = {
    "average_active_efficiency": (
        POWER,
        (100.0, 75.0, 50.0, 25.0),
        lambda v: average_active_efficiency(v["input_power"], v["output_voltage"], v["output_current"]),
    ),
    "load_regulation": (
        ("output_voltage",),
        (0.0, 100.0),
        lambda v: load_regulation(float(v["output_voltage"][0]), float(v["output_voltage"][1]), 24.0),
    ),
    "output_resistance": (
        ("output_voltage", "output_current"),
        (100.0, 75.0, 50.0, 25.0, 10.0, 0.0),
        lambda v: output_resistance(v["output_voltage"], v["output_current"]),
    ),
    "power_factor": (
        ("input_power", "input_voltage", "input_current"),
        (100.0,),
        lambda v: float(v["input_power"][0] / v["input_voltage"][0] / v["input_current"][0]),
    ),
}


@pytest.mark.parametrize("name", FIGURES)
def test_a_budget_covers_as_often_as_it_promises(run: JudgedRun, name: str) -> None:
    quantities, loads, formula = FIGURES[name]
    points = at(run, 230.0, loads)
    columns = {q: column([r for p in points if (r := p.get(q)) is not None]) for q in quantities}
    estimate: Estimate = propagate(formula, columns)
    judged = next(j for j in run.judged if j.finding.name == name and j.finding.at.feed.voltage_V == 230.0)
    assert judged.finding.value == pytest.approx(estimate.value, rel=1e-12), "the same figure as the report prints"
    assert judged.finding.u == pytest.approx(estimate.u, rel=1e-9)
    unsplit = [c for c in estimate.contributions if c.separate is not None]
    found = drawn(columns, formula, 7, {c.source for c in unsplit if not c.alike})
    for one in unsplit:  # each limit the other way round: never worse
        other = {c.source for c in unsplit if c.alike == (c is one)}
        assert float(np.std(drawn(columns, formula, 8, other))) <= 1.03 * estimate.u
    assert float(np.std(found)) == pytest.approx(estimate.u, rel=0.03)
    assert float(np.mean(found)) == pytest.approx(estimate.value, abs=4.0 * estimate.u / np.sqrt(DRAWS))
    covered = float(np.mean(np.abs(found - estimate.value) <= 2.0 * estimate.u))
    assert covered == pytest.approx(predicted_coverage(estimate.contributions, 2.0), abs=0.01)
