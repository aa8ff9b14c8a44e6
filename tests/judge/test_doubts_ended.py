"""A doubt that somebody deals with, results that disagree, findings that belong to an output, what is lacking."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import SEALED
from zincsmith.book.writer import BookWriter
from zincsmith.formats.words import untested_words
from zincsmith.history.ended import doubt_ended
from zincsmith.judge.claims import claims_of
from zincsmith.judge.disagree import with_disagreements
from zincsmith.judge.evidence import as_reached
from zincsmith.judge.judging import judge, judge_run, split_unknown
from zincsmith.judge.one_cause import one_each
from zincsmith.judge.price import price_s
from zincsmith.model.claim import StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Contribution, Doubt, Finding, Verdict
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Plan
from zincsmith.model.reading import WORKED_OUT, Evidence, Point, Reading
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.report.html import render

Command = Callable[..., CompletedProcess[str]]


def test_a_doubt_is_dealt_with_and_stays_visible(finished_book: Path, command: Command, tmp_path: Path) -> None:
    book = tmp_path / "own.zbook"
    shutil.copy(finished_book, book)
    with BookReader(book) as reader:
        before = judge_run(reader)
    code = next(d.code for d in before.doubts)
    count = sum(d.code == code for d in before.doubts)
    assert set(before.answerable) == set(before.doubts)
    lent = replace(before, judged=tuple(replace(j, run=7) for j in before.judged))
    assert lent.answerable == (), "a doubt of a figure that another run lends is dealt with there"
    for said, why in (
        ("confirmed", "say how"),
        ("guessed: x: y", "none of these"),
        ("repeated: : Elin Ward", "say how"),
    ):
        refused = command("end-doubt", book, "--code", code, "--said", said)
        assert refused.returncode == 2
        assert why in refused.stderr
    said = "confirmed: a second meter agrees within 1 mV: Elin Ward"
    done = command("end-doubt", book, "--code", code, "--said", said)
    assert done.returncode == 0, done.stderr
    with BookReader(book) as reader:
        after = judge_run(reader)
        assert reader.seal(after.row.id).state == SEALED
    ended = [d for d in after.doubts if d.code == code]
    assert len(ended) == count
    assert all("Odd, confirmed by an independent meter: a second meter agrees" in d.ended for d in ended)
    assert len(after.doubts) == len(before.doubts), "it is not taken away"
    text = render(after)
    assert "Odd, confirmed by an independent meter" in text
    assert f"{count} dealt with" in text
    told = json.loads(command("findings", book, "--json").stdout)
    assert any(d["ended"] for f in told["findings"] for d in f["doubts"])
    again = command("end-doubt", book, "--code", code, "--said", said)
    assert again.returncode == 2
    assert "no open doubt" in again.stderr


def test_what_is_said_of_a_doubt_names_way_evidence_and_person() -> None:
    event = doubt_ended("odd", "Repeated: at 14:10, the same: within 2 mV: Elin Ward")
    assert (event.how, event.evidence, event.by) == ("repeated", "at 14:10, the same: within 2 mV", "Elin Ward")
    with pytest.raises(InputError):
        doubt_ended("odd", "it is fine")


def test_two_results_of_one_state_that_disagree_name_both() -> None:
    """Standby 0.10 W against 0.30 W of the grid at no load, known to 10 mW each."""
    at = {"input_voltage_V": 230.0, "frequency_Hz": 50.0}

    def evidence(watts: float) -> Evidence:
        reading = Reading("1/4/w", "input_power", watts, "W", "power_meter", "P2", "simulated", offset=0.01, known=True)
        return Evidence((Point(4, operating_point({**at, "load_percent": 0.0}), (reading,), 0.0),), True)

    idle = Finding("no_load_power", "No-load power", 0.10, "W", u=0.005, k=2.0, at=operating_point(at))
    doubt = with_disagreements([idle], evidence(0.30))[0].doubts[0]
    assert doubt.code == "two_results_disagree"
    assert "standby found 0.1 W, and point 4 of the grid read 0.3 W" in doubt.text
    assert with_disagreements([idle], evidence(0.11))[0].doubts == ()


def test_a_finding_of_one_rail_never_judges_the_claim_of_another() -> None:
    rails = (
        OutputRating(5.0, 2.0, tolerance_percent=1.0, name="+5 V"),
        OutputRating(12.0, 1.0, tolerance_percent=1.0, name="+12 V"),
    )
    plate = Nameplate((InputRating(voltage_V=(100.0, 240.0), frequency_Hz=(50.0, 60.0)),), rails)
    claims = [replace(c, procedure="static grid") for c in claims_of(plate) if c.figure == "output_voltage"]
    at = {"input_voltage_V": 115.0, "load_percent": 100.0}
    five = [
        Finding(f"output_voltage_{n}", "V", 5.01, "V", u=0.001, k=2.0, at=operating_point(at), output="+5 V")
        for n in ("min", "max")
    ]
    whole = Finding("output_voltage_max", "V", 5.01, "V", u=0.001, k=2.0, at=operating_point(at))
    judged = judge([*five, whole], claims, Evidence((), True))
    verdicts = {(j.claim.output if j.claim else "", j.finding.output): j.verdict for j in judged}
    assert verdicts["+12 V", ""] is Verdict.NOT_TESTED
    assert verdicts["", ""] is Verdict.NO_CLAIM, "a finding that names no rail judges none"
    assert ("+12 V", "+5 V") not in verdicts


def test_what_a_claim_lacks_has_its_price(finished_book: Path) -> None:
    """Worked by hand: warm-up, and for a whole line the warming again and each load; a corner is one point."""
    grid = GridOptions(
        loads_percent=(100.0, 0.0), warm_up_s=1800.0, rewarm_s=300.0, settle_s=10.0, settled_window_s=20.0,
        average_s=10.0,
    )  # fmt: skip
    plan = Plan("x", (grid,))
    assert price_s(("100 V",), plan) == 1800.0 + 300.0 + 2 * 40.0
    assert price_s(("240 V 0 % load",), plan) == 1840.0
    assert price_s((), plan) is None
    assert price_s(("480 min under load",), plan, 28800.0) == 28800.0
    assert price_s(("45 °C of the room",), plan) is None, "no plan makes the room warm"
    assert price_s(("100 V",), Plan("y", (StandbyOptions(),))) is None
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    part = next(j for j in run.judged if j.lacks)
    assert part.price_s
    assert "to test that" in untested_words(part)


def test_a_bound_in_volts_is_held_against_the_nominal(finished_book: Path) -> None:
    from zincsmith.formats.entry import parse_share

    assert parse_share("50 mV", 24.0) == pytest.approx(100.0 * 0.05 / 24.0)
    assert parse_share("0,1 % + 5 mV", 5.0) == pytest.approx(0.1 + 0.1)
    assert parse_share("0.5", 24.0) == 0.5
    for text, nominal in (("5 mV", 0.0), ("1 kg", 5.0), ("0.1 % + x", 5.0)):
        with pytest.raises(InputError):
            parse_share(text, nominal)
    assert StatedClaim("load_regulation", high=0.002).required is False


def test_a_run_is_judged_against_the_claims_of_today_and_a_signed_one_against_those_of_its_day(
    finished_book: Path, tmp_path: Path, command: Command
) -> None:
    book = tmp_path / "own.zbook"
    shutil.copy(finished_book, book)

    def with_claim(high: float) -> None:
        with BookReader(book) as reader:
            unit = reader.unit()
            key = reader.current_key("unit")
        plate = replace(unit.nameplate, claims=(StatedClaim("static_accuracy", high=high, source="manual"),))
        with BookWriter(book) as writer:
            writer.revise("unit", key or "", replace(unit, nameplate=plate), "a claim")

    def bound() -> float | None:
        with BookReader(book) as reader:
            run = judge_run(reader)
        return next((j.claim.high for j in run.judged if j.claim and j.claim.figure == "static_accuracy"), None)

    assert bound() is None
    with_claim(0.02)
    assert bound() == 0.02
    with BookReader(book) as reader:
        assert judge_run(reader).claims_of_today
    assert command("sign", book, "--by", "Elin Ward").returncode == 0
    with_claim(0.01)
    assert bound() == 0.02, "what was signed is what was judged"


def test_doubts_with_one_cause_are_one_doubt() -> None:
    low = Doubt("below_range_floor", "At 115 V, 0 % 0.17 W on the 75 W range.", "Use a lower range.")
    rig = Doubt("reading_below_floor", "Some 0.3 W are 0.4 % of the 75 W range.", "Use a lower range.")
    off = [Doubt("source_out_of_tolerance", f"At {v} V the input was off.", "Set it.") for v in (100, 115, 230)]
    other = Doubt("load_not_reached", "The load drew 1 A.", "See.")
    found = one_each((low, *off, rig, other))
    assert [d.code for d in found] == ["below_range_floor", "source_out_of_tolerance", "load_not_reached"]
    assert found[1].text == "At 100 V the input was off. So at 2 more points."
    assert one_each((rig, other)) == (rig, other), "nothing is dropped that stands alone"
    assert one_each((low, low)) == (low,)


def test_a_load_of_resistors_is_told_for_what_it_reached(unit: Unit) -> None:
    """2.25 A of 2.5 A are 90 %, whatever was asked for; a load within 2 % is the one that was asked for."""

    def at(amps: float, how: str) -> Point:
        drawn = Reading("1/1/output_current", "output_current", amps, "A", "load", "R1", how)
        return Point(
            1, operating_point({"input_voltage_V": 230.0, "load_percent": 100.0, "load_A": 2.5}), (drawn,), 0.0
        )

    assert as_reached(at(2.25, WORKED_OUT), unit.nameplate).at.load_percent == 90.0
    assert as_reached(at(2.47, WORKED_OUT), unit.nameplate).at.load_percent == 100.0
    assert as_reached(at(2.25, "by hand"), unit.nameplate).at.load_percent == 100.0
    codes = {how: {d.code for d in point_doubts(at(2.25, how), ())} for how in (WORKED_OUT, "by hand")}
    assert "load_not_reached" in codes["by hand"], "an electronic load that does not draw what it was set to"
    assert "load_not_reached" not in codes[WORKED_OUT], "a resistor draws what it draws"


def test_a_difference_that_only_the_convention_keeps_open_is_told_the_way_out() -> None:
    limit = Contribution("Fennhollow M6, output_voltage, 60 range", 0.0, True, separate=4e-4, rectangular=True, count=2)
    repeats = Contribution("1/1/output_voltage repeats", 1e-5, False, 19.0)
    one = Finding("load_regulation", "Load regulation", 0.0099, "1", u=4e-4, k=2.0, contributions=(limit, repeats))
    (doubt,) = split_unknown(one)
    assert "Fennhollow M6" in doubt.text
    assert "transfer" in doubt.remedy
    assert split_unknown(replace(one, name="efficiency")) == [], "not a difference"
    stated = replace(limit, separate=None, effect=1e-6)
    assert split_unknown(replace(one, contributions=(stated, repeats))) == [], "the data sheet says how it splits"
