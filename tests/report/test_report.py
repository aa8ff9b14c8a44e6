"""The report: self-contained, complete, honest about what was not done."""

import re
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path

import pytest

from zincsmith.book.reader import BookReader
from zincsmith.formats.words import value_words
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import JudgedRun, _with_rig, judge_run
from zincsmith.model.events import RunClosed
from zincsmith.model.intake import SafetyRecord
from zincsmith.report.figures import ruler_svg
from zincsmith.report.html import render
from zincsmith.suitability.check import check


@pytest.fixture(scope="module")
def run(finished_book: Path) -> JudgedRun:
    with BookReader(finished_book) as book:
        return judge_run(book)


class Tags(HTMLParser):
    """Collects what a browser would fetch, and checks that tags are closed."""

    VOID = frozenset(("meta", "br", "link", "img", "path", "rect", "circle", "use"))

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.fetched: list[str] = []
        self.words: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        for name, value in attrs:
            outside = value is not None and not value.startswith(("#", "data:"))
            if name in ("src", "href", "xlink:href", "data") and outside:
                self.fetched.append(f"{tag} {value}")
        if tag not in self.VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        pass

    def handle_endtag(self, tag: str) -> None:
        if tag not in self.VOID:
            assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.words.append(data)


def parsed(text: str) -> Tags:
    tags = Tags()
    tags.feed(text)
    return tags


def test_it_is_one_file_that_needs_nothing_else(run: JudgedRun) -> None:
    tags = parsed(render(run))
    assert tags.open == []
    assert tags.fetched == []
    assert "url(" not in re.sub(r"url\(#", "", render(run))


def test_every_finding_stands_in_it_with_value_and_verdict(run: JudgedRun) -> None:
    text = " ".join(" ".join(parsed(render(run)).words).split())
    for judged in run.judged:
        value, expanded, _ = value_words(judged.finding)
        assert judged.finding.title in text
        assert value in text
        assert expanded in text
    for word in ("holds", "not tested", "no claim", "guarded", "simple", "Fennhollow M6", "Tester", "23.0 °C"):
        assert word in text
    assert evidence_digest(run) in text
    assert "The bench is simulated" in text


def test_verdicts_come_first_and_the_first_lines_tell_of_doubts_and_what_was_not_tested(run: JudgedRun) -> None:
    text = render(run)
    order = [
        text.index(heading)
        for heading in (
            "Open doubts:",
            "Not tested:",
            "<h2>Claims and findings",
            "Doubts</h2>",
            "<h2>Not tested",
            "<h2>Workings",
            "<h2>Single readings",
            "<h2>Rig",
        )
    ]
    assert order == sorted(order)


def test_a_run_that_ended_early_says_so_at_the_top(run: JudgedRun) -> None:
    closed = RunClosed("tripped", "Output volts reached 31 V", False, ("ac source Brackmere A5: pull its plug",))
    early = replace(run, closed=closed, evidence=replace(run.evidence, complete=False))
    text = render(early)
    alarm = text[text.index('class="alarm"') : text.index("Claims and findings")]
    for words in ("not complete: tripped", "Output volts reached 31 V", "pull its plug"):
        assert words in alarm
    assert 'class="alarm"' not in render(run)


def test_what_people_typed_cannot_become_markup(run: JudgedRun) -> None:
    evil = "<script>alert(1)</script>"
    text = render(replace(run, unit=replace(run.unit, maker=evil), opened=replace(run.opened, operator=evil)))
    assert evil not in text
    assert "&lt;script&gt;" in text


def test_the_digest_follows_the_evidence_alone(run: JudgedRun) -> None:
    renamed = replace(run, unit=replace(run.unit, maker="Other"))
    fewer = replace(run, evidence=replace(run.evidence, points=run.evidence.points[:-1]))
    assert evidence_digest(renamed) == evidence_digest(run)
    assert evidence_digest(fewer) != evidence_digest(run)


def test_the_first_page_says_simulated_and_what_nobody_has_read(run: JudgedRun) -> None:
    first = " ".join(" ".join(parsed(render(run)).words).split()).partition("Claims and findings")[0]
    assert "Simulated bench." in first
    assert "Limits not read against the document: Level VI" in first
    assert "by the clock of the bench" in first
    real = replace(run, rig=replace(run.rig, clock="wall", standin=None), unread_rules=())
    other = " ".join(" ".join(parsed(render(real)).words).split()).partition("Claims and findings")[0]
    assert "Simulated bench." not in other
    assert "not read against" not in other


def test_rulers_mark_the_verdict_and_stay_inside(run: JudgedRun) -> None:
    for judged in run.judged:
        svg = ruler_svg(judged)
        assert bool(svg) is (judged.claim is not None)
        if not svg:
            continue
        xs = [float(x) for x in re.findall(r'(?:x|M)="?(-?\d+\.\d)', svg)]
        assert all(-1.0 <= x <= 231.0 for x in xs)
        needle = svg.count('stroke-width="2"')
        assert needle == (0 if judged.finding.value is None else 1)


def test_what_was_seen_before_power_stands_in_it(run: JudgedRun) -> None:
    record = SafetyRecord("touch current", 0.159e-3, None, 0.25e-3, "Pellmoor L1", "Elin Ward", "2026-11-20")
    look = replace(run.unit.look, verdict="not worth powering", override="a bad example", override_by="Elin Ward")
    stated = {"firmware": "1.4", "provenance": "a return of May", "hours": 6200.0}
    unit = replace(run.unit, look=look, safety=(record,), **stated)  # type: ignore[arg-type]
    words = " ".join(" ".join(parsed(render(replace(run, unit=unit))).words).split())
    for said in (
        "found this unit not worth powering. It was powered all the same: a bad example. Decided by Elin Ward.",
        "Stated of it: a return of May, firmware 1.4, 6200 h run",
        "0.159 mA, at most 0.25 mA: within. Pellmoor L1. By Elin Ward, 2026-11-20.",
        "as received, case closed. Every reading here belongs to it.",
        "To restore: 2 screws; insulating sheet under the board.",
        "C5, C6 is marked 25 V and sees 24.48 V",
        "Nobody plays the scope.",
        "Safety mark, none on the label",
    ):
        assert said in words, said
    plain = " ".join(" ".join(parsed(render(run)).words).split())
    assert "not worth powering" not in plain
    assert "with care: gap between live and output copper looks narrow" in plain


def test_what_is_wrong_with_the_rig_goes_with_the_figures_it_spoils(finished_book: Path, run: JudgedRun) -> None:
    spoilt = [f for f in run.faults if f.costs]
    assert spoilt, "nobody plays the scope"
    for judged in run.judged:
        codes = {d.code for d in judged.finding.doubts}
        for fault in spoilt:
            assert (fault.code in codes) <= (judged.claim is not None and judged.claim.figure in fault.costs)
    loose = replace(run.rig, reference="")
    faults = check(run.unit, loose, run.plan)
    touched = _with_rig(next(j for j in run.judged if j.claim and j.claim.figure == "load_regulation"), faults)
    assert "reference_undeclared" in {d.code for d in touched.finding.doubts}
