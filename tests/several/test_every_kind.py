"""Every example that has its physics goes the whole way of the plan composed for it, on a bench that fits it."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene, by_hand
from tests.several.benches import briefly
from tests.several.conftest import stands_zeros
from tests.several.hands import person

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import NO_PROCEDURE, all_claims
from zincsmith.judge.judging import judge_run
from zincsmith.model.finding import Verdict
from zincsmith.planning.composer import compose
from zincsmith.suitability.case import Severity
from zincsmith.suitability.check import check

pytestmark = pytest.mark.usefixtures("unhurried")

EXAMPLES = ROOT / "examples"
BENCHES: dict[str, str] = tomllib.loads((EXAMPLES / "benches.toml").read_text("utf-8"))


def test_every_unit_has_its_physics_and_procedures() -> None:
    """None of their claims reads *no procedure yet*."""
    for file in sorted((EXAMPLES / "units").glob("*.toml")):
        unit = read_unit(file)
        assert (EXAMPLES / "standins" / file.name).exists(), file.stem
        assert file.stem in BENCHES
        assert [c.text for c in all_claims(unit.nameplate) if c.kept and c.procedure == NO_PROCEDURE] == []


@pytest.mark.parametrize("name", ["dunmarrow-dm120", "ferrowby-px350", "netherby-boost-cable", "maristow-m90c"])
def test_nothing_about_its_bench_refuses_arming(name: str) -> None:
    unit, rig = read_unit(EXAMPLES / "units" / f"{name}.toml"), read_rig(EXAMPLES / "rigs" / f"{BENCHES[name]}.toml")
    plan, _ = compose(unit, rig)
    assert [f.code for f in check(unit, rig, plan) if f.severity is Severity.STOP] == []


@pytest.mark.long  # each a run of hours on its bench; the kinds' own procedures are in the short run
@pytest.mark.parametrize("name", sorted(BENCHES))
def test_a_whole_composed_plan_ends_with_verdicts(
    name: str, tmp_path: Path, standin: Callable[..., RunningStandIn]
) -> None:
    unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
    physics = EXAMPLES / "standins" / f"{name}.toml"
    pick_file(str(physics))
    rig = replace(read_rig(EXAMPLES / "rigs" / f"{BENCHES[name]}.toml"), leads=())
    plan, _ = compose(unit, rig)
    addresses = standin(file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
    scene = Scene.set_up(tmp_path, unit, rig, briefly(plan), addresses)
    closed = scene.run(Actor())
    gives_way = name == "hartsop-u90"  # at the end, with all ports asked for what its label says of them together
    assert (closed.outcome, closed.unconfirmed) == ("tripped" if gives_way else "complete", ()), closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    stands_zeros(run)
    claimed = [j for j in run.judged if j.claim is not None]
    tested = [j for j in claimed if j.verdict in (Verdict.HOLDS, Verdict.FAILS, Verdict.TOO_CLOSE)]
    partly = [j for j in claimed if j.words == "tested in part"]
    assert tested or partly
    if gives_way:
        return
    nothing = {j.claim.figure for j in claimed if j.claim is not None and j.finding.value is None}
    assert nothing <= {"ripple", "load_step", "hold_up", "hot_spot", "surge_power"}, (
        "what needs a scope, or hours, is not on this bench; beyond its rating it goes by name only"
    )


METERS = ("power_meter", "voltmeter", "thermometer", "output_power_meter")
HANDS = {
    "all by hand": (*METERS, "ac_source", "dc_source", "load", "sink_controller", "unit_interface"),
    "mixed": ("voltmeter", "load"),
}
SHORT = {("netherby-nb5", "all by hand")}
LONG = {
    ("netherby-boost-cable", "mixed"),
    ("tarnbrook-tb2425", "mixed"), ("skerrow-sd15", "all by hand"), ("hartsop-u90", "all by hand"),
    ("lathom-lb303", "all by hand"), ("thornwade-tw300", "all by hand"), ("brindlow-of45", "mixed"),
}  # fmt: skip
EVERY = {(name, hands) for name in BENCHES for hands in HANDS}
WALKED = EVERY if "ZINCSMITH_KINDS" in os.environ else SHORT | LONG  # every one of them with make test-seeds


@pytest.mark.parametrize(
    ("name", "hands"),
    [pytest.param(*one, marks=() if one in SHORT else pytest.mark.long) for one in sorted(WALKED)],
)
def test_a_whole_composed_plan_by_hand(
    name: str, hands: str, tmp_path: Path, standin: Callable[..., RunningStandIn]
) -> None:
    """A person turns what the gates ask for and types what the meters show, on the range that the prompt names. No
    claim is left without a verdict but those whose instrument is not there, or that go by name only."""
    unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
    physics = EXAMPLES / "standins" / f"{name}.toml"
    pick_file(str(physics))
    rig = by_hand(replace(read_rig(EXAMPLES / "rigs" / f"{BENCHES[name]}.toml"), leads=()), *HANDS[hands])
    plan, _ = compose(unit, rig)
    addresses = standin(file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
    scene = Scene.set_up(tmp_path, unit, rig, briefly(plan), addresses)
    with person(scene, rig, addresses) as somebody:
        actor = Actor(somebody)
        closed = scene.run(actor)
    gives_way = name == "hartsop-u90"  # as by wire
    assert (closed.outcome, closed.unconfirmed) == ("tripped" if gives_way else "complete", ()), closed.why
    assert all("hands stay out" in reason for _, reason in actor.refused)
    assert somebody.typed > 50
    with BookReader(scene.path) as book:
        run = judge_run(book)
    assert "procedure_broken" not in {d.code for j in run.judged for d in j.finding.doubts}
    claimed = [j for j in run.judged if j.claim is not None]
    left = {j.claim.figure for j in claimed if j.claim is not None and j.finding.value is None}
    if not gives_way:
        assert left <= {"ripple", "load_step", "hold_up", "hot_spot", "surge_power"}
    assert any(j.verdict in (Verdict.HOLDS, Verdict.FAILS, Verdict.TOO_CLOSE) for j in claimed)
