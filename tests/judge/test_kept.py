"""Findings that were told are kept: judged again they are the same, or it is said what changed and why."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest

from zincsmith.analysis.uncertainty import coverage_factor
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.judge.conventions import convention_words, conventions_of, turned
from zincsmith.judge.judging import judge_again, judge_run
from zincsmith.judge.snapshot import changes, snapshot
from zincsmith.model.claim import Condition, StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.events import FindingsKept, RunClosed
from zincsmith.model.finding import Judged, Verdict
from zincsmith.report.html import render

Command = Callable[..., CompletedProcess[str]]
SHIPPED = Path(__file__).parents[2] / "src" / "zincsmith" / "rules" / "data" / "us-doe-level-vi.toml"


@pytest.fixture
def book(finished_book: Path, tmp_path: Path) -> Path:
    return Path(shutil.copy(finished_book, tmp_path / "book.zbook"))


def again(command: Command, book: Path, *more: object) -> dict[str, object]:
    done = command("findings", book, "--recompute", "--json", *more)
    assert done.returncode == 0, done.stderr
    return dict(json.loads(done.stdout))


def test_old_evidence_gives_the_same_findings(command: Command, book: Path) -> None:
    found = again(command, book)
    assert found == {"run": 1, "same": True, "changed": [], "because": [], "seal": "internally consistent"}, (
        "the end of the run kept them"
    )


def test_a_rule_or_a_convention_that_changed_is_named(
    command: Command, book: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = again(command, book, "--regulation-over", "Vfl")
    assert other["same"] is False
    assert all("load regulation" in line for line in other["changed"])  # type: ignore[union-attr]
    assert other["because"] == ["convention regulation over: Vnom -> Vfl"]
    assert again(command, book, "--regulation-over", "Vfl")["same"] is True, "both are kept, the last one counts"
    with BookReader(book) as reader:
        assert len(list(reader.events(kinds=(FindingsKept,)))) == 2
    rules = tmp_path / "rules"
    rules.mkdir()
    (rules / SHIPPED.name).write_text(SHIPPED.read_text().replace("constant = 0.88 ", "constant = 0.90 "))
    monkeypatch.setenv("ZINCSMITH_RULES", str(rules))
    found = again(command, book, "--regulation-over", "Vfl")
    assert any("average active efficiency" in line for line in found["changed"])  # type: ignore[union-attr]
    assert any("rule set now in force" in line for line in found["because"])  # type: ignore[union-attr]


def test_a_verdict_that_turns_is_told_with_both(finished_book: Path) -> None:
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    before = snapshot(run)
    at = next(n for n, j in enumerate(run.judged) if j.verdict is Verdict.HOLDS)
    tight = replace(run.judged[at], verdict=Verdict.FAILS)
    told, why = changes(before, snapshot(replace(run, judged=(*run.judged[:at], tight, *run.judged[at + 1 :]))))
    assert len(told) == 1
    assert "guarded: holds -> fails" in told[0]
    assert why == []


def test_a_convention_says_what_it_would_turn_before_it_is_chosen(finished_book: Path) -> None:
    """A claim on load regulation set between what the two denominators give is turned by choosing the other."""
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    by = {}
    for over in ("Vnom", "Vfl"):
        other = judge_again(run, conventions_of(regulation_over=over))
        by[over] = next(j.finding for j in other.judged if j.finding.name == "load_regulation")
    assert by["Vnom"].value is not None
    assert by["Vfl"].value is not None
    assert by["Vfl"].value > by["Vnom"].value, "the output drops: over the smaller volts the share is greater"
    assert by["Vnom"].u is not None
    high = by["Vnom"].value + 2.0 * by["Vnom"].u + 0.5 * (by["Vfl"].value - by["Vnom"].value)
    claim = StatedClaim("load_regulation", high=high, source="requirement sheet")
    unit = replace(run.unit, nameplate=replace(run.unit.nameplate, claims=(*run.unit.nameplate.claims, claim)))
    held = judge_again(replace(run, unit=unit), run.conventions)
    would = turned(held, conventions_of(regulation_over="Vfl"))
    assert any("Load regulation" in line and "holds -> too close to call" in line for line in would)
    assert turned(held, run.conventions) == []
    with pytest.raises(InputError, match="not 'Vmax'"):
        conventions_of(regulation_over="Vmax")


def test_coverage_and_guard_band_are_chosen_and_told(finished_book: Path, command: Command) -> None:
    """A limit 1.8 u beyond the value: inside w = 1.645 u, not inside w = 2 u."""
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    finding = next(j.finding for j in run.judged if j.finding.name == "efficiency")
    assert finding.value is not None
    assert finding.u is not None
    at = finding.at.conditions
    line = (at["input_voltage_V"], at["input_voltage_V"])
    claim = StatedClaim(
        finding.name, low=finding.value - 1.8 * finding.u, source="requirement sheet",
        condition=Condition(line, at["frequency_Hz"], (at["load_percent"], at["load_percent"])),
    )  # fmt: skip
    held = replace(run, unit=replace(run.unit, nameplate=replace(run.unit.nameplate, claims=(claim,))))

    def verdict(**chosen: str) -> Judged:
        return next(
            j for j in judge_again(held, conventions_of(**chosen)).judged
            if j.claim is not None and j.claim.required and j.finding.name == finding.name
        )  # fmt: skip

    assert verdict().verdict is Verdict.TOO_CLOSE
    assert verdict(guard="1.645u").verdict is Verdict.HOLDS
    assert verdict(guard="none").verdict is Verdict.HOLDS
    assert verdict(coverage="99").verdict is Verdict.TOO_CLOSE
    usual, wide = verdict().finding, verdict(coverage="99").finding
    assert wide.k == pytest.approx(coverage_factor(usual.dof, 99.0))
    assert wide.u == usual.u
    page = render(judge_again(run, conventions_of(guard="1.645u", coverage="95")))
    assert "w = 1.645 u (JCGM 106)" in page
    assert dict(convention_words(conventions_of(coverage="95")))["coverage"] == "95 %"
    assert command("findings", finished_book, "--guard", "half").returncode == 2


def test_coverage_factors_of_few_degrees_of_freedom() -> None:
    """JCGM 100:2008, table G.2 (value from memory): t for 9 degrees of freedom, 95 %, 95.45 % and 99 %."""
    for percent, t in ((95.0, 2.26), (95.45, 2.32), (99.0, 3.25)):
        assert coverage_factor(9.0, percent) == pytest.approx(t, abs=0.005)
    assert coverage_factor(None, 95.0) == pytest.approx(1.96, abs=0.001)


def test_a_signed_run_is_amended_and_never_changed(command: Command, book: Path) -> None:
    refused = command("amend", book, "--by", "Elin Ward", "--text", "the meter was recalibrated")
    assert (refused.returncode, "is not signed" in refused.stderr) == (2, True)
    assert command("sign", book, "--by", " ").returncode == 2
    assert command("sign", book, "--by", "Elin Ward").returncode == 0
    assert command("amend", book, "--by", "Elin Ward", "--text", "the meter was recalibrated").returncode == 0
    out = book.with_suffix(".html")
    assert command("report", book, "-o", out).returncode == 0
    text = out.read_text()
    assert "Signed by Elin Ward" in text
    assert "The evidence is still that one." in text
    assert text.index("Signed by Elin Ward") < text.index("the meter was recalibrated")


def test_a_signed_run_is_not_resumed(book: Path, command: Command) -> None:
    with BookWriter(book) as writer:
        writer.append(RunClosed("aborted", "for this test", True), run=1)
    assert command("sign", book, "--by", "Elin Ward").returncode == 0

    class Nobody:
        def announce(self, *_: object) -> None: ...
        def refuse(self, *_: object) -> None: ...
        def commands(self, wait_s: float) -> list[object]:
            return []

    with BookWriter(book) as writer, pytest.raises(InputError, match="is signed: it is amended, never changed"):
        Session(writer, Nobody()).resume(None, Start("Tester", 23.0), {})  # type: ignore[arg-type]


def test_evidence_that_was_tampered_with_is_told(finished_book: Path) -> None:
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    kept = snapshot(run)
    point = run.evidence.points[0]
    moved = replace(point, readings=tuple(replace(r, value=(r.value or 0.0) * 1.01) for r in point.readings))
    other = judge_again(
        replace(run, evidence=replace(run.evidence, points=(moved, *run.evidence.points[1:]))), run.conventions
    )
    told, why = changes(kept, snapshot(other))
    assert told
    assert any("the evidence is another" in line for line in why)
    assert kept.evidence[:16] in render(run)
