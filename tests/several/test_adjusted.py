"""Volts that are moved at terminals of the unit: trim and sense against closed forms, and people who forget."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES
from tests.several.hands import Fitter

from zincsmith.analysis.envelope import CLEAR_OF_LIMIT
from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import judge_run
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line, Plan
from zincsmith.model.unit import Signal, Unit
from zincsmith.procedures.control_signals.options import ControlOptions

LEAD_OHM = 0.08
DOES = {"at its lowest": "unit,TRIM -0.08", "at its highest": "unit,TRIM 0.05", "as it was": "unit,TRIM 0",
        "at the unit": "unit,SENSE UNIT", "at the load": "unit,SENSE LOAD", " open": "unit,SENSE OPEN"}  # fmt: skip


@pytest.fixture
def adjusted(tmp_path: Path, standin: Callable[..., RunningStandIn]) -> Callable[..., dict[tuple[str, str], Finding]]:
    def go(
        unit: Unit, name: str, bench: str, line: Line, does: dict[str, str] = DOES
    ) -> dict[tuple[str, str], Finding]:
        file = EXAMPLES / "standins" / f"{name}.toml"
        pick_file(str(file))
        rig = replace(read_rig(EXAMPLES / "rigs" / f"{bench}.toml"), leads=())
        addresses = standin(file=str(file), lead_ohm=LEAD_OHM, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
        scene = Scene.set_up(tmp_path, unit, rig, Plan("Part", (ControlOptions(line=line),)), addresses)
        with telling_the_standin() as tell:
            fitter = Fitter(scene, tell, does)
            closed = scene.run(Actor(fitter))
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        with BookReader(scene.path) as book:
            run = judge_run(book)
        return {(j.finding.name, j.finding.output): j.finding for j in run.judged}

    return go


def near(finding: Finding, truth: float) -> bool:
    return abs(finding.number - truth) <= 2.5 * (finding.u or 0.0) + 1e-9


def test_a_trim_is_told_both_ways(adjusted: Callable[..., dict[tuple[str, str], Finding]]) -> None:
    """As much as the regulator was moved, less what its own resistance takes of the raised volts."""
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    assert [one.what for one in unit.nameplate.signals] == ["trim"]
    found = adjusted(unit, "netherby-nb5", "simulated-dc", Line(12.0, 0.0))
    assert found["trim_up", ""].number == pytest.approx(0.05, abs=0.001)
    assert found["trim_down", ""].number == pytest.approx(0.08, abs=0.001)
    assert not found["trim_up", ""].doubts


def test_a_trim_that_nobody_turns_is_doubted(adjusted: Callable[..., dict[tuple[str, str], Finding]]) -> None:
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    found = adjusted(unit, "netherby-nb5", "simulated-dc", Line(12.0, 0.0), {})
    for name in ("trim_up", "trim_down"):
        assert {d.code for d in found[name, ""].doubts} == {"trim_without_effect"}


def test_each_rail_of_several_is_trimmed_with_the_bus(
    adjusted: Callable[..., dict[tuple[str, str], Finding]],
) -> None:
    unit = read_unit(EXAMPLES / "units" / "skerrow-sd15.toml")
    plate = replace(unit.nameplate, signals=(Signal("TRIM", "trim"),))
    found = adjusted(replace(unit, nameplate=plate), "skerrow-sd15", "simulated-dual", Line(24.0, 0.0))
    for port in ("+15 V", "-15 V"):
        assert found["trim_up", port].number == pytest.approx(0.05, abs=0.003)
        assert found["trim_down", port].number == pytest.approx(0.08, abs=0.003)


@pytest.mark.parametrize("does", [DOES, {}])
def test_sense_makes_up_what_the_leads_drop(
    adjusted: Callable[..., dict[tuple[str, str], Finding]], does: dict[str, str]
) -> None:
    """I R of the leads, at half of 3 A clear of its limit; open, the volts rise by what the stand-in lets them."""
    unit = read_unit(EXAMPLES / "units" / "lathom-lb303.toml")
    found = adjusted(unit, "lathom-lb303", "simulated-supply", Line(230.0, 50.0), does)
    drop = LEAD_OHM * 0.5 * CLEAR_OF_LIMIT * 3.0
    if does:
        assert found["sense_makes_up", ""].number == pytest.approx(drop, abs=0.05 * drop)
        assert near(found["sense_left", ""], 0.0)
        assert found["sense_open", ""].number == pytest.approx(30.0 * 1.03, rel=2e-3)
        assert not found["sense_makes_up", ""].doubts
    else:
        assert near(found["sense_left", ""], -drop)
        assert {d.code for d in found["sense_makes_up", ""].doubts} == {"sense_makes_up_little"}
