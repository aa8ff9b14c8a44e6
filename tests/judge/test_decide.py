"""What a rig can decide: the same arithmetic that judges readings, on rehearsed evidence."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.conftest import ROOT

from zincsmith.analysis.conformity import guarded_verdict
from zincsmith.analysis.leads import lead_resistance
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.decide import Decision, decide, tolerance_of, verdict_of
from zincsmith.judge.judging import judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.finding import Verdict
from zincsmith.model.rig import Accuracy, Lead, Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.planning.prediction import predict
from zincsmith.procedures.plan_file import NAMED
from zincsmith.showing.rig_words import as_json, brings_back, counts, decision_row, rig_words

PLAN = NAMED["static-grid"]


def decisions(unit: Unit, rig: Rig) -> dict[str, Decision]:
    found = predict(unit, rig, PLAN)
    assert found.problem == ""
    return {d.claim.key: d for d in decide(unit, rig, found.wired, found.moved)}


def with_meter(rig: Rig, role: str, *accuracy: Accuracy) -> Rig:
    return replace(rig, instruments=tuple(replace(i, accuracy=accuracy) if i.role == role else i
                                          for i in rig.instruments))  # fmt: skip


def test_the_demonstration_rig_decides_what_it_is_built_for(unit: Unit, rig: Rig) -> None:
    found = decisions(unit, rig)
    assert found["output_voltage"].verdict == "decides"
    assert found["load_regulation"].verdict == "decides"
    for one in found.values():
        if one.share is not None:
            assert one.verdict == verdict_of(one.share)
            assert one.tolerance is not None
            assert one.tolerance <= tolerance_of(one.claim) + 1e-12
            assert one.share == pytest.approx((one.expanded + one.error) / one.tolerance)
            assert one.blame
    assert {d.verdict for d in found.values() if not d.claim.procedure} <= {"no procedure yet", "cannot"}


def test_output_voltage_by_hand(unit: Unit, rig: Rig) -> None:
    """24 V in a 60 V range: limit 0.02 % of 24 V + 0.005 % of 60 V = 7.8 mV, u = limit / sqrt 3, against
    2 % of 24 V; a single limit is not exceeded, so k is 0.9545 sqrt 3. Worked by hand."""
    one = decisions(unit, rig)["output_voltage"]
    assert one.expanded == pytest.approx(0.9545 * 0.0078, rel=0.02)
    assert one.tolerance == pytest.approx(0.48)
    assert one.blame == "Fennhollow M6"


def test_the_tolerance_is_the_room_that_the_verdict_will_have(unit: Unit, rig: Rig) -> None:
    """A claim right beside what is expected is not decided, as its verdict will be too close; far from it, it is."""
    expected = decisions(unit, rig)["us-doe-level-vi efficiency 115 V 60 Hz"].value
    assert expected is not None
    for room, decided in ((0.0005, False), (0.05, True)):
        stated = StatedClaim("average_active_efficiency", low=expected - room, source="requirement sheet")
        held = replace(unit, nameplate=replace(unit.nameplate, claims=(stated,)))
        one = next(d for d in decisions(held, rig).values() if d.claim.stated is not None)
        assert one.tolerance == pytest.approx(room, rel=0.2)
        assert (one.verdict == "decides") is decided
        assert one.expanded is not None
        close = guarded_verdict(expected, one.expanded, expected - room, None) is Verdict.TOO_CLOSE
        assert close is not decided


def test_a_worse_meter_decides_less_and_is_named(unit: Unit, rig: Rig) -> None:
    poor = with_meter(rig, "voltmeter", Accuracy("output_voltage", 60.0, 1.0, 0.5))
    one = decisions(unit, poor)["output_voltage"]
    assert one.verdict == "cannot"
    assert one.blame == "Fennhollow M6"
    assert "Fennhollow M6" in decision_row(one)
    silent = with_meter(rig, "voltmeter")
    assert decisions(unit, silent)["output_voltage"].why == "Fennhollow M6 states no accuracy"
    nobody = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "voltmeter"))
    assert "voltmeter" in decisions(unit, nobody)["output_voltage"].why


def test_what_would_bring_back_most_is_named(unit: Unit, rig: Rig) -> None:
    assert "would bring back" not in brings_back(list(decisions(unit, with_meter(rig, "scope")).values())[:1])
    silent = decisions(unit, with_meter(rig, "voltmeter"))
    lost = [d for d in silent.values() if d.why == "Fennhollow M6 states no accuracy"]
    assert brings_back(list(silent.values())) == f"the data sheet of Fennhollow M6 would bring back {len(lost)} claims"
    nobody = decisions(unit, replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "power_meter")))
    assert brings_back(list(nobody.values())).startswith("a power meter would bring back ")
    sensed = decisions(unit, replace(rig, sense="load", leads=(Lead("unit load", 2.0, 0.75),)))
    there = [d for d in sensed.values() if d.why != "no scope on the rig"]
    assert brings_back(there).startswith("sense leads at the unit would bring back")
    assert brings_back(list(sensed.values())) == "a scope would bring back 3 claims"


def test_sense_at_the_load_costs_the_lead_drop_and_moving_it_mends_that(unit: Unit, rig: Rig) -> None:
    """Kelvin worked by hand: the drop at full load is current times the resistance of the pair."""
    lead = Lead("unit load", 2.0, 0.75)
    wired = replace(rig, sense="load", leads=(lead,))
    one = decisions(unit, wired)["load_regulation"]
    drop = 2.5 * lead_resistance(lead)
    assert one.error == pytest.approx(drop / 24.0, rel=1e-6)
    assert (one.verdict, one.moved) == ("cannot", "decides")
    assert one.blame == "lead drop"
    assert "drop" in rig_words(one)
    before, after = counts(list(decisions(unit, wired).values())), counts(list(decisions(unit, wired).values()), True)
    assert after["decides"] > before["decides"]
    assert sum(before.values()) == sum(after.values())


def test_the_uncertainty_foreseen_is_that_of_a_run(unit: Unit, rig: Rig, finished_book) -> None:  # type: ignore[no-untyped-def]
    """Same code, so the run's own expanded uncertainties come out as foreseen, repeats apart."""
    from zincsmith.book.reader import BookReader

    with BookReader(finished_book) as book:
        run = judge_run(book)
    found = decisions(unit, rig)
    for key in ("load_regulation", "input_current"):
        ran = [j.finding for j in run.judged if j.claim is not None and j.claim.key == key]
        assert found[key].expanded == pytest.approx(max(f.u * f.k for f in ran), rel=0.15)


@pytest.mark.parametrize("name", sorted(f.stem for f in (ROOT / "examples" / "units").glob("*.toml")))
def test_a_unit_nobody_can_test_yet_says_so(name: str, rig: Rig) -> None:
    unit = read_unit(ROOT / "examples" / "units" / f"{name}.toml")
    found = predict(unit, rig, PLAN)
    rows = decide(unit, rig, found.wired, found.moved)
    data = as_json([], rows, found.problem)
    assert len(data["decides"]) == len(rows) > 0
    if found.problem:
        assert {d.verdict for d in rows} <= {"no procedure yet", "cannot"}
        assert data["rehearsal"] == found.problem


def test_what_a_scope_decides_is_told_by_its_data_sheet(unit: Unit) -> None:
    scoped = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    plan = compose(unit, scoped)[0]

    def decided(on: Rig) -> dict[str, Decision]:
        found = predict(unit, on, plan)
        return {d.claim.figure: d for d in decide(unit, on, found.wired, found.moved)}

    found = decided(scoped)
    ripple = found["ripple"]
    assert ripple.verdict == "decides"
    # Half of 120 mV at 2 %, half a per cent of the range that it fills to 70 %, one step of 256.
    span = 0.06 / 0.7
    assert ripple.expanded == pytest.approx(0.02 * 0.06 + 0.005 * span + span / 256.0)
    assert found["load_step"].verdict == "decides"
    assert (found["hold_up"].verdict, found["hold_up"].expanded) == ("marginal", None)
    assert "recorded" in found["hold_up"].why
    scope = scoped.instrument("scope")
    assert scope is not None
    silent = replace(scope, accuracy=())
    poor = replace(scoped, instruments=tuple(silent if i.role == "scope" else i for i in scoped.instruments))
    assert decided(poor)["ripple"].why.endswith("states no accuracy")
