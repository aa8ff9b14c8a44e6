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
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.overload_endurance.options import EnduranceOptions
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
