"""Overload endurance over sockets: until the stand-in's hot part shuts it down, against its own thermal network solved
by SciPy, which shares no code with it."""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from scipy.integrate import solve_ivp
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene, by_hand

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.commands import Command, Enter, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import EntryAsked, Intended
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.overload_endurance.options import EnduranceOptions
from zincsmith.procedures.planning import Facts
from zincsmith.simbench.units.adapter import Adapter

TEXT = (ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text()
LINE = Line(115.0, 60.0)
PART = EnduranceOptions(lines=(LINE,), loads_percent=(110.0, 125.0), minutes=30.0, cools_min=30.0)
HOT, COOL = 62.0, 50.0


def written(folder: Path, hot: float, cool: float) -> Path:
    file = folder / "unit.toml"
    text = TEXT.replace("limit_A = 3.4", "limit_A = 5.0")
    file.write_text(text.replace("[thermal]", f"[thermal]\nshutdown_degC = {hot}\nrestart_degC = {cool}", 1))
    return file


def judged(folder: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn], physics: Path) -> JudgedRun:
    scene = Scene.set_up(folder, unit, rig, Plan("Hot", (PART,)), standin(file=str(physics)).addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        return judge_run(book)


def of(run: JudgedRun, name: str) -> dict[float, Finding]:
    found = (j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)
    return {f.at.load_percent: f for f in found}


def test_until_its_hot_part_shuts_it_down_and_back(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    physics = written(tmp_path, HOT, COOL)
    run = judged(tmp_path, unit, rig, standin, physics)
    lasted, hottest = of(run, "overload_endurance"), of(run, "overload_hottest")
    assert set(lasted) | set(of(run, "overload_held")) == {110.0, 125.0}
    assert 125.0 in lasted
    p, world = tomllib.loads(physics.read_text())["thermal"], Adapter.read(physics)

    def heats(_t: float, x: list[float]) -> list[float]:
        amps = 1.25 * 2.5
        volts = world.regulated_V(115.0, amps, x[0])
        heat = world.draw(115.0, 60.0, volts * amps + world.loss_W(115.0, amps, x[0])).power_W - volts * amps
        inward = (x[0] - x[1]) / p["core_to_case_K_per_W"]
        return [(heat - inward) / p["core_J_per_K"],
                (inward - (x[1] - 23.0) / p["case_to_ambient_K_per_W"]) / p["case_J_per_K"]]  # fmt: skip

    one = lasted[125.0]
    # It began no colder than the room and no warmer than where a shutdown lets it start again.
    times = []
    for start in ([23.0, 23.0], [COOL, COOL]):
        solved = solve_ivp(heats, (0.0, 7200.0), start, max_step=5.0, events=lambda _t, x: x[0] - HOT)
        times.append(float(solved.t_events[0][0]) if len(solved.t_events[0]) else 7200.0)
    assert times[1] - 5.0 <= one.number <= times[0] + 5.0
    assert hottest[125.0].number < HOT, "the case is cooler than what is inside it"
    restart = of(run, "overload_restart")[125.0]
    assert restart.number > 1.0
    assert "shutdown-auto-recovery" in one.working.formula


@pytest.mark.long  # one that shuts down is in the short run
def test_what_holds_for_the_time_is_told_so(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    run = judged(tmp_path, unit, rig, standin, written(tmp_path, 200.0, 150.0))
    held = of(run, "overload_held")
    assert set(held) == {110.0, 125.0}
    assert all(f.number == pytest.approx(30.0 * 60.0, abs=5.0) for f in held.values())
    assert all("none" in f.working.formula for f in held.values())
    assert not of(run, "overload_endurance")


@pytest.mark.parametrize("loads", [(100.0,), (170.0,), (125.0, 110.0), ()])
def test_from_the_gentlest_up_and_no_further(loads: tuple[float, ...]) -> None:
    with pytest.raises(InputError):
        replace(PART, loads_percent=loads).check()


class Attended:
    """A person beside a drawn unit: above ``trips_W`` of heat for ``stands_s`` it shuts down, and is back so long after
    the overload went. They type what plain meters show at that moment of bench time."""

    def __init__(self, scene: Scene, above_A: float, stands_s: float, back_s: float) -> None:
        self.scene, self.above_A, self.stands_s, self.back_s = scene, above_A, stands_s, back_s

    def now(self) -> tuple[float, float]:
        amps, over_since, shut, released = 0.0, None, None, None
        for written in self.scene.events(Intended):
            if written.event.action != "SetLoad":
                continue
            amps, at = float(written.event.body["current_A"] or 0.0), written.bench_s or 0.0
            if amps > self.above_A and over_since is None:
                over_since = at
            if amps <= self.above_A and over_since is not None and released is None:
                released = at
        asked_at = self.scene.events(EntryAsked)[-1].bench_s or 0.0
        if over_since is not None and (released or asked_at) - over_since > self.stands_s:
            shut = over_since + self.stands_s
        off = shut is not None and (released is None or asked_at - released < self.back_s)
        return (0.02, 0.0) if off else (24.0 - 0.05 * amps, amps)

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state in (State.GATE, State.MAKING_SAFE):
            return [Pass()]
        if state is not State.ASKING:
            return []
        volts, amps = self.now()
        asked = self.scene.events(EntryAsked)[-1].event.quantity
        values = {"output_voltage": volts, "output_current": amps, "case_temperature": 61.5}
        return [Enter(f"{values[asked]:.3f}")]


def test_by_hand_somebody_looks_again_and_again_and_types(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    """It stands 110 %, and of 125 % (3.125 A) a hundred seconds; it is back 50 s after that. A look every 10 s."""
    at_hand = by_hand(rig, "voltmeter", "load", "thermometer")
    part = replace(PART, minutes=2.0, cools_min=5.0)
    assert part.unmet(Facts(unit, at_hand, (LINE,), ())) == ""
    scene = Scene.set_up(tmp_path, unit, at_hand, Plan("Hot", (part,)), standin().addresses)
    closed = scene.run(Actor(says=Attended(scene, 2.9, 100.0, 50.0)))
    assert closed.outcome == "complete", closed.why
    with BookReader(scene.path) as book:
        run = judge_run(book)
    held, shut, back = (of(run, f"overload_{n}") for n in ("held", "endurance", "restart"))
    assert held[110.0].value == pytest.approx(120.0, abs=8.0)
    lasted = shut[125.0]
    assert lasted.u is not None
    assert abs(lasted.number - 100.0) < 2.0 * lasted.u, "between two looks nobody knew"
    assert lasted.u == pytest.approx(5.0 / 3.0**0.5, rel=0.3)
    assert back[125.0].number == pytest.approx(50.0, abs=2.0 * (back[125.0].u or 0.0) + 10.0)
    hottest = [j.finding for j in run.judged if j.finding.name == "overload_hottest"]
    assert {f.value for f in hottest} == {61.5}
