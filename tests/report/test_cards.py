"""One page of a unit, the page that goes back with it, and where it stands among all others."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from markupsafe import escape
from PySide6.QtGui import QColor, QImage
from tests.whole.test_demo_book import unpacked

from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.finding import Judged, Verdict
from zincsmith.model.operating_point import Draw
from zincsmith.report.card import GO, RETURN, card_svg, needed, page, verdict_of
from zincsmith.report.html import render
from zincsmith.showing.curves import all_curves
from zincsmith.showing.index import index
from zincsmith.showing.laid_over import curves_of

Command = Callable[..., CompletedProcess[str]]
WORN, SOUND = 1, 13  # runs of the demonstration


@pytest.fixture(scope="module")
def book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return unpacked(tmp_path_factory.mktemp("cards") / "cards.zbook")


@pytest.fixture(scope="module")
def runs(book: Path) -> dict[int, JudgedRun]:
    with BookReader(book) as reader:
        return {row.id: judge_run(reader, row.id) for row in reader.runs()}


@pytest.mark.long
def test_what_fails_goes_back_with_its_evidence(runs: dict[int, JudgedRun], book: Path) -> None:
    run = runs[WORN]
    assert verdict_of(run) == RETURN
    with BookReader(book) as reader:
        seal = reader.seal(WORN).digest
    text = page(run, seal, returned=True)
    assert seal in text
    fails = {j.claim.text for j in run.judged if j.verdict is Verdict.FAILS and j.claim is not None}
    assert fails
    assert all(re.sub("≥|≤", "", one).strip() in text for one in fails), "each claim that fails stands there"
    assert "2026-03-04" in text, "with when the instruments were calibrated"
    assert verdict_of(runs[SOUND]) == GO
    assert "What does not hold" not in page(runs[SOUND], seal, returned=True)


def test_every_run_of_the_demonstration_has_a_report(runs: dict[int, JudgedRun]) -> None:
    """Of every kind: what some figures lack, such as the point they were taken at, is no reason for none."""
    for run in runs.values():
        text = render(run)
        told = [j for j in run.judged if j.finding.value is not None or j.claim is not None]
        assert all(str(escape(j.finding.title)) in text for j in told)
    asked = render(next(run for run in runs.values() if any(j.finding.name == "modes_seen" for j in run.judged)))
    assert '>point</th><th class="n">mode</th>' in asked
    assert re.search(r'<td class="n">–</td><td class="n">[^–<]+</td>', asked), "no point, but which mode"


def test_the_curves_of_a_card_are_those_of_the_report(runs: dict[int, JudgedRun]) -> None:
    """A point that another part took at the same line and load belongs to no curve of the grid."""
    for run in runs.values():
        whole = {c.title: c.lines for c in all_curves(run.evidence)}
        assert all(whole[c.title] == c.lines for c in curves_of(run) if not c.title.startswith("Ripple"))
    run = runs[SOUND]
    (ripple,) = (j for j in run.judged if j.finding.name == "ripple")
    assert not any(c.title.startswith("Ripple") for c in curves_of(run)), "one load makes no curve"

    def at_load(share: float, volts: float) -> Judged:
        there = replace(ripple.finding.at, draws=(Draw(share),))
        return replace(ripple, finding=replace(ripple.finding, value=volts, at=there))

    several = (at_load(100.0, 0.061), at_load(10.0, 0.022), at_load(50.0, 0.04))
    (curve,) = (c for c in curves_of(replace(run, judged=several)) if c.title.startswith("Ripple"))
    ((line, loads, volts),) = curve.lines
    assert (loads, volts) == ([10.0, 50.0, 100.0], pytest.approx([22.0, 40.0, 61.0]))
    assert line.endswith(" V")


def test_what_is_needed_before_use_follows_from_what_was_found(runs: dict[int, JudgedRun]) -> None:
    run = runs[SOUND]
    assert "Enclosure" not in dict(needed(run))
    board = replace(run, unit=replace(run.unit, kind="open board", look=replace(run.unit.look, parts=())))
    assert {"Enclosure", "Fuse"} <= set(dict(needed(board)))
    ripple = next(j for j in run.judged if j.finding.name == "ripple" and j.claim is not None)
    worse = replace(ripple, verdict=Verdict.FAILS)
    assert "Filter" in dict(needed(replace(run, judged=(worse,))))
    plate = run.unit.nameplate
    least = replace(plate, outputs=(replace(plate.outputs[0], minimum_A=0.2),))
    assert dict(needed(replace(run, unit=replace(run.unit, nameplate=least))))["Minimum load"].startswith("0.2 A")


def test_the_card_is_a_picture_that_is_whole(runs: dict[int, JudgedRun], book: Path, command: Command,
                                            tmp_path: Path) -> None:  # fmt: skip
    named = replace(runs[SOUND], unit=replace(runs[SOUND].unit, maker='<script>"', model="&"))
    root = ET.fromstring(card_svg(named))
    texts = [one.text for one in root.iter("{http://www.w3.org/2000/svg}text")]
    assert '<script>" &' in texts
    assert "Ripple and noise, peak to peak" in texts
    for name in ("card.svg", "card.html"):
        out = tmp_path / name
        assert command("card", str(book), "--run", str(SOUND), "-o", str(out)).stdout.strip() == f"{out}: {GO}"
        assert out.stat().st_size > 1000
    assert command("card", str(book), "--run", str(SOUND), "-o", str(tmp_path / "card.png")).returncode == 0
    drawn = QImage(str(tmp_path / "card.png"))
    assert (drawn.width(), drawn.height()) == (1680, 1188)
    paper = sum(drawn.pixelColor(x, y) == QColor("white") for x in range(0, 1680, 8) for y in range(0, 1188, 8))
    assert 0.5 < paper / (210 * 149) < 0.98, "something is written on it"
    assert command("card", str(book), "-o", str(tmp_path / "card.jpg")).returncode == 2
    assert command("card", str(book), "--return", "-o", str(tmp_path / "card.svg")).returncode == 2


@pytest.mark.long
def test_the_index_at_the_command_line(book: Path, command: Command) -> None:
    assert len(json.loads(command("index", str(book), "--json").stdout)["units"]) == 12
    assert "of 3" in command("index", str(book.parent), "--unit", "HB-11").stdout


def test_a_unit_stands_among_all_others_of_its_class(runs: dict[int, JudgedRun], book: Path, command: Command) -> None:
    told = [e.as_json() for e in index([(str(book), run) for run in runs.values()])]
    assert len(told) == 12, "every unit once"
    one = next(u for u in told if u["tag"] == "HB-09")
    assert (one["run"], one["superseded"]) == (2, (1,))
    mine = next(s for s in one["standings"]
                if s["name"] == "average_active_efficiency" and s["where"] == "230 V 50 Hz")  # fmt: skip
    values = sorted({
        j.finding.number for n in (2, 3, SOUND) for j in runs[n].judged
        if j.finding.name == "average_active_efficiency" and j.finding.at.words == "230 V 50 Hz"
    })  # fmt: skip
    assert (mine["count"], mine["least"], mine["most"]) == (3, pytest.approx(values[0]), pytest.approx(values[-1]))
    assert mine["rank"] == 2
    assert mine["median"] == pytest.approx(mine["value"])
    other = replace(runs[3], opened=replace(runs[3].opened, procedures=(("static_grid", 99),)))
    entries = index([("a", runs[2]), ("a", other), ("a", runs[SOUND])])
    assert next(e for e in entries if e.tag == "HB-11").other_versions == ("static_grid 99",)
    assert command("index", str(book), "--unit", "nobody").returncode == 2
