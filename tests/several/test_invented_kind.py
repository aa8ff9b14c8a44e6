"""A kind of unit that the program has never heard of, told by two files: its plate, and its physics for the stand-in.
Plan, run, findings and claims follow from the ports; no line of Python knows of it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene
from tests.several.conftest import EXAMPLES

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.finding import Verdict
from zincsmith.model.rig import Instrument, Rig
from zincsmith.planning.composer import compose

HERE = Path(__file__).parent
PORTS = ("+5 V", "+12 V", "Vset")


def bench(physics: Path) -> Rig:
    """The bench of the dual module with a load and a voltmeter at each of these outputs, and the unit's own wire."""
    rig = read_rig(EXAMPLES / "rigs" / "simulated-dual.toml")
    alone = [i for i in rig.instruments if i.role not in ("load", "voltmeter")]
    load, meter = (next(i for i in rig.instruments if i.role == role) for role in ("load", "voltmeter"))
    ranges = tuple(replace(a, range=r) for a in load.accuracy[:1] for r in (1.0, 5.0)) + load.accuracy[1:]
    at = [replace(one, port=port, serial="") for port in PORTS for one in (replace(load, accuracy=ranges), meter)]
    wire = Instrument("unit_interface", "simulated", port="Vset")
    assert rig.standin is not None
    return replace(rig, instruments=(*alone, *at, wire), leads=(), standin=replace(rig.standin, file=str(physics)))


@pytest.mark.long
def test_plan_run_and_findings_follow_from_its_ports(tmp_path: Path, standin: object) -> None:
    physics = HERE / "invented_physics.toml"
    unit, rig = read_unit(HERE / "invented_unit.toml"), bench(physics)
    plan, _ = compose(unit, rig)
    names = {p.procedure for p in plan.parts}
    assert {"bring_up", "static_grid", "cross_regulation", "cv_cc", "standby"} <= names
    pick_file(str(physics))
    running: RunningStandIn = standin(file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0)  # type: ignore[operator]
    scene = Scene.set_up(tmp_path, unit, rig, plan, running.addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("complete", True, ()), closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    assert not [j for j in run.judged if j.claim is not None and j.claim.procedure == ""], "each has who tests it"
    judged = {(j.claim.figure, j.finding.output): j.verdict for j in run.judged if j.claim is not None}
    assert judged["set_voltage_error", "Vset"] is Verdict.HOLDS
    assert judged["output_voltage", "+5 V"] is Verdict.HOLDS
    assert ("cross_regulation", "+12 V") in judged
    for to, one in _of(run, "set_voltage_error").items():
        assert one == pytest.approx(0.002 * to, abs=0.01), "what its physics says"


def _of(run: JudgedRun, name: str) -> dict[float, float]:
    found = {}
    for j in run.judged:
        to = j.finding.at.set_point("")
        if j.finding.name == name and to is not None and j.finding.value is not None:
            found[to.voltage_V] = j.finding.value
    return found
