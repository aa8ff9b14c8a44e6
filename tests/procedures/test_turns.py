"""Two points in turns: what their spread shows, what it does not, and the effect of a step at once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.claims import claims_of
from zincsmith.judge.judging import judge, judge_run
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.operating_point import Purpose, operating_point
from zincsmith.model.plan import Line, Plan
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.static_grid.steps import StaticGrid
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

StartStandIn = Callable[..., RunningStandIn]
DRIFT = 2e-3  # V a reading
LIMIT = 0.05  # percent of 60 V: 30 mV, against a difference of 12 mV


def taken(turns: int, noise: float = 0.0, span: float = 60.0, second: float = 60.0) -> list[Point]:
    """Full load and no load in turns, 12 mV apart, drifting evenly; ``second`` is the range of the lighter one."""
    dice = np.random.default_rng(4)
    out = []
    for n in range(2 * turns + 1):
        light = n % 2 == 1
        volts = 24.0 + 0.012 * light + DRIFT * n + noise * dice.normal()
        at = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 0.0 if light else 100.0}
        volt = Reading(f"1/{n + 3}/v", "output_voltage", volts, "V", "voltmeter", "V1", "simulated",
                       range=second if light else span, range_percent=LIMIT, resolution=1e-4, known=True)  # fmt: skip
        out.append(Point(n + 3, operating_point({**at, "turn": float(n // 2 + 1)}), (volt,), 20.0 * n, True))
    return out


def regulation(unit: Unit, turns: list[Point]) -> Finding:
    """The first two points are those of the grid itself, fed with the same volts."""
    first = [replace(p, number=n + 1, at=p.at.at_place)
             for n, p in enumerate(taken(1)[:2])]  # fmt: skip
    found = StaticGrid().findings(Evidence((*first, *turns), True), unit.nameplate, Conventions())
    return next(f for f in found if f.name == "load_regulation")


def test_a_difference_is_as_good_as_its_turns_show(unit: Unit) -> None:
    """By plain formulas: mean and standard deviation of the differences, each between the two beside it."""
    points = taken(5, noise=1e-3)
    volts = [r.value or 0.0 for p in points if (r := p.get("output_voltage"))]
    each = [volts[n] - (volts[n - 1] + volts[n + 1]) / 2.0 for n in range(1, 11, 2)]
    found = regulation(unit, points)
    assert found.value == pytest.approx(float(np.mean(each)) / 24.0, rel=1e-9)
    assert found.u is not None
    spread = float(np.std(each, ddof=1)) / 5**0.5 / 24.0
    step = 1e-4 / 12.0**0.5 / 24.0
    assert spread < found.u < (spread**2 + 2 * step**2) ** 0.5
    assert found.dof is not None
    assert 4.0 <= found.dof < 4.5, "four degrees of freedom, a little more for the display"
    assert "5 turns back and forth" in found.working.note
    one_by_one = regulation(unit, [])
    assert one_by_one.u is not None
    assert found.u < 0.1 * one_by_one.u, "alone the two readings may each err by the whole limit"


def test_an_even_drift_cancels(unit: Unit) -> None:
    assert regulation(unit, taken(3)).value == pytest.approx(0.012 / 24.0, rel=1e-9)
    assert regulation(unit, []).value == pytest.approx((0.012 + DRIFT) / 24.0, rel=1e-9)


@pytest.mark.parametrize("points", [taken(2), taken(5, second=600.0)], ids=["too few", "two ranges"])
def test_what_shows_nothing_changes_nothing(unit: Unit, points: list[Point]) -> None:
    """Two differences are no spread; readings on two ranges share nothing that could cancel."""
    found, plain = regulation(unit, points), regulation(unit, [])
    assert found.u is not None
    assert plain.u is not None
    assert "evidence" not in found.working.note
    assert found.u > 0.5 * plain.u


def test_a_claim_that_only_the_convention_leaves_open_names_both_ways_out(unit: Unit) -> None:
    claims = [c for c in claims_of(unit.nameplate) if c.figure == "load_regulation"]
    tight = [replace(c, low=-0.0008, high=0.0008) for c in claims]
    evidence = Evidence(tuple(taken(5)), True)
    (open_,) = judge([regulation(unit, [])], tight, evidence)
    assert open_.verdict is Verdict.TOO_CLOSE
    said = next(d for d in open_.finding.doubts if d.code == "split_unknown").remedy
    assert "transfer" in said
    assert "two loads in turns" in said
    (shown,) = judge([regulation(unit, taken(5))], tight, evidence)
    assert shown.verdict is Verdict.HOLDS


@pytest.mark.long  # what turns tell is tested without a bench above
def test_a_run_takes_turns_and_tells_the_effect_of_the_step_at_once(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Against the physics of the stand-in: right after the step the unit is as warm as it was at full load."""
    options = GridOptions(
        lines=(Line(115.0, 60.0), Line(230.0, 50.0)), loads_percent=(100.0, 0.0), warm_up_s=1800.0, rewarm_s=600.0,
        turns=5, at_once_s=2.0, line_turns=3,
    )  # fmt: skip
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Grid", (options,)), standin().addresses)
    closed = scene.run(Actor())
    assert closed.outcome == "complete", closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    points = run.evidence.points
    assert sum(p.at.step is Purpose.TURN and p.at.after_step_s is not None for p in points) == 2 * 5
    assert [p.at.line_V for p in points if p.at.step is Purpose.LINE_TURN] == [230.0, 115.0] * 3 + [230.0]
    found = {(f.name, f.at.feed.voltage_V): f for j in run.judged if (f := j.finding).value is not None}
    one = next(f for (name, _), f in found.items() if name == "output_voltage_min")
    assert one.u is not None
    alone = 2.0**0.5 * one.u / 24.0  # what two readings that share nothing leave of the difference
    for volts, hertz in ((115.0, 60.0), (230.0, 50.0)):
        world = World(Adapter.read(ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"), seed=1)
        world.source.voltage_V, world.source.frequency_Hz, world.source.on = volts, hertz, True
        world.load.current_A, world.load.on = 2.5, True
        world.advance(2400.0)
        before = world.true_value("output_voltage")
        world.load.on = False
        world.advance(3.0)
        at_once = found["load_regulation_at_once", volts]
        assert at_once.at.after_step_s == 2.0
        assert at_once.value is not None
        assert at_once.u is not None
        true = (world.true_value("output_voltage") - before) / 24.0
        assert abs(at_once.value - true) < 2.0 * at_once.u + 2e-6
        settled = found["load_regulation", volts]
        assert settled.u is not None
        assert settled.u < alone, "what warms and cools between two readings is in the spread too"
        assert "5 turns back and forth" in settled.working.note
        assert settled.value == pytest.approx(true, abs=3e-4)
    line = found["line_regulation", None]
    assert line.u is not None
    assert line.u < alone
    assert "3 turns" in line.working.note
