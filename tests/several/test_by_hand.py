"""Units of several outputs, by hand: gates, prompts and settings say which port, and what is typed goes to it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene
from tests.several.benches import bench_of

from zincsmith.analysis.envelope import Envelope
from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import judge_run
from zincsmith.model.events import EntryAsked, GateOpened, HandSetting, PointTaken
from zincsmith.model.plan import Line, Plan
from zincsmith.procedures.static_grid.options import GridOptions

OHM = {"+12 V": 0.03, "+5 V": 0.012, "-12 V": 0.2}


def test_two_rails_by_hand(tmp_path: Path) -> None:
    """Loads and voltmeters are set and read by a person; what is typed droops over a resistance, worked by hand."""
    unit, rig, _ = bench_of("two_rails", tmp_path)
    hands = ("load", "voltmeter")
    rig = replace(rig, instruments=tuple(replace(i, how="by hand") if i.role in hands else i for i in rig.instruments
                                         if i.role != "sink_controller"))  # fmt: skip
    envelope = Envelope(unit.nameplate)
    grid = GridOptions(lines=(Line(230.0, 50.0),), loads_percent=(100.0, 50.0, 0.0), warm_up_s=60.0, settle_s=2.0,
                       settle_at_most_s=4.0, settled_window_s=2.0, average_s=2.0, port="+5 V")  # fmt: skip
    entries = []
    for percent in grid.loads_percent:
        amps = {port: envelope.load_A(percent if port == "+5 V" else 50.0, port) for port in OHM}
        volts = {port: envelope.voltage_V(port) for port in OHM}
        entries += [f"{volts[p] - (1 if volts[p] > 0 else -1) * OHM[p] * amps[p]:.4f}" for p in OHM]
        entries += [f"{amps[p]:.4f}" for p in OHM]
    assert rig.standin is not None
    running = start_standin(rig.standin)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("by hand", (grid,)), running.addresses)
    actor = Actor(entries=entries)
    try:
        closed = scene.run(actor)
    finally:
        running.stop()
    assert closed.outcome == "complete", closed.why
    (gate, *_) = [w.event for w in scene.events(GateOpened)]
    assert "the load to its outputs +12 V, +5 V, -12 V" in gate.text
    asked = [w.event for w in scene.events(EntryAsked)]
    assert [a.what.partition(" at ")[0] for a in asked[:6]] == [
        f"Output {what}, {port}" for what in ("volts", "amps") for port in OHM
    ]
    set_by_hand = [w.event for w in scene.events(HandSetting) if w.event.role.startswith("load@")]
    assert any("Osmary L3 at +5 V to 4.249 A" in one.text for one in set_by_hand), [s.text for s in set_by_hand]
    assert {one.role for one in set_by_hand} == {f"load@{port}" for port in OHM}
    points = [w.event.point for w in scene.events(PointTaken)]
    assert [r.port for r in points[0].readings if r.quantity == "output_voltage"] == list(OHM)
    with BookReader(scene.path) as book:
        run = judge_run(book)
    (ohm,) = [j.finding for j in run.judged if j.finding.name == "output_resistance"]
    assert (ohm.output, ohm.value) == ("+5 V", pytest.approx(OHM["+5 V"], rel=0.01))
    (regulation,) = [j for j in run.judged if j.finding.name == "load_regulation" and j.finding.value is not None]
    assert regulation.claim is not None
    assert regulation.claim.output == "+5 V"
    assert regulation.finding.value == pytest.approx(OHM["+5 V"] * envelope.full_A("+5 V") / 5.0, abs=1e-4)


def test_a_mode_is_asked_for_by_hand(tmp_path: Path) -> None:
    """No sink controller on the rig: a gate says which mode to ask for, at which port."""
    unit, rig, _ = bench_of("two_ports", tmp_path)
    rig = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "sink_controller"))
    grid = GridOptions(lines=(Line(230.0, 50.0),), loads_percent=(50.0, 0.0), warm_up_s=10.0, settle_s=2.0,
                       settle_at_most_s=4.0, settled_window_s=2.0, average_s=2.0, port="C1", mode="5 V",
                       others_percent=0.0)  # fmt: skip
    assert rig.standin is not None
    running = start_standin(rig.standin)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("a mode by hand", (grid,)), running.addresses)
    try:
        assert scene.run(Actor()).outcome == "complete"
    finally:
        running.stop()
    asked = [w.event.text for w in scene.events(HandSetting) if w.event.role == "sink_controller@C1"]
    assert asked[0] == "Ask for 5 V at C1, with whatever asks the port for a mode."
