"""Standby power: until it is steady, with the load off, against the unit's own physics."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np
import pytest
from tests.conftest import RIG, ROOT, UNIT

from zincsmith.formats.words import permitted_words
from zincsmith.model.actions import Action, Confirm, Done, Measure, Measured, Outcome, SetLoad, SetSource
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point, Reading, Wave
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, Conventions
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.standby.steps import StandbyPower
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

Command = Callable[..., CompletedProcess[str]]
LINE = Line(230.0, 50.0)
POLLED = frozenset({"input_power", "input_voltage", "power_factor", "output_voltage"})


def walk(
    unit: Unit, options: StandbyOptions, power: Callable[[float], float], polled: frozenset[str] = POLLED
) -> tuple[list[Action], list[Point]]:
    """Send a procedure through with a unit that takes ``power`` of the elapsed time."""
    ctx = Context(unit, options, polled, polled | {"input_power"})
    steps, answer = StandbyPower().steps(ctx), None
    actions: list[Action] = []
    points: list[Point] = []
    while True:
        try:
            action = steps.send(answer)  # type: ignore[arg-type]
        except StopIteration:
            return actions, points
        actions.append(action)
        answer = Done()
        if isinstance(action, Measure):
            number = len(points) + 1
            watts = Reading(
                f"1/{number}/input_power", "input_power", power(action.at.conditions["elapsed_s"]), "W", "power_meter",
                "Meter", "simulated", range=1.0, reading_percent=0.1, range_percent=0.1, known=True,
            )  # fmt: skip
            points.append(Point(number, action.at, (watts,), 0.0))
            answer = Measured(points[-1])


def outcome(unit: Unit, options: StandbyOptions, power: Callable[[float], float]):  # type: ignore[no-untyped-def]
    _, points = walk(unit, options, power)
    found = StandbyPower().findings(Evidence(tuple(points), True), unit.nameplate, Conventions())
    return points, found[0]


def test_it_stops_when_steady_and_not_before_a_quarter_of_an_hour(unit: Unit) -> None:
    points, found = outcome(unit, StandbyOptions(lines=(LINE,)), lambda _t: 0.18)
    assert len(points) == 15
    assert found.value == pytest.approx(0.18)
    assert not any(d.code == "not_stable" for d in found.doubts)
    # One setting, one range: (0.1 % of 0.18 W + 0.1 % of 1 W) / sqrt 3, not that over the root of the blocks.
    assert found.u == pytest.approx((0.00018 + 0.001) / np.sqrt(3.0), rel=1e-6)


def test_it_goes_on_while_it_drifts_and_says_so_at_the_ceiling(unit: Unit) -> None:
    settling, found = outcome(unit, StandbyOptions(lines=(LINE,)), lambda t: 0.18 + 0.05 * np.exp(-t / 400.0))
    assert 15 < len(settling) < 60
    assert found.value == pytest.approx(0.18, abs=0.003)
    drifting, found = outcome(unit, StandbyOptions(lines=(LINE,)), lambda t: 0.18 + 0.1 * t / 3600.0)
    assert len(drifting) == 60
    assert any(d.code == "not_stable" for d in found.doubts)


def test_a_load_that_stays_on_is_budgeted_instead_of_taken_off(unit: Unit) -> None:
    off, _ = walk(unit, StandbyOptions(lines=(LINE,)), lambda _t: 0.18)
    gates = [a for a in off if isinstance(a, Confirm)]
    assert [g.title for g in gates] == ["Take the load off", "Put the load back"]
    for gate in gates:  # a hand at the output: the input is off at every gate
        before = [a for a in off[: off.index(gate)] if isinstance(a, SetSource)]
        assert before[-1].on is False
    assert all(not a.on for a in off if isinstance(a, SetLoad))
    options = StandbyOptions(lines=(LINE,), leads="connected", leakage_W=0.04)
    on, _ = walk(unit, options, lambda _t: 0.18)
    assert not any(isinstance(a, Confirm) for a in on)
    _, plain = outcome(unit, replace(options, leakage_W=0.0), lambda _t: 0.18)
    _, found = outcome(unit, options, lambda _t: 0.18)
    assert plain.u is not None
    assert found.u == pytest.approx(np.hypot(plain.u, 0.04 / np.sqrt(3.0)))
    assert "permitted uncertainty not met" in permitted_words(found)
    assert "permitted uncertainty met" in permitted_words(plain)


def test_a_meter_read_by_hand_gives_two_means_to_compare(unit: Unit) -> None:
    options = StandbyOptions(lines=(LINE,), method="average")
    for slope, steady in ((0.0, True), (0.03, False)):
        _, points = walk(unit, options, lambda t, s=slope: 0.18 + s * t / 3600.0, frozenset({"output_voltage"}))  # type: ignore[misc]
        assert len(points) == 2
        found = StandbyPower().findings(Evidence(tuple(points), True), unit.nameplate, Conventions())[0]
        assert any(d.code == "not_stable" for d in found.doubts) is not steady


def test_a_skipped_block_ends_its_line(unit: Unit) -> None:
    ctx = Context(unit, StandbyOptions(lines=(LINE, Line(115.0, 60.0))), POLLED, POLLED)
    steps, answer, measured = StandbyPower().steps(ctx), None, 0
    while True:
        try:
            action = steps.send(answer)  # type: ignore[arg-type]
        except StopIteration:
            break
        measured += isinstance(action, Measure)
        answer: Outcome | None = Done()  # type: ignore[no-redef]
    assert measured == 2


@pytest.mark.long  # test_truth holds the same figure against the unit
def test_a_run_agrees_with_the_units_own_physics(command: Command, tmp_path: Path) -> None:
    plan, book = tmp_path / "standby.toml", tmp_path / "a.zbook"
    plan.write_text('name = "Standby"\n[[part]]\nprocedure = "standby"\nlines = [[230, 50]]\n')
    done = command("run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", book, "--yes", "--operator", "T")
    assert done.returncode in (0, 1), done.stderr
    found = json.loads(command("findings", book, "--json").stdout)["findings"]
    idle = next(f for f in found if f["name"] == "no_load_power" and f["value"] is not None)
    physics = next(f for f in (ROOT / "examples" / "standins").glob("tarnbrook*.toml"))
    world = World(Adapter.read(physics), 1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
    world.changed()
    world.advance(1200.0)
    true = world.true_value("input_power")
    assert abs(idle["value"] - true) < idle["u"] * idle["k"]
    assert idle["conditions"] == {"input_voltage_V": 230.0, "frequency_Hz": 50.0}
    assert idle["verdict"] in ("holds", "too close to call")
    readings = idle["working"]["rows"][0]["readings"]
    assert len(readings) == 10, "the blocks of the last two thirds"


def test_the_uncertainty_allowed_grows_with_crest_over_power_factor(unit: Unit) -> None:
    """IEC 62301 (value from memory): at a maximum current ratio of 60, 0.02 (1 + 0.08 x 50) = 10 % of 0.5 W are
    allowed, 50 mW, where 20 mW would be without it. 40 mW are doubted only without a record."""
    x = 2.0 * np.pi * 50.0 * np.arange(10_000) / 10_000.0
    volts, amps = 325.0 * np.sin(x), np.where(np.abs(np.sin(x + 1.2)) > 0.9995, np.sign(np.sin(x + 1.2)), 0.0)
    waves, samples = [], {}
    for quantity, record in (("input_voltage", volts), ("input_current", amps)):
        data = record.astype("<f8").tobytes()
        sha256 = hashlib.sha256(data).hexdigest()
        samples[sha256] = data
        waves.append(Wave(quantity, "V", 1e-4, len(x), 1.0, sha256, "power_meter", "Meter", "f8"))

    def found(with_record: bool) -> Finding:
        points = []
        for n in range(1, 16):
            watts = Reading(
                f"1/{n}/input_power", "input_power", 0.5, "W", "power_meter", "Meter", "simulated", range=10.0,
                offset=0.02 * 3.0**0.5, known=True,
            )  # fmt: skip
            c = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 0.0, "elapsed_s": 60.0 * n}
            points.append(
                Point(n, operating_point(c), (watts,), 0.0, waves=tuple(waves) if with_record and n == 1 else ())
            )
        evidence = Evidence(tuple(points), True, samples=samples)
        return StandbyPower().findings(evidence, unit.nameplate, Conventions())[0]

    plain, recorded = found(False), found(True)
    assert "permitted uncertainty not met: 0.033 of 0.020 W" in permitted_words(plain)
    assert "no record shows the MCR" in plain.permitted_by
    ratio = re.search(r"\(MCR\) (\d+)", recorded.working.note)
    assert ratio is not None
    assert float(ratio.group(1)) > 50.0
    assert "permitted uncertainty met" in permitted_words(recorded)
