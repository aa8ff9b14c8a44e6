"""Harmonics in a run: recorded by the power meter, against the physics that made them and the limits of the rule."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.engine.scripted import Actor, Scene

from zincsmith.analysis.expectation import POWER_FACTOR
from zincsmith.analysis.expected_record import expected_record
from zincsmith.analysis.power import power_of
from zincsmith.analysis.waves import recorded_of
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.words import untested_words
from zincsmith.judge.decide import decide
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.judge.snapshot import snapshot
from zincsmith.model.claim import RuleChoice
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Line, Plan
from zincsmith.model.reading import Evidence, Point, Wave
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.planning.prediction import predict
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.harmonics.options import HarmonicOptions
from zincsmith.procedures.harmonics.steps import Harmonics
from zincsmith.procedures.safety_checks.options import SafetyOptions
from zincsmith.showing.curves import all_curves
from zincsmith.simbench.units.rectifier import STEPS, Rectifier

StartStandIn = Callable[..., RunningStandIn]
OPTIONS = HarmonicOptions(lines=(Line(115.0, 60.0), Line(230.0, 50.0)), record_s=1.0)


@pytest.fixture
def run(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> JudgedRun:
    held = replace(
        unit.nameplate, rules=(RuleChoice("iec-61000-3-2", "A"), RuleChoice("us-doe-level-vi", "ac-dc basic"))
    )
    scene = Scene.set_up(
        tmp_path, replace(unit, nameplate=held), rig, Plan("Harmonics", (SafetyOptions(), OPTIONS)),
        standin().addresses,
    )  # fmt: skip
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        return judge_run(book)


def test_the_orders_are_those_of_the_current_that_the_bridge_takes(run: JudgedRun) -> None:
    """The record agrees with what the meter reads beside it, and its distortion with the spectrum of the bridge's own
    current, worked out here by a plain Fourier sum over one period."""
    for point in run.evidence.points:
        recorded = recorded_of(point, run.evidence.samples)
        assert recorded is not None
        power = recorded.power
        read = {q: r.value for q in ("input_voltage", "input_current", "input_power") if (r := point.get(q))}
        assert power.voltage_rms == pytest.approx(read["input_voltage"], rel=2e-3)
        assert power.current_rms == pytest.approx(read["input_current"], rel=5e-3)
        assert power.real_power == pytest.approx(read["input_power"], rel=2e-2)
        line = point.at.conditions
        half = _bridge().half_cycle(line["input_voltage_V"], line["frequency_Hz"], read["input_power"] * 0.985)
        wave = np.concatenate((half, np.negative(half)))
        orders = np.abs(np.fft.rfft(wave))[1:41] / STEPS
        expected = float(np.sqrt(np.sum(orders[1:] ** 2)) / orders[0])
        assert power.current_thd == pytest.approx(expected, rel=0.02)


def test_the_worst_order_is_judged_against_its_limit_with_what_the_meter_adds(run: JudgedRun) -> None:
    by = {(j.finding.name, j.finding.at.line_V): j for j in run.judged if j.finding.at.conditions}
    held = by["harmonics_class_a", 230.0]
    assert (held.verdict, held.words) == (Verdict.NOT_TESTED, "not applicable"), "a 60 W unit is below 75 W"
    assert "limits apply above 75 W" in untested_words(held)
    assert held.claim is not None
    assert held.claim.source == "IEC 61000-3-2, class A"
    finding = held.finding
    worst = max(finding.working.rows, key=lambda row: row.get("of it / %", 0.0))
    assert finding.value == pytest.approx(worst["of it / %"] / 100.0, rel=0.02), "its mean, or its greatest window"
    # IEC 61000-3-2, class A, third order: 2.30 A (value from memory).
    third = next(row for row in finding.working.rows if row["order"] == 3)
    assert third["limit / A"] == 2.30
    # u of one order: (0.1 % of it + 0.05 % of 2 A) / sqrt 3, over its limit; the data sheet of examples/rigs.
    amps, limit = worst["I / A"], worst["limit / A"]
    meter = run.rig.instrument("power_meter")
    assert meter is not None
    sheet = meter.accuracy_for("input_current", 0.5)
    assert sheet is not None
    half_width = sheet.reading_percent / 100.0 * amps + sheet.range_percent / 100.0 * sheet.range
    assert finding.u == pytest.approx(half_width / 3.0**0.5 / limit, rel=0.05)
    thd = by["current_thd", 230.0].finding
    assert thd.u is not None
    assert thd.value is not None
    assert thd.u < 0.01 * thd.value, "a gain error leaves the ratio"
    assert any(w.startswith("Limits for harmonic currents") for w in run.rule_sets)
    assert by["harmonics_class_d", 230.0].claim is None, "a class that nobody chose is told without a claim"


def test_the_plots_and_the_hash_know_the_record(run: JudgedRun) -> None:
    plots = {c.title: c for c in all_curves(run.evidence)}
    (_, orders, shares), _ = plots["Harmonics against class A"].lines
    assert plots["Harmonics against class A"].bars
    assert orders == [float(n) for n in range(2, 41)]
    rows = next(j.finding for j in run.judged if j.finding.name == "harmonics_class_a").working.rows
    assert shares[1] == pytest.approx(next(r["of it / %"] for r in rows if r["order"] == 3), rel=1e-9)
    kept = snapshot(run)
    points = run.evidence.points
    changed = replace(points[0], waves=(replace(points[0].waves[0], sha256="0" * 64), *points[0].waves[1:]))
    other = replace(run, evidence=replace(run.evidence, points=(changed, *points[1:])))
    assert snapshot(other).evidence != kept.evidence


def findings_of_record(unit: Unit, volts: np.ndarray, amps: np.ndarray) -> list[Finding]:
    """What the procedure finds in a record of 10 kHz, by an instrument that states no accuracy."""
    waves, samples = [], {}
    for quantity, wave in (("input_voltage", volts), ("input_current", amps)):
        data = wave.astype("<f8").tobytes()
        sha256 = hashlib.sha256(data).hexdigest()
        waves.append(Wave(quantity, "V", 1e-4, len(wave), 1.0, sha256, "power_meter", "Meter", "f8"))
        samples[sha256] = data
    at = {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 100.0}
    evidence = Evidence((Point(1, operating_point(at), (), 0.0, waves=tuple(waves)),), True, samples=samples)
    return Harmonics().findings(evidence, unit.nameplate, Conventions())


def test_a_record_whose_peaks_were_cut_off_is_doubted(unit: Unit) -> None:
    x = 2.0 * np.pi * 50.0 * np.arange(10_000) / 1e4
    whole = np.sin(x)
    for amps, told in ((whole, False), (np.clip(whole, -0.9, 0.9), True)):
        codes = {d.code for d in findings_of_record(unit, 325.0 * np.sin(x), amps)[1].doubts}
        assert ("clipped" in codes) is told


@pytest.mark.parametrize(
    ("fifth", "seconds", "codes"),
    [(0.0, 1.0, set()), (0.05, 1.0, {"source_out_of_tolerance"}), (0.0, 0.1, {"record_short"})],
)
def test_a_distorted_source_and_a_short_record_are_doubted(
    unit: Unit, fifth: float, seconds: float, codes: set[str]
) -> None:
    x = 2.0 * np.pi * 50.0 * np.arange(round(seconds * 1e4)) / 1e4
    volts = 325.0 * (np.sin(x) + fifth * np.sin(5.0 * x))
    found = findings_of_record(unit, volts, np.sin(x) + 0.3 * np.sin(3.0 * x))
    thd, class_a = found[0], found[1]
    assert thd.value == pytest.approx(0.3, rel=1e-6)
    # Third order 0.3 A / sqrt 2 of 2.30 A (IEC 61000-3-2, class A, value from memory).
    assert class_a.value == pytest.approx(0.3 / 2.0**0.5 / 2.30, rel=1e-6)
    assert {d.code for d in class_a.doubts} - {"accuracy_unknown"} == codes
    assert class_a.u is None, "a record whose instrument states no accuracy has no uncertainty"


def test_a_meter_without_waveforms_leaves_it_out_of_the_plan_with_the_way_out(unit: Unit, rig: Rig) -> None:
    by_hand = replace(
        rig, instruments=tuple(replace(i, how="by hand") if i.role == "power_meter" else i for i in rig.instruments)
    )
    assert any(isinstance(p, HarmonicOptions) for p in compose(unit, rig)[0].parts)
    plan, left = compose(unit, by_hand)
    assert not any(isinstance(p, HarmonicOptions) for p in plan.parts)
    assert "take the file in" in next(x.why for x in left if x.procedure == "harmonics")


def _bridge() -> Rectifier:
    from tests.conftest import ROOT

    from zincsmith.simbench.units.adapter import Adapter

    return Adapter.read(ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").mains


def test_what_a_rig_can_decide_is_told_of_harmonics_before_any_run(unit: Unit, rig: Rig) -> None:
    """The expected record has the power factor that the rehearsal counts with, and the claim gets its uncertainty."""
    volts, amps, step_s = expected_record(230.0, 50.0, 0.5)
    power = power_of(volts, amps, step_s)
    assert power.current_rms == pytest.approx(0.5)
    assert power.power_factor == pytest.approx(POWER_FACTOR, abs=0.01)
    held = replace(unit, nameplate=replace(unit.nameplate, rules=(RuleChoice("iec-61000-3-2", "A"),)))
    found = predict(held, rig, Plan("Harmonics", (OPTIONS,)))
    assert found.problem == ""
    decision = next(d for d in decide(held, rig, found.wired, found.moved) if d.claim.figure == "harmonics_class_a")
    assert decision.verdict == "decides"
    assert decision.expanded is not None
    assert 0.0 < decision.expanded < 0.05
    assert decision.blame == "Calderwick P2"


@pytest.mark.parametrize(("volts", "amps", "applies"), [(230.0, 0.30, False), (230.0, 0.42, True), (115.0, 1.0, False)])
def test_limits_apply_to_active_input_power_above_75_W_in_the_systems_they_are_written_for(
    unit: Unit, volts: float, amps: float, applies: bool
) -> None:
    """IEC 61000-3-2, scope and clause 7 (values from memory); a sine in phase, so that watts are volts times amps."""
    t = np.arange(20000) / 100_000.0
    wave = np.sqrt(2.0) * np.sin(2.0 * np.pi * 50.0 * t)
    samples, waves = {}, []
    for quantity, unit_of, record in (("input_voltage", "V", volts * wave), ("input_current", "A", amps * wave)):
        data = record.astype("<f8").tobytes()
        key = hashlib.sha256(data).hexdigest()
        samples[key] = data
        waves.append(Wave(quantity, unit_of, 1e-5, len(t), 1.0, key, "power_meter", "P2", "f8"))
    at = operating_point({"input_voltage_V": volts, "frequency_Hz": 50.0, "load_percent": 100.0})
    point = Point(1, at, (), 0.0, True,
                  waves=tuple(waves))  # fmt: skip
    found = Harmonics().findings(Evidence((point,), True, samples=samples), unit.nameplate, Conventions())
    limited = [f for f in found if f.name.startswith("harmonics_class")]
    assert len(limited) == 2
    assert all((f.beside_the_point == "") is applies for f in limited)
