"""A whole composed plan by hand in the window itself: every gate ticked and passed, every knob turned, every reading
typed into the line, by keys alone. Nothing is known but what the window shows and the meters read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from tests.conftest import ROOT
from tests.engine.scripted import Scene, by_hand
from tests.several.benches import briefly
from tests.several.hands import Person
from tests.ui.conftest import Hands
from tests.ui.test_path import CTRL, start

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.engine import client
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import judge_run
from zincsmith.model.events import HandSetting, SensesAsked, StopRuleMet
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Plan
from zincsmith.model.states import State
from zincsmith.planning.composer import compose
from zincsmith.planning.within import worst_corner
from zincsmith.procedures.static_grid.options import GridOptions

pytestmark = pytest.mark.usefixtures("unhurried")

Open = Callable[[Path], Hands]
EXAMPLES = ROOT / "examples"
METERS = ("power_meter", "voltmeter", "thermometer", "output_power_meter")
KNOBS = ("ac_source", "dc_source", "load", "sink_controller", "unit_interface")


WAITING = (State.GATE, State.ASKING, State.MAKING_SAFE)


def landed(somebody: Person) -> float:
    """Volts of the input, on the highest range of the power meter."""
    meter, rigged = somebody.at("power_meter"), somebody.rig.instrument("power_meter")
    assert rigged is not None
    meter.choose_range("input_voltage", max(a.range for a in rigged.accuracy if a.quantity == "input_voltage"))
    return meter.read()["input_voltage"]


def answer(hands: Hands, somebody: Person) -> None:
    """What the window asks for now, done at the bench and said with keys."""
    session = hands.window.session
    view = session.view
    if session.state is State.ASKING and view.asked is not None:
        text = somebody.reading(view.asked)
        hands.until(lambda: hands.focus() is hands.line("Reading"))
        hands.press(Qt.Key.Key_A, CTRL)
        hands.type(text)
        hands.press(Qt.Key.Key_Return)
        if "Enter again takes it" in hands.words():  # a meter may read what nobody expects
            hands.press(Qt.Key.Key_Return)
        return
    asked = view.turn
    if session.state is State.MAKING_SAFE:
        assert "Not done" not in hands.words(), "it was about a gate that is passed"
        somebody.all_off()
    assert not isinstance(asked, StopRuleMet), asked
    if isinstance(asked, HandSetting):
        somebody.turn(asked)
    gate = hands.window.stations["Run"].gate  # type: ignore[attr-defined]
    hands.until(lambda: gate.isVisible())
    if gate.line.isVisible():  # where a source landed
        gate.line.setFocus()
        hands.press(Qt.Key.Key_A, CTRL)
        hands.type(f"{landed(somebody):.6g}")
        hands.press(Qt.Key.Key_Return)
        return
    if not isinstance(asked, SensesAsked):
        hands.until(lambda: gate.tick.isVisible() and not gate.tick.isChecked())
        gate.tick.setFocus()
        hands.press(Qt.Key.Key_Space)
    hands.until(gate.go_on.isEnabled)
    hands.press(Qt.Key.Key_Return, CTRL)


def same(now: tuple[object, ...], before: tuple[object, ...]) -> bool:
    """The very same: what the unit does not explain is asked once more in the same words."""
    return len(now) == len(before) and all(a is b for a, b in zip(now, before, strict=True))


def sampled(plan: Plan) -> Plan:
    """Of every grid after the first its worst corner: what is typed there is typed like everywhere, by the hundred."""
    first = next(part for part in plan.parts if isinstance(part, GridOptions))
    corners = [worst_corner(p) if isinstance(p, GridOptions) and p is not first else p for p in plan.parts]
    return replace(plan, parts=tuple(corners))


@pytest.mark.long  # a minute each
@pytest.mark.parametrize(
    ("name", "bench", "least"),
    [
        ("netherby-nb5", "simulated-dc", 50),
        ("skerrow-sd15", "simulated-dual", 100),
        ("tarnbrook-tb2425", "simulated", 50),
        ("quillfen-q65", "simulated-usb", 100),
    ],
)
def test_a_whole_plan_in_the_window(
    name: str, bench: str, least: int, open_window: Open, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
    physics = EXAMPLES / "standins" / f"{name}.toml"
    pick_file(str(physics))
    rig = by_hand(replace(read_rig(EXAMPLES / "rigs" / f"{bench}.toml"), leads=()), *METERS, *KNOBS)
    assert rig.standin is not None
    rig = replace(rig, standin=replace(rig.standin, lead_ohm=0.0, input_lead_ohm=0.0, file=str(physics)))
    plan, _ = compose(unit, rig)
    scene = Scene.set_up(tmp_path, unit, rig, sampled(briefly(plan)), {})
    running: list[RunningStandIn] = []
    launch = client.launch_standin
    monkeypatch.setattr(client, "launch_standin", lambda *a: running.append(launch(*a)) or running[-1])
    hands = open_window(scene.path)
    session = hands.window.session
    start(hands, gate="")
    somebody = Person(scene, rig, running[0].addresses)
    done: tuple[object, ...] = ()

    def turn_of_a_person() -> bool:
        now = (session.view.turn, session.view.asked, session.view.refused)
        again = "hands stay out" in hands.words()
        # The state and what is asked come one after the other: what is left of the last is no question of this one.
        asks = session.view.asked if session.state is State.ASKING else session.view.turn
        waits = session.state in WAITING and asks is not None and (not same(now, done) or again)
        return waits or session.state is State.SAFE or bool(session.problem)

    try:
        while True:
            hands.until(turn_of_a_person)
            if session.state is State.SAFE or session.problem:
                break
            now = (session.view.turn, session.view.asked, session.view.refused)
            if same(now, done):  # hands had to stay out a while
                hands.press(Qt.Key.Key_Return, CTRL)
            else:
                done = now
                answer(hands, somebody)
            QApplication.processEvents()
    finally:
        somebody.close()
    with BookReader(scene.path) as reader:
        last = [w.event for w in reader.told(most=6)]
    assert session.problem == "", f"{session.problem} after {last}"
    assert session.view.closed is not None
    assert (session.view.closed.outcome, session.view.closed.unconfirmed) == ("complete", ())
    assert somebody.typed >= least
    hands.station(5)
    station = hands.window.stations["Findings"]
    hands.until(lambda: station.run is not None)  # type: ignore[attr-defined]
    with BookReader(scene.path) as book:
        run = judge_run(book)
    assert station.run.judged == run.judged  # type: ignore[attr-defined]
    assert any(j.verdict in (Verdict.HOLDS, Verdict.FAILS) for j in run.judged)
    assert "procedure_broken" not in {d.code for j in run.judged for d in j.finding.doubts}
