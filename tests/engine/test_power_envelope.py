"""Power envelope over sockets: the greatest power at each input, against the closed form of a bulk capacitor."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from scipy.optimize import brentq
from tests.engine.scripted import Actor, Scene
from tests.engine.test_dropout import PHYSICS, valley_V

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import Effected
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose, to_choose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.power_envelope.options import EnvelopeOptions

StartStandIn = Callable[..., RunningStandIn]
LOW, MIDDLE, HIGH = Line(110.0, 60.0), Line(115.0, 60.0), Line(150.0, 60.0)
LEAST_V = 150.0
PART = EnvelopeOptions(lines=(HIGH, LOW, MIDDLE), from_percent=20.0, step_percent=20.0, resolution_percent=2.5)


def carried_out(
    folder: Path, unit: Unit, rig: Rig, standin: StartStandIn, part: EnvelopeOptions, text: str
) -> tuple[JudgedRun, Scene]:
    physics = folder / "unit.toml"
    physics.write_text(text)
    scene = Scene.set_up(folder, unit, rig, Plan("Envelope", (part,)), standin(file=str(physics)).addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        return judge_run(book), scene


def by_line(run: JudgedRun, name: str) -> dict[float, Finding]:
    return {j.finding.at.feed.voltage_V or 0.0: j.finding for j in run.judged if j.finding.name == name}


def edge_A(line: Line) -> float:
    """Closed form: the amps at which the valley of the bulk capacitor takes the output 5 % down."""

    def off(amps: float) -> float:
        volts = 24.0 * 0.95
        watts = volts * amps + 0.2 + 1.95 * amps + 0.16 * amps**2 * (230.0 / line.voltage_V) ** 0.35
        return valley_V(line.voltage_V, line.frequency_Hz, watts) - volts / (24.0 * 1.0017 - 0.022 * amps) * LEAST_V

    return float(brentq(off, 0.2, 2.9))


def test_the_envelope_rises_with_the_input_and_the_rating_is_reached_from_one_up(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    text = PHYSICS.replace("[start]", f"[start]\nsags_below_V = {LEAST_V}", 1)
    run, scene = carried_out(tmp_path, unit, rig, standin, PART, text)
    found = by_line(run, "greatest_power")
    assert set(found) == {110.0, 115.0, 150.0}
    for line in (LOW, MIDDLE):
        amps = edge_A(line)
        assert amps < 2.5
        truth, one = 24.0 * 0.95 * amps, found[line.voltage_V]
        assert one.u is not None
        assert abs(one.number - truth) <= 2.0 * one.u + 1.5, (line, one.number, truth)
    assert found[150.0].number == pytest.approx(60.0, rel=0.01)
    assert "no_limit_seen" in {d.code for d in found[150.0].doubts}
    full = next(iter(by_line(run, "full_power_from").values()))
    assert full.number == pytest.approx(150.0, abs=0.5)
    assert full.u is not None
    assert full.u > 10.0, "between 115 and 150 V nobody looked"
    set_A = [float(w.event.body["current_A"]) for w in scene.events(Effected) if w.event.action == "SetLoad"]
    assert max(set_A) <= 2.5 + 1e-9
    lines = [float(w.event.body["voltage_V"]) for w in scene.events(Effected) if w.event.action == "SetSource"]
    assert [v for v in dict.fromkeys(lines) if v] == [110.0, 115.0, 150.0], "from the lowest up"


def test_beyond_the_rating_it_ends_at_its_protection_and_comes_back(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    part = replace(PART, lines=(MIDDLE,), from_percent=90.0, ceiling_percent=150.0, resolution_percent=5.0)
    run, _ = carried_out(tmp_path, unit, rig, standin, part, PHYSICS.replace("limit_A = 3.4", "limit_A = 3.1"))
    found = by_line(run, "greatest_power")[115.0]
    assert 3.1 * 0.95 - 0.13 <= found.number / 24.0 <= 3.1 + 0.01


def test_it_is_chosen_and_bounded(unit: Unit, rig: Rig) -> None:
    offered = {one.part.procedure: one for one in to_choose(unit, rig)}
    assert {"power_envelope", "overcurrent", "overload_endurance", "thermal_soak"} <= set(offered)
    assert "gives way" in offered["power_envelope"].risk
    assert "min" in offered["power_envelope"].price
    chosen = [p for p in compose(unit, rig, ["power-envelope"])[0].parts if p.procedure == "power_envelope"]
    assert isinstance(chosen[0], EnvelopeOptions)
    assert [x.voltage_V for x in chosen[0].lines] == sorted(x.voltage_V for x in chosen[0].lines)
    assert len(chosen[0].lines) >= 5
    small = replace(rig, instruments=tuple(
        replace(i, most={"current_A": 2.0, "power_W": 300.0}) if i.role == "load" else i for i in rig.instruments
    ))  # fmt: skip
    with pytest.raises(LimitError, match="the most"):
        rehearse(unit, small, Plan("Envelope", (PART,)))
    for wrong in ({"from_percent": 120.0}, {"ceiling_percent": 170.0}, {"step_percent": 0.1}):
        with pytest.raises(InputError):
            replace(PART, **wrong).check()
