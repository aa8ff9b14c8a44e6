"""Leads that are soft: what starts behind them, against the closed form of a unit that takes constant power, and people
who put in another resistor, or none."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES
from tests.several.hands import Fitter

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.reading import Point
from zincsmith.model.unit import StatedClaim
from zincsmith.planning.composer import compose
from zincsmith.procedures.soft_leads.options import SoftOptions

UNIT = EXAMPLES / "units" / "netherby-nb5.toml"
PHYSICS = EXAMPLES / "standins" / "netherby-nb5.toml"
PART = SoftOptions(line=Line(12.0, 0.0), ohms=(0.5, 1.0, 2.0, 4.0), settle_s=2.0)
PUT_IN = {f"{ohm:g} Ω in the input lead": f"bench,SOFT {ohm:g}" for ohm in PART.ohms} | {"they were": "bench,SOFT 0"}
Go = Callable[..., tuple[JudgedRun, list[Point], list[str]]]


@pytest.fixture
def soft(tmp_path: Path, standin: Callable[..., RunningStandIn]) -> Go:
    def go(does: dict[str, str], part: SoftOptions = PART, **start: float) -> tuple[JudgedRun, list[Point], list[str]]:
        text = PHYSICS.read_text("utf-8")
        for key, value in start.items():
            text = "\n".join(f"{key} = {value}" if x.startswith(f"{key} =") else x for x in text.splitlines())
        physics = tmp_path / "unit.toml"
        physics.write_text(text, "utf-8")
        pick_file(str(physics))
        unit = read_unit(UNIT)
        claim = StatedClaim("starts_behind", low=1.5, source="manual")
        unit = replace(unit, nameplate=replace(unit.nameplate, claims=(*unit.nameplate.claims, claim)))
        rig = replace(read_rig(EXAMPLES / "rigs" / "simulated-dc.toml"), leads=())
        addresses = standin(file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
        scene = Scene.set_up(tmp_path, unit, rig, Plan("Part", (part,)), addresses)
        with telling_the_standin() as tell:
            fitter = Fitter(scene, tell, does)
            closed = scene.run(Actor(fitter))
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        with BookReader(scene.path) as book:
            run = judge_run(book)
            points = [p for p in run.evidence.points if p.at.fact("added_ohm") is not None]
        return run, points, fitter.gates

    return go


def of(run: JudgedRun, name: str) -> Finding:
    (found,) = (j.finding for j in run.judged if j.finding.name == name)
    return found


def codes(finding: Finding) -> set[str]:
    return {d.code for d in finding.doubts}


def test_it_starts_up_to_where_no_volts_are_left(soft: Go) -> None:
    """V = (Vs + sqrt(Vs^2 - 4 R P)) / 2 of constant power P through R; beyond Vs^2 / 4P there is none. The watts that
    are read behind each resistance are those of the stand-in's stage, whose efficiency moves with its input."""
    run, points, gates = soft(PUT_IN)
    found = of(run, "starts_behind")
    assert found.number == pytest.approx(2.0, abs=2.0 * (found.u or 0.0) + 0.02)
    assert "not behind 4 ohm" in found.working.note
    (hunts,) = found.doubts
    assert hunts.code == "hunting"
    assert "Behind 4 ohm" in hunts.text, "it starts unloaded, and finds no volts under its load"
    assert of(run, "stands_behind").number == pytest.approx(found.number)
    for point in points:
        ohm, started = point.at.fact("added_ohm"), point.at.fact("started")
        if ohm and ohm <= 2.0 and started == 1.0:
            watts = point.need("input_power").number
            truth = (12.0 + math.sqrt(144.0 - 4.0 * ohm * watts)) / 2.0
            assert point.need("input_voltage").number == pytest.approx(truth, rel=0.01), ohm
    matched = float(found.working.note.split("is ")[-1].split()[0])
    stiff = next(p for p in points if p.at.fact("added_ohm") == 0.0 and p.at.fact("started") == 1.0)
    assert matched == pytest.approx(144.0 / (4.0 * stiff.need("input_power").number), rel=0.02)
    assert found.number < matched
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "starts_behind")
    assert claim.verdict is Verdict.HOLDS
    assert gates[-1] == "Leads as they were"
    assert [g for g in gates if "input lead" in g] == [f"{ohm:g} Ω in the input lead" for ohm in PART.ohms]


def test_a_lockout_makes_it_hunt_behind_less(soft: Go) -> None:
    """It starts at 9 V, of which it has 12 as long as it draws nothing, and goes at 8: behind 2 ohm it is at 7.7 V."""
    run, _, _ = soft(PUT_IN, start_V=9.0, stop_V=8.0)
    found = of(run, "starts_behind")
    assert found.number == pytest.approx(1.0, abs=0.05)
    assert "hunting" in codes(found)
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "starts_behind")
    assert claim.verdict is not Verdict.HOLDS


@pytest.mark.parametrize(("put_in", "code"), [("0", "nothing_put_in"), ("0.4", "other_resistor")])
def test_another_resistor_or_none_is_seen_by_the_readings(soft: Go, put_in: str, code: str) -> None:
    words = "1 Ω in the input lead"
    run, _, _ = soft({words: f"bench,SOFT {put_in}"}, replace(PART, ohms=(1.0,)))
    found = of(run, "starts_behind")
    assert codes(found) >= {code, "never_left"}
    if code == "other_resistor":
        assert found.number == pytest.approx(0.4, abs=0.02), "what was in counts, not what was said"


def test_a_paper_puts_it_into_a_plan_with_resistances_that_are_worth_it() -> None:
    """Below 12^2 / (4 x 15) = 2.4 ohm, and the one that the paper names."""
    unit = read_unit(UNIT)
    claim = StatedClaim("starts_behind", low=1.5, source="manual")
    stated = replace(unit, nameplate=replace(unit.nameplate, claims=(*unit.nameplate.claims, claim)))
    rig = read_rig(EXAMPLES / "rigs" / "simulated-dc.toml")

    def parts(of: object) -> list[SoftOptions]:
        return [p for p in compose(of, rig)[0].parts if isinstance(p, SoftOptions)]  # type: ignore[arg-type]

    assert parts(unit) == []
    (part,) = parts(stated)
    assert 1.5 in part.ohms
    assert max(part.ohms) <= part.line.voltage_V**2 / (4.0 * 15.0)
    assert list(part.ohms) == sorted(part.ohms)
