"""What the losses over load tell, and how far the output moves while the unit warms up."""

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
from zincsmith.judge.judging import judge_run
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Line, Plan
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.static_grid.steps import StaticGrid
from zincsmith.showing.curves import all_curves
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

StartStandIn = Callable[..., RunningStandIn]
PHYSICS = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"


def grid_of(amps: list[float], losses: Callable[[float], float]) -> Evidence:
    """Points of one line at 24 V with these losses, read to 0.05 % of 75 W."""

    def reading(number: int, quantity: str, value: float, unit: str) -> Reading:
        return Reading(
            f"1/{number}/{quantity}", quantity, value, unit, "role", "Meter", "simulated", range=75.0,
            range_percent=0.05 if quantity == "input_power" else 0.001, known=True,
        )  # fmt: skip

    points = []
    for number, i in enumerate(amps, 1):
        c = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": round(100.0 * i / 2.5, 1)}
        readings = (
            reading(number, "input_power", 24.0 * i + losses(i), "W"),
            reading(number, "output_voltage", 24.0, "V"),
            reading(number, "output_current", i, "A"),
        )
        points.append(Point(number, operating_point(c), readings, 0.0))
    return Evidence(tuple(points), True)


def found_in(evidence: Evidence, unit: Unit) -> dict[str, Finding]:
    return {f.name: f for f in StaticGrid().findings(evidence, unit.nameplate, Conventions())}


def test_the_parts_of_the_losses_are_told_and_a_mode_change_where_it_lies(unit: Unit) -> None:
    amps = [float(x) for x in np.linspace(0.0, 2.5, 12)]
    plain = found_in(grid_of(amps, lambda i: 0.8 + 0.9 * i + 0.32 * i**2), unit)
    assert plain["fixed_loss"].value == pytest.approx(0.8, abs=1e-6)
    assert "0.8 W +0.9 V x I +0.32 ohm" in plain["fixed_loss"].working.note
    assert plain["fixed_loss"].u is not None
    assert plain["fixed_loss"].u > 0.0
    assert "mode_change" not in plain
    stepped = found_in(grid_of(amps, lambda i: 0.8 + 0.9 * i + 0.32 * i**2 + (0.6 if i > 1.2 else 0.0)), unit)
    change = stepped["mode_change"]
    assert change.value is not None
    assert change.u is not None
    assert abs(change.value - 1.2) < 1.8 * change.u, "inside the rectangle between the two loads"
    assert len(change.working.rows) == 2


def test_too_few_loads_tell_no_losses(unit: Unit) -> None:
    assert "fixed_loss" not in found_in(grid_of([0.0, 1.25, 2.5], lambda i: 0.8 + i), unit)


def test_the_drift_from_cold_to_warm_is_that_of_the_physics(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """The voltmeter states one limit: nobody knows how much of it leaves the difference."""
    options = GridOptions(lines=(Line(230.0, 50.0),), loads_percent=(100.0, 50.0), cold=True)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Grid", (options,)), standin().addresses)
    closed = scene.run(Actor())
    assert closed.outcome == "complete", closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    found = {j.finding.name: j.finding for j in run.judged if j.finding.value is not None}
    drift = found["warm_up_drift"]
    world = World(Adapter.read(PHYSICS), seed=1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
    world.advance(5.0)
    world.load.current_A, world.load.on = 2.5, True
    world.advance(12.0)
    cold = world.true_value("output_voltage")
    world.advance(1800.0)
    warm = world.true_value("output_voltage")
    assert warm < cold - 0.005, "the physics drifts down"
    assert drift.u is not None
    assert drift.value == pytest.approx(warm - cold, abs=2.0 * drift.u)
    single = found["output_voltage_min"]
    assert single.u is not None
    assert drift.u == pytest.approx(2.0**0.5 * single.u, rel=0.01)
    assert "min between; case" in drift.working.note
    assert not any(p.at.conditions.get("cold") for p in _drawn(run.evidence)), "the cold point is in no curve"
    assert found["output_voltage_max"].value == pytest.approx(
        max(r.value for p in run.evidence.points if "cold" not in p.at.conditions and (r := p.get("output_voltage"))),
    )  # fmt: skip


def _drawn(evidence: Evidence) -> list[Point]:
    """The points whose amps stand on the efficiency curve."""
    xs = {x for c in all_curves(evidence) if c.title.startswith("Efficiency") for _, line, _ in c.lines for x in line}
    return [p for p in evidence.points if (r := p.get("output_current")) is not None and r.value in xs]


def volts_of(rows: list[tuple[float, float]]) -> Evidence:
    """Points of (amps, volts) at one line."""
    points = []
    for number, (amps, volts) in enumerate(rows, 1):
        c = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": round(100.0 * amps / 2.5, 1)}
        read = tuple(
            Reading(
                f"1/{number}/{q}", q, v, u, "role", "Meter", "simulated", range=60.0, range_percent=0.01, known=True
            )
            for q, v, u in (("output_voltage", volts, "V"), ("output_current", amps, "A"))
        )
        points.append(Point(number, operating_point(c), read, 0.0))
    return Evidence(tuple(points), True)


def test_a_supply_out_of_its_band_at_light_load_has_a_minimum_load(unit: Unit) -> None:
    """24 V ±2 %: outside at 0 and 0.1 A, inside from 0.3 A on; a plate that asks for a load is judged from there."""
    rows = [(0.0, 26.1), (0.1, 24.9), (0.3, 24.2), (1.0, 24.1), (2.5, 24.0)]
    plate = replace(unit.nameplate, outputs=(replace(unit.nameplate.output, tolerance_percent=2.0),))
    found = found_in(volts_of(rows), replace(unit, nameplate=plate))
    least = found["minimum_load"]
    assert least.value == pytest.approx(0.2)
    assert least.u == pytest.approx(0.1 / 3.0**0.5)
    assert found["output_voltage_max"].value == 26.1
    asked = replace(plate, outputs=(replace(plate.output, minimum_A=0.25),))
    from_there = found_in(volts_of(rows), replace(unit, nameplate=asked))
    assert from_there["output_voltage_max"].value == 24.2, "nothing is promised below the least load"
    assert from_there["load_regulation"].value == pytest.approx((24.2 - 24.0) / 24.0)
    assert "minimum_load" not in found_in(volts_of(rows[2:]), replace(unit, nameplate=plate)), "inside everywhere"
    low = [(0.0, 24.0), (2.5, 22.0)]
    assert "minimum_load" not in found_in(volts_of(low), replace(unit, nameplate=plate)), "out of it at full load"
