"""Claims that follow from a plate, findings against them, and the words for both."""

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.book.reader import BookReader
from zincsmith.formats.words import decimals_for, duration, number, shown, value_words
from zincsmith.judge.claims import claims_of
from zincsmith.judge.judging import judge, judge_run
from zincsmith.judge.untested import untested
from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Finding, Verdict, Working
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.scope import Scope, Stood
from zincsmith.model.unit import InputRange, InputRating, Nameplate, OutputRating, Unit
from zincsmith.procedures.plan_file import NAMED
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions, grid_of
from zincsmith.showing.findings_json import as_json
from zincsmith.showing.live import live_figures
from zincsmith.showing.ruler_scale import scale_for

BARE = Nameplate((InputRating((100.0, 240.0)),), (OutputRating(24.0, 2.5),))


def test_nothing_is_invented() -> None:
    bare = claims_of(BARE)
    assert [(c.key, c.bounded) for c in bare] == [("output_voltage", False)], "volts as printed, no tolerance stated"
    found = judge([finding("output_voltage_min", 23.1, 0.01)], bare, evidence())[0]
    assert (found.verdict, found.words, found.probability) == (Verdict.NO_CLAIM, "no tolerance", None)
    assert scale_for(found) is not None


def test_each_stated_figure_makes_its_own_claim(unit: Unit) -> None:
    keys = [c.key for c in claims_of(unit.nameplate)]
    assert keys[:5] == ["output_voltage", "load_regulation", "line_regulation", "input_current", "no_load_power"]
    assert sum("us-doe" in key for key in keys) == 4, "efficiency and no-load power at two lines"
    without = replace(unit.nameplate, outputs=(replace(unit.nameplate.output, tolerance_percent=None),))
    assert not next(c for c in claims_of(without) if c.key == "output_voltage").bounded


def test_published_limits_follow_the_rated_power() -> None:
    rule = (RuleChoice("us-doe-level-vi", "ac-dc basic"),)
    small = replace(BARE, rules=rule, outputs=(OutputRating(12.0, 1.0),))
    limit = next(c for c in claims_of(small) if c.key.endswith("efficiency 115 V 60 Hz"))
    assert limit.low == pytest.approx(0.82963, abs=1e-5)
    with pytest.raises(InputError, match="has no class"):
        claims_of(replace(BARE, rules=(RuleChoice("us-doe-level-vi", "steam"),)))
    with pytest.raises(InputError, match="no rule set"):
        claims_of(replace(BARE, rules=(RuleChoice("uk-1066", "x"),)))


def finding(
    name: str, value: float, u: float | None, loads: tuple[float, ...] = (0.0, 100.0), **conditions: float
) -> Finding:
    rows = tuple({"input_voltage_V": 115.0, "load_percent": load} for load in loads)
    k = 2.0 if u is not None else None
    return Finding(name, name, value, "1", u, k, at=operating_point(conditions), working=Working("", rows=rows))


def evidence(
    complete: bool = True, lines: tuple[float, ...] = (115.0, 230.0), loads: tuple[float, ...] = (0.0, 100.0)
) -> Evidence:
    places = [{"input_voltage_V": v, "load_percent": load} for v in lines for load in loads]
    return Evidence(tuple(Point(k, operating_point(at), (), 0.0) for k, at in enumerate(places)), complete)


@pytest.mark.parametrize(
    ("value", "verdict", "simple"),
    [
        (0.8790, Verdict.FAILS, Verdict.FAILS),
        (0.8795, Verdict.TOO_CLOSE, Verdict.FAILS),
        (0.8805, Verdict.TOO_CLOSE, Verdict.HOLDS),
        (0.8811, Verdict.HOLDS, Verdict.HOLDS),
    ],
)
def test_guarded_and_simple_verdicts_side_by_side(unit: Unit, value: float, verdict: Verdict, simple: Verdict) -> None:
    claims = [c for c in claims_of(unit.nameplate) if c.key.endswith("efficiency 115 V 60 Hz")]
    at = {"input_voltage_V": 115.0, "frequency_Hz": 60.0}
    judged = judge([finding("average_active_efficiency", value, 0.0003, **at)], claims, evidence())
    assert [(j.verdict, j.verdict_simple) for j in judged] == [(verdict, simple)]


def test_a_claim_only_meets_findings_under_its_conditions(unit: Unit) -> None:
    claims = [c for c in claims_of(unit.nameplate) if "efficiency" in c.key]
    only_115 = [finding("average_active_efficiency", 0.9, 0.001, input_voltage_V=115.0, frequency_Hz=60.0)]
    judged = judge(only_115, claims, evidence())
    assert [j.verdict for j in judged] == [Verdict.HOLDS, Verdict.NOT_TESTED]
    assert judged[1].finding.value is None
    assert "not in the plan" in judged[1].finding.working.note


def test_a_finding_without_a_claim_says_so(unit: Unit) -> None:
    judged = judge([finding("output_resistance", 0.02, 0.001)], [], evidence())
    assert [j.verdict for j in judged] == [Verdict.NO_CLAIM]


def test_a_range_tested_in_part_raises_a_doubt(unit: Unit) -> None:
    claims = [c for c in claims_of(unit.nameplate) if c.key == "output_voltage"]
    values = [finding("output_voltage_min", 23.9, 0.01), finding("output_voltage_max", 24.1, 0.01)]
    part = judge(values, claims, evidence())
    assert [{d.code for d in j.finding.doubts} for j in part] == [{"range_not_covered"}] * 2
    assert "100 V and 240 V" in part[0].finding.doubts[0].remedy
    assert [(j.verdict, j.coverage, j.words) for j in part] == [(Verdict.NOT_TESTED, "part", "tested in part")] * 2
    whole = judge(values, claims, evidence(lines=(100.5, 115.0, 239.0)))
    assert all(not j.finding.doubts for j in whole)
    assert [(j.verdict, j.coverage, j.words) for j in whole] == [(Verdict.HOLDS, "full", "holds")] * 2
    corner = judge(values, claims, evidence(lines=(100.0, 240.0), loads=(50.0, 100.0)))
    assert corner[0].lacks == ("100 V 0 % load", "240 V 0 % load")
    near = judge(values, claims, evidence(lines=(98.9, 240.0)))
    assert near[0].lacks == ("100 V",), "more than 1 % below"


def test_a_regulation_from_half_load_is_tested_in_part_and_fails_all_the_same(unit: Unit) -> None:
    claims = [c for c in claims_of(unit.nameplate) if c.key == "load_regulation"]
    half = judge([finding("load_regulation", 0.003, 0.0002, loads=(50.0, 100.0))], claims, evidence())[0]
    assert (half.words, half.lacks) == ("tested in part", ("0 % load",))
    bad = judge([finding("load_regulation", 0.05, 0.0002, loads=(50.0, 100.0))], claims, evidence())[0]
    assert (bad.verdict, bad.verdict_simple, bad.coverage) == (Verdict.FAILS, Verdict.FAILS, "part")
    near = judge([finding("load_regulation", 0.003, 0.0002, loads=(1.9, 98.1))], claims, evidence())[0]
    assert (near.words, near.coverage) == ("holds", "full")


def test_a_claim_asks_for_its_room_its_frequency_its_mode_and_its_time() -> None:
    at = operating_point({"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 100.0})
    said = Scope("", (230.0, 230.0), load_percent=(100.0, 100.0))
    assert said.missing([Stood(at)], 23.0) == ()
    assert replace(said, frequency_Hz=60.0).missing([Stood(at)]) == ("60 Hz",)
    assert replace(said, mode="20 V").missing([Stood(at)]) == ("the mode 20 V",)
    assert replace(said, mode="20 V").missing([Stood(replace(at, modes=(("", "20 V"),)))]) == ()
    warm = replace(said, ambient_degC=(0.0, 45.0))
    assert warm.missing([Stood(at)], 23.0) == ("0 °C of the room", "45 °C of the room")
    assert (warm.missing([Stood(at)]), replace(said, ambient_degC=(25.0, 25.0)).missing([Stood(at)], 23.0)) == ((), ())
    long = replace(said, duration_s=28800.0)
    assert long.missing([Stood(at, 1800.0)]) == ("480 min under load",)
    assert long.missing([Stood(at, 1800.0), Stood(at, 28799.0)]) == ()
    continuous = replace(said, duration_s=0.0)
    assert continuous.missing([Stood(at, settled=False)]) == ("a steady state",)
    assert continuous.missing([Stood(at, settled=True)]) == ()


def test_how_long_a_point_stood_is_known_of_a_run(finished_book: Path) -> None:
    """Full load was held through the warm-up; every other load for as long as it took to settle and average."""
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    grid = next(p for p in run.plan.parts if isinstance(p, GridOptions))
    points = [p for p in run.evidence.by("static_grid").points if p.at.graded]
    full, *lighter = [p for p in points if p.at.line_V == grid.lines[0].voltage_V]
    assert full.held_s is not None
    assert full.held_s >= grid.warm_up_s
    for point in lighter:
        assert point.held_s is not None
        assert grid.settle_s <= point.held_s <= grid.settle_at_most_s + 2.0 * grid.average_s + 5.0


def test_a_range_of_an_input_is_judged_by_its_own_line(unit: Unit) -> None:
    plate = replace(unit.nameplate, inputs=(InputRating((100.0, 240.0), current_A=1.0, ranges=(
        InputRange((115.0, 115.0), 1.0), InputRange((230.0, 230.0), 0.5), InputRange((120.0, 370.0), 0.8, "dc"),
    )),))  # fmt: skip
    claims = [c for c in claims_of(plate) if c.figure == "input_current"]
    found = [
        finding("input_current", amps, 0.001, (100.0,), input_voltage_V=volts, frequency_Hz=50.0)
        for volts, amps in ((115.0, 0.9), (230.0, 0.49))
    ]
    judged = judge(found, claims, evidence())
    own = {(j.claim.high, j.finding.value): j.words for j in judged if j.claim is not None}
    assert own[1.0, 0.9] == own[0.5, 0.49] == "holds"
    assert (0.5, 0.9) not in own, "what is drawn at 115 V says nothing of the range of 230 V"
    assert {w for (high, _), w in own.items() if high == 0.8} == {"tested in part"}


def test_an_incomplete_run_says_what_is_missing(unit: Unit) -> None:
    claims = claims_of(unit.nameplate)
    judged = judge([finding("load_regulation", 0.003, 0.0002)], claims, evidence(complete=False))
    tested = [j for j in judged if j.verdict is not Verdict.NOT_TESTED]
    assert [{d.code for d in j.finding.doubts} for j in tested] == [{"run_incomplete"}]
    notes = {j.finding.working.note for j in judged if j.verdict is Verdict.NOT_TESTED}
    assert notes == {"the run ended before its points were taken"}


def test_what_was_not_read_is_said_where_the_figure_is_missing(unit: Unit) -> None:
    """Input watts at half load were a dash: the average efficiency says so, and not that the plan has no points."""

    def point(n: int, load: float) -> Point:
        watts = None if load == 50.0 else 60.0
        readings = tuple(
            Reading(f"1/{n}/{q}", q, v, "", "role", "meter", "by hand")
            for q, v in (("input_power", watts), ("output_voltage", 24.0), ("output_current", load / 40.0))
        )
        return Point(
            n, operating_point({"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": load}), readings, 0.0
        )

    taken = Evidence(tuple(point(n, load) for n, load in enumerate((100.0, 75.0, 50.0, 25.0), 1)), True)
    claims = [c for c in claims_of(unit.nameplate) if c.figure in ("average_active_efficiency", "input_current")]
    held = replace(unit.nameplate, rules=(RuleChoice("iec-61000-3-2", "D"),))
    claims += [c for c in claims_of(held) if c.figure == "harmonics_class_d"]
    notes = {(j.claim.figure, j.claim.at.feed.voltage_V): j.finding.working.note
             for j in judge([], claims, taken) if j.claim}  # fmt: skip
    assert notes["average_active_efficiency", 115.0] == "input watts not read at 115 V, 50 %"
    assert notes["average_active_efficiency", 230.0] == "its points are not in the plan"
    assert notes["harmonics_class_d", None] == "its points are not in the plan", "it needs no output volts"
    assert notes["input_current", None] == "input amps not read at 115 V, 100 %"


def test_what_a_plan_leaves_untested_is_known_beforehand(unit: Unit) -> None:
    plan = NAMED["static-grid"]
    rows = untested(unit, plan)
    absent = [r.claim.figure for r in rows if r.why == "its procedure is not in the plan"]
    assert sorted(absent) == [
        "hold_up",
        "hot_spot",
        "load_step",
        "no_load_power",
        "no_load_power",
        "no_load_power",
        "ripple",
    ]
    assert {r.claim.key for r in rows if r.partly} == {"output_voltage", "line_regulation", "input_current"}
    wide = replace(plan, parts=(replace(grid_of(plan.parts), lines=(Line(100.0, 60.0), Line(240.0, 50.0))),))
    rows = untested(unit, wide)
    assert not any(r.partly for r in rows)
    assert sum(r.why == "its line is not in the plan" for r in rows) == 2
    idle = replace(plan, parts=(*plan.parts, StandbyOptions()))
    assert not any("No-load" in r.claim.title for r in untested(unit, idle))


# A whole run out of the book


def test_a_finished_run_is_judged_whole(finished_book: Path) -> None:
    with BookReader(finished_book) as book:
        run = judge_run(book)
    verdicts = {(j.finding.name, j.claim.key if j.claim else ""): j.verdict for j in run.judged}
    assert verdicts["output_voltage_min", "output_voltage"] is Verdict.NOT_TESTED
    part = {j.claim.key: j.lacks for j in run.judged if j.claim and j.coverage == "part"}
    assert part == dict.fromkeys(("output_voltage", "line_regulation", "input_current"), ("100 V", "240 V"))
    assert verdicts["load_regulation", "load_regulation"] is Verdict.HOLDS
    assert verdicts["no_load_power", "no_load_power"] is Verdict.NOT_TESTED
    assert verdicts["output_resistance", ""] is Verdict.NO_CLAIM
    assert run.count(Verdict.FAILS) == 0
    assert sum(run.count(v) for v in Verdict) == len(run.judged)
    assert run.evidence.complete


def test_the_published_form_of_findings(finished_book: Path) -> None:
    with BookReader(finished_book) as book:
        data = as_json(judge_run(book))
    assert (data["unit"], data["run"]) == ("HB-07", 1)
    wanted = {
        "name",
        "title",
        "value",
        "unit",
        "u",
        "k",
        "conditions",
        "claim",
        "verdict",
        "verdict_simple",
        "working",
        "doubts",
    }
    for one in data["findings"]:
        assert wanted <= set(one)
        assert one["verdict"] in {v.value for v in Verdict}
        assert (one["value"] is None) == (one["verdict"] == "not tested" and one["coverage"] == "")
        assert bool(one["lacks"]) == (one["coverage"] == "part")
        assert (one["claim"] is None) == (one["verdict"] == "no claim")
        if one["value"] is not None:
            budget = sum(part["u"] ** 2 for part in one["working"]["budget"]) ** 0.5
            assert one["u"] == pytest.approx(budget), "the budget adds up to the uncertainty"
    ratios = [f for f in data["findings"] if "efficiency" in f["name"] and f["value"] is not None]
    assert ratios
    assert all(f["unit"] == "1" and 0.5 < f["value"] < 1.0 for f in ratios)


def test_a_named_run_is_judged_with_the_nameplate_it_cites(finished_book: Path, tmp_path: Path, unit: Unit) -> None:
    from zincsmith.book.writer import BookWriter

    path = tmp_path / "copy.zbook"
    path.write_bytes(finished_book.read_bytes())
    tighter = replace(
        unit, nameplate=replace(unit.nameplate, outputs=(replace(unit.nameplate.output, tolerance_percent=0.01),))
    )
    with BookWriter(path) as writer:
        writer.revise("unit", unit.tag, tighter, "edited after the run")
    with BookReader(path) as book:
        assert book.unit().nameplate.output.tolerance_percent == 0.01
        assert judge_run(book, 1).unit.nameplate.output.tolerance_percent == 2.0


# Words


@given(st.floats(1e-6, 1e4), st.floats(0.01, 1e5))
def test_two_significant_digits_of_uncertainty_decide(expanded: float, value: float) -> None:
    decimals = decimals_for(expanded, value)
    digits = number(expanded, decimals).replace(".", "").lstrip("0")
    if 0 < decimals < 8:
        assert len(digits) in (2, 3)
        assert len(digits) == 2 or expanded * 10**decimals >= 99.5 - 1e-6


def test_values_as_people_read_them() -> None:
    one = Finding("average_active_efficiency", "x", 0.88163, "1", 0.00085, 2.0)
    assert value_words(one) == ("88.16", "±0.17", "%")
    assert value_words(Finding("output_resistance", "x", 0.0275, "ohm", 0.0016, 2.0)) == ("27.5", "±3.2", "mΩ")
    assert value_words(Finding("no_load_power", "x", None, "W")) == ("–", "", "W")
    assert number(-0.25, 2) == "−0.25"
    assert [duration(s) for s in (20, 240, 5880)] == ["20 s", "4 min", "1 h 38 min"]


@given(st.floats(0.5, 1.0), st.floats(1e-5, 0.05))
def test_a_ruler_shows_limit_needle_and_whisker(value: float, u: float) -> None:
    plate = replace(BARE, average_efficiency_percent=88.0)
    claims = [c for c in claims_of(plate) if c.bounded]
    judged = judge([finding("average_active_efficiency", value, u)], claims, evidence())[0]
    scale = scale_for(judged)
    assert scale is not None
    for mark in (88.0, 100.0 * (value - 2 * u), 100.0 * (value + 2 * u)):
        assert scale.low <= mark + 1e-9
        assert mark <= scale.high + 1e-9
    assert 3 <= len(scale.ticks) <= 9
    assert 0.0 <= scale.share(88.0) <= 1.0


def test_live_figures_carry_dashes_where_nobody_reads(rig: Rig) -> None:
    figures = {f.words: f for f in live_figures({"output_voltage": 24.0, "output_current": 2.5}, rig)}
    assert figures["Input watts"].value is None
    assert figures["Efficiency"].value is None
    assert figures["Output watts"].value == pytest.approx(60.0)
    assert figures["Output watts"].expanded is not None
    assert figures["Output volts"].expanded == pytest.approx(0.9545 * (0.0002 * 24.0 + 0.00005 * 60.0), rel=2e-3)


def test_accuracy_is_said_as_printed(rig: Rig, unit: Unit) -> None:
    from zincsmith.words.instrument_words import accuracy_words, limit_words

    meter = rig.instrument("power_meter")
    assert meter is not None
    row = meter.accuracy_for("input_power", 68.5)
    assert row is not None
    assert accuracy_words(row) == "0.1 % of reading + 0.04 % of 75 W"
    assert limit_words(row, unit, Line(115.0, 60.0)).startswith("±0.098 W at 68.")


def test_evidence_without_values_stays_without(rig: Rig) -> None:
    from zincsmith.procedures.static_grid.plots import efficiency

    empty = Point(
        1, operating_point({"load_percent": 100.0}), (Reading("1", "input_power", None, "W", "x", "x", "by hand"),), 0.0
    )
    assert efficiency(empty) is None


@pytest.mark.parametrize(
    ("ohm", "words"),
    [(0.034, "34.00"), (3.9, "3.900"), (42.0, "42.00"), (281e3, "281.0"), (33e6, "33.00")],
)
def test_a_resistance_is_told_in_the_unit_of_its_size(ohm: float, words: str) -> None:
    """Leads in milliohm, a bleeder in kilohm: nobody reads 281 000 000 of anything."""
    one = Finding("stage_resistance", "Ohms of a stage", ohm, "ohm")
    factor, unit = shown(one)
    assert unit == {0.034: "mΩ", 3.9: "Ω", 42.0: "Ω", 281e3: "kΩ", 33e6: "MΩ"}[ohm]
    assert number(ohm * factor, decimals_for(None, ohm * factor)).replace("\u202f", "").replace(" ", "") == words
