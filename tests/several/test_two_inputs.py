"""A unit that mains or a battery feed: a plan for each, told apart by the source of the rig."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene
from tests.several.benches import briefly
from tests.several.conftest import EXAMPLES

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.decide import decide
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import LimitError
from zincsmith.model.events import GateOpened
from zincsmith.model.fed import as_fed, fed_input, left_open
from zincsmith.model.finding import Verdict
from zincsmith.model.rig import Rig
from zincsmith.planning.composer import compose
from zincsmith.planning.limits import Limits
from zincsmith.planning.prediction import predict
from zincsmith.planning.rehearsal import rehearse
from zincsmith.suitability.check import check

UNIT = read_unit(EXAMPLES / "units" / "corvane-cv190.toml")
MAINS, BATTERY = (read_rig(EXAMPLES / "rigs" / f"simulated-two-{one}.toml") for one in ("mains", "battery"))


def test_the_source_of_the_rig_says_which_input_it_is_about() -> None:
    """Rated for what the unit gives on it; a rig with both takes the first; a unit with one input is as it is."""
    plate = as_fed(UNIT, BATTERY).nameplate
    assert [i.name for i in plate.inputs] == ["battery"]
    assert (plate.outputs[0].current_A, plate.outputs[0].power_W) == (8.9, 170.0)
    assert as_fed(UNIT, MAINS).nameplate.outputs[0].current_A == 10.0
    assert (left_open(UNIT.nameplate, MAINS), left_open(UNIT.nameplate, BATTERY)) == (("battery",), ("mains",))
    both = replace(MAINS, instruments=(*MAINS.instruments, *BATTERY.of("dc_source")))
    neither = replace(MAINS, instruments=())
    assert [fed_input(UNIT.nameplate, rig) for rig in (both, neither)] == [0, 0]
    single = read_unit(EXAMPLES / "units" / "ossel-od60.toml")
    assert as_fed(single, BATTERY) is single
    assert left_open(single.nameplate, BATTERY) == ()


def test_a_plan_for_one_input_does_not_go_on_another() -> None:
    on_mains, _ = compose(UNIT, MAINS)
    assert {line.frequency_Hz for part in on_mains.parts for line in part.lines_used} == {50.0, 60.0}
    grid = replace(on_mains, parts=tuple(p for p in on_mains.parts if p.procedure == "static_grid"))
    with pytest.raises(LimitError, match="100 V; the upper end of the unit's rated input is 24 V"):
        rehearse(UNIT, BATTERY, grid)
    most = [Limits.of(UNIT, rig).load_A("", {}, 1.0).value for rig in (MAINS, BATTERY)]
    assert most == pytest.approx([10.0, 8.9])


def test_a_rig_decides_what_is_claimed_of_the_input_that_it_feeds() -> None:
    plan, _ = compose(UNIT, BATTERY)
    prediction = predict(UNIT, BATTERY, plan)
    assert prediction.problem == ""
    decided = {d.claim.text: d.verdict for d in decide(UNIT, BATTERY, prediction.wired, prediction.moved)}
    assert decided == {"19 V ±4 %": "decides", "≤ 17 A": "decides"}


def test_what_stays_open_is_said() -> None:
    plan, _ = compose(UNIT, BATTERY)
    said = [f.text for f in check(UNIT, BATTERY, plan) if f.code == "input_left_open"]
    assert len(said) == 1
    assert "mains stays open, and may be live from inside" in said[0]


def test_each_input_is_judged_by_its_own_ratings(tmp_path: Path, standin: Callable[..., RunningStandIn]) -> None:
    """Two runs in one book, one on each: the claims of an input are judged on it alone, and none lends to the other."""
    scene, first = go(tmp_path, standin, MAINS, "corvane-cv190")
    gates = [w.event.text for w in scene.events(GateOpened)]
    assert any("Nothing is connected to its input battery: that counts as live" in text for text in gates)
    currents = {j.claim.text: j for j in first.judged if j.claim is not None and j.claim.figure == "input_current"}
    assert {text: j.verdict for text, j in currents.items()} == {"≤ 2.6 A": Verdict.HOLDS}
    _, second = go(tmp_path, standin, BATTERY, "corvane-cv190-battery", scene)
    assert second.row.id == 2
    currents = {j.claim.text: j for j in second.judged if j.claim is not None and j.claim.figure == "input_current"}
    assert {text: j.verdict for text, j in currents.items()} == {"≤ 17 A": Verdict.HOLDS}
    for run, amps in ((first, 10.0), (second, 8.9)):
        full = [j.finding for j in run.judged if j.finding.name == "full_load_output_current"]
        assert full
        assert all(f.value == pytest.approx(amps, rel=2e-3) for f in full)
    assert {j.run for j in second.judged} == {None}  # nothing is lent
    assert {p.at.line[1] for p in second.evidence.points if p.at.feeds} <= {0.0}


def go(
    folder: Path, standin: Callable[..., RunningStandIn], rig: Rig, physics: str, scene: Scene | None = None
) -> tuple[Scene, JudgedRun]:
    file = EXAMPLES / "standins" / f"{physics}.toml"
    pick_file(str(file))
    rig = replace(rig, leads=())
    plan, _ = compose(UNIT, rig)
    plan = briefly(replace(plan, parts=tuple(p for p in plan.parts if p.procedure in ("safety_checks", "static_grid"))))
    addresses = standin(file=str(file), lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
    if scene is None:
        scene = Scene.set_up(folder, UNIT, rig, plan, addresses)
    else:
        with BookWriter(scene.path) as writer:
            writer.revise("rig", "bench", rig, "the other input")
            writer.revise("plan", "plan", plan, "the other input")
        scene = replace(scene, addresses=addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    with BookReader(scene.path) as book:
        return scene, judge_run(book)
