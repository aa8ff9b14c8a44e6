"""A sick unit raised by hand: every reading is judged as it is typed, and the next step up is refused.

The bench is all by hand, its clock that of the stand-in, so that no real time passes; the whole run in real time is in
test_by_hand_in_real_time.py.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import pytest
from tests.conftest import ROOT, UNIT, run_command
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import Command, Enter, GoDown, GoOn, Mistyped, Pass
from zincsmith.model.events import (
    EntryAsked,
    HandSetting,
    Overridden,
    PointTaken,
    SensesAsked,
    SensesTold,
    StopRuleMet,
)
from zincsmith.model.intake import Part
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.report.html import render

StartStandIn = Callable[..., RunningStandIn]
PLAN = Plan("Bring-up", (BringUpOptions(first_line=Line(115.0, 60.0), step_percent=20.0),))


def all_by_hand(rig: Rig) -> Rig:
    """Nothing but the clock is reached by wire."""
    kept = [replace(i, how="by hand") for i in rig.instruments if i.role != "thermometer"]
    return replace(rig, instruments=tuple(kept))


@dataclass
class Person:
    """Sets what is asked, ``off`` volts besides where it is told to; types what a unit of these figures shows.

    ``readings`` by quantity: a function of the volts at the input. ``ways``: what is done at each stop rule in turn.
    """

    scene: Scene
    readings: dict[str, Callable[[float], float]]
    ways: list[Command]
    off: float = 0.0
    senses: dict[str, bool] | None = None
    volts: float = 0.0

    def __call__(self, state: State, calls: int) -> list[Command]:
        if state is State.MAKING_SAFE:
            return [Pass()]
        if state is State.ASKING:
            asked = self.scene.events(EntryAsked)[-1].event.quantity
            if asked == "input_voltage":
                return [Enter(f"{self.volts:.2f}")]
            return [Enter(f"{self.readings.get(asked, lambda _v: 0.0)(self.volts):.6f}")]
        if state is not State.GATE:
            return []
        last = self.scene.events(HandSetting, StopRuleMet, SensesAsked)
        turn = last[-1].event if last else None
        if isinstance(turn, StopRuleMet) and len(self.scene.events(StopRuleMet)) > self.met():
            return [self.ways.pop(0)] if self.ways else [GoDown()]
        if isinstance(turn, SensesAsked) and self.senses is not None:
            return [Pass(senses=self.senses)]
        if isinstance(turn, HandSetting) and turn.target_V is not None:
            self.volts = turn.target_V + self.off
            return [Pass(f"{self.volts:g}")]
        return [Pass()]

    def met(self) -> int:
        """Stop rules that were dealt with."""
        return len(self.scene.events(Overridden)) + len(
            [w for w in self.scene.events(_remarked()) if "mistyped" in w.event.text]
        )


def _remarked() -> type:
    from zincsmith.model.events import Remarked

    return Remarked


def healthy(volts: float) -> float:
    return 0.02 + 0.3 * (volts > 80.0)


HEALTHY: dict[str, Callable[[float], float]] = {
    "input_power": healthy,
    "input_current": lambda _v: 0.004,
    "output_voltage": lambda v: 24.0 if v > 80.0 else 0.0,
    "output_current": lambda _v: 0.0,
}


def scene_of(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> Scene:
    return Scene.set_up(tmp_path, unit, all_by_hand(rig), PLAN, standin().addresses)


SICK = {
    "9 W at 20 V": ({"input_power": lambda _v: 9.0}, "input watts reached 9", True),
    "half an ampere at 20 V": ({"input_current": lambda _v: 0.5}, "input amps reached 0.5", True),
    "30 V on a 24 V output": ({"output_voltage": lambda _v: 30.0}, "output volts reached 30", False),
}


@pytest.mark.parametrize("name", SICK)
def test_the_next_step_up_is_refused(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, name: str) -> None:
    wrong, words, may = SICK[name]
    scene = scene_of(tmp_path, unit, rig, standin)
    person = Person(scene, {**HEALTHY, **wrong}, [])
    closed = scene.run(Actor(person))
    assert (closed.outcome, closed.safe) == ("tripped", True)
    assert words in closed.why.lower()
    asked = [w.event.target_V for w in scene.events(HandSetting) if w.event.target_V is not None]
    assert asked == [10.0], "the first step is a small one, and no further one was asked for"
    rule = scene.events(StopRuleMet)[0].event
    assert rule.may_continue is may
    assert all("confirmed by Tester" in one for one in closed.seen), "a hand did it, and the words say so"
    assert not any("read back" in one for one in closed.seen)


def test_the_gate_says_at_which_readings_to_switch_off_first(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    scene = scene_of(tmp_path, unit, rig, standin)
    scene.run(Actor(Person(scene, {**HEALTHY, "input_power": lambda _v: 9.0}, [])))
    raised = next(w.event for w in scene.events(HandSetting) if w.event.target_V is not None)
    told = " ".join(raised.switch_off_at)
    for words in ("input watts above 0.", "input amps above 0.", "output volts above 2"):
        assert words in told


def test_a_slip_is_read_again_and_a_reason_stands_beside_the_findings(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    scene = scene_of(tmp_path, unit, rig, standin)
    typed = iter([9.0, 0.02, 0.4])
    person = Person(
        scene,
        {**HEALTHY, "input_power": lambda v: next(typed, 0.3 if v > 80 else 0.02)},
        [Mistyped(), GoOn(""), GoOn("a lamp stands in series")],
    )
    actor = Actor(person)
    closed = scene.run(actor)
    assert ("continue", "say why: going on beyond a stop rule needs a reason") in actor.refused
    assert scene.events(Overridden)[0].event.reason == "a lamp stands in series"
    assert (closed.outcome, closed.safe) == ("complete", True)
    taken = [w.event.point for w in scene.events(PointTaken)]
    watts = [r.value for point in taken[:2] for r in point.readings if r.quantity == "input_power"]
    assert watts == [0.02, 0.4], "what was mistyped is not in the point, what was typed on purpose is"
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
        figures = [j.finding for j in run.judged if j.finding.value is not None]
        assert {"start_voltage", "stop_voltage"} <= {f.name for f in figures}
        for figure in figures:
            assert "stop_rule_overridden" in {d.code for d in figure.doubts}
        assert "a lamp stands in series" in render(run)


def test_nobody_goes_beyond_the_limit_of_a_part(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    parts = (Part("C12", "output capacitor", rated_V=25.0),)
    marked = replace(unit, look=replace(unit.look, parts=parts))
    scene = scene_of(tmp_path, marked, rig, standin)
    person = Person(scene, {**HEALTHY, "output_voltage": lambda _v: 26.0}, [GoOn("it will hold")])
    actor = Actor(person)
    closed = scene.run(actor)
    assert closed.outcome == "tripped"
    assert any("nobody goes beyond" in why for _, why in actor.refused)
    assert "C12" in closed.why
    assert scene.events(Overridden) == []


@pytest.mark.parametrize("sense", ["glow", "smell", "sound"])
def test_what_is_noticed_ends_it(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn, sense: str) -> None:
    scene = scene_of(tmp_path, unit, rig, standin)
    noticed = {name: name == sense for name in ("glow", "smell", "sound", "indicator")}
    closed = scene.run(Actor(Person(scene, HEALTHY, [], senses=noticed)))
    assert (closed.outcome, closed.safe) == ("stopped", True)
    assert sense in closed.why
    assert scene.events(SensesTold)[-1].event.observed


def test_a_whole_bring_up_by_hand_goes_up_in_steps_from_where_it_landed(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """A light load before the lowest rated input, no jump after the start, senses at each step and later again."""
    scene = scene_of(tmp_path, unit, rig, standin)
    loaded: dict[str, Callable[[float], float]] = {**HEALTHY, "input_current": lambda _v: 0.005}
    nothing = dict.fromkeys(("glow", "smell", "sound"), False) | {"indicator": True}
    closed = scene.run(Actor(Person(scene, loaded, [], off=1.5, senses=nothing)))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    points = [w.event.point.at.conditions for w in scene.events(PointTaken)]
    raised = [c["input_voltage_V"] for c in points if c.get("search") == 1.0]
    assert raised[0] == 11.5, "where it landed is the point"
    steps = [b - a for a, b in itertools.pairwise(raised)]
    assert all(0.0 < s <= 21.6 for s in steps)
    first_load = next(c for c in points if c["load_percent"] > 0.0)
    assert first_load["input_voltage_V"] < unit.nameplate.input.voltage_min_V
    climbed = [c["input_voltage_V"] for c in points if "search" not in c and c["load_percent"] == 10.0]
    assert all(b - a <= 21.6 for a, b in itertools.pairwise(climbed)), "no jump after the start"
    assert len(scene.events(SensesTold)) >= 6


@pytest.mark.long
def test_the_same_at_the_command_line(tmp_path: Path) -> None:
    """9 W at 10 V: told at once, a reason without the word is not taken, going down ends it with 3."""
    rig, plan, answers = tmp_path / "hand.toml", tmp_path / "up.toml", tmp_path / "answers.csv"
    text = (ROOT / "examples" / "rigs" / "by-hand.toml").read_text()
    standin = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"
    rig.write_text(
        text.replace('clock = "wall"', 'clock = "simulated"') + f'\n[standin]\nfile = "{standin}"\nseed = 1\n'
    )
    plan.write_text('name = "Up"\nprocedure = "bring_up"\n[options]\nfirst_line = [115.0, 60.0]\n')
    answers.write_text("prompt,answer\ngate,yes\nload,yes\nsource,10.2\ninput_voltage,10.2\ninput_current,3m\n"
                       "input_power,9\noutput_voltage,0.01\n")  # fmt: skip
    done = run_command(
        "run", "--unit", UNIT, "--rig", rig, "--plan", plan, "--book", tmp_path / "a.zbook", "--operator", "Ann",
        "--answers", answers, typed="it is fine\ndown\nyes\nyes\nyes\n",
    )  # fmt: skip
    assert done.returncode == 3, done.stderr
    said = " ".join(done.stderr.split())
    assert "SWITCH OFF FIRST, TYPE LATER at" in said
    assert "STOP: Input watts reached 9 W" in said
    assert "Type down, again, or because and the reason." in said
    assert "AC source off, confirmed by Ann" in said
    assert said.count("Type the volts it landed at") == 1, "nothing was raised any further"
