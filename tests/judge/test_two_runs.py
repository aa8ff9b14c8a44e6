"""Two runs of one unit, the second with a worse inside: what changed, what the tape shows, what leaves as files."""

from __future__ import annotations

import csv
import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.conftest import RIG, ROOT, SHORT_PLAN, UNIT

from zincsmith.book.reader import BookReader
from zincsmith.history.ran import Ran
from zincsmith.judge.against import against, before
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.events import GateOpened, PointTaken, Polled
from zincsmith.model.finding import Verdict
from zincsmith.words.log_words import LogBook

Command = Callable[..., CompletedProcess[str]]
PHYSICS = ROOT / "examples" / "standins"


@pytest.fixture(scope="module")
def two_runs(finished_book: Path, command: Command, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The honest adapter, then the same instruments on one with twice its square-law loss."""
    folder = tmp_path_factory.mktemp("two")
    book, worse, plan = folder / "two.zbook", folder / "worse.toml", folder / "short.toml"
    shutil.copy(finished_book, book)
    honest = next(f for f in PHYSICS.glob("*.toml") if "square_W_per_A2 = 0.16" in f.read_text())
    worse.write_text(honest.read_text().replace("square_W_per_A2 = 0.16", "square_W_per_A2 = 0.32"))
    plan.write_text(SHORT_PLAN)
    done = command("run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", book, "--yes", "--standin", worse)
    assert done.returncode in (0, 1), done.stderr
    return book


@pytest.fixture(scope="module")
def judged(two_runs: Path) -> tuple[JudgedRun, JudgedRun]:
    with BookReader(two_runs) as book:
        return judge_run(book, 1), judge_run(book, 2)


def test_a_change_is_told_by_its_own_uncertainty(judged: tuple[JudgedRun, JudgedRun], two_runs: Path) -> None:
    then, now = judged
    changes = against(now, then)
    full = next(
        c
        for at, c in changes.items()
        if now.judged[at].finding.name == "efficiency"
        and c.now.finding.at.load_percent == 100.0
        and c.now.finding.at.line_V == 230.0
    )
    assert full.difference is not None
    assert full.difference < -0.005, "a watt more of 68 is lost"
    assert "changed by −" in full.words
    # Nobody knows how the limits split, so they may err apart in the two runs; never worse than two figures do.
    one, other = full.now.finding.u, full.before.finding.u
    assert one is not None
    assert other is not None
    assert full.u is not None
    assert full.u == pytest.approx((one**2 + other**2) ** 0.5, rel=0.2)
    assert full.u <= (one**2 + other**2) ** 0.5 * (1.0 + 1e-9)
    with BookReader(two_runs) as book:
        found = before(book, now)
        assert found is not None
        assert found.row.id == 1
        assert before(book, then) is None


def test_what_was_not_tested_again_is_carried_with_its_run(judged: tuple[JudgedRun, JudgedRun]) -> None:
    then, now = judged
    measured = next(j for j in now.judged if j.claim is not None and j.finding.value is not None)
    emptied = replace(measured, finding=replace(measured.finding, value=None, u=None), verdict=Verdict.NOT_TESTED)
    only = replace(now, judged=(emptied,))
    change = against(only, then)[0]
    assert change.difference is None
    assert change.words.startswith("run 1 (as received")
    assert change.words.endswith("not tested again")


def test_against_itself_nothing_changes_and_nothing_is_uncertain_but_what_is_its_own(
    judged: tuple[JudgedRun, JudgedRun],
) -> None:
    then, _ = judged
    for change in against(then, then).values():
        assert change.difference == 0.0
        parts = change.now.finding.contributions
        own = [c.effect if not c.shared else c.separate or 0.0 for c in parts]
        assert change.u == pytest.approx((2.0 * sum(e**2 for e in own)) ** 0.5)


def test_another_instrument_another_calibration_or_other_points_cancel_nothing(
    judged: tuple[JudgedRun, JudgedRun],
) -> None:
    """Two runs with other meters: no figure is known better than the two of them together."""
    then, _ = judged

    def with_meters(run: JudgedRun, mark: str) -> JudgedRun:
        return replace(run, judged=tuple(
            replace(j, finding=replace(j.finding, contributions=tuple(
                replace(c, source=f"{mark} {c.source}") for c in j.finding.contributions))) for j in run.judged
        ))  # fmt: skip

    for at, change in against(with_meters(then, "no. 2"), then).items():
        u = then.judged[at].finding.u
        assert u is not None
        assert change.u == pytest.approx(2.0**0.5 * u)
    fewer = replace(then, judged=tuple(
        replace(j, finding=replace(j.finding, working=replace(j.finding.working, rows=j.finding.working.rows[:-1])))
        for j in then.judged
    ))  # fmt: skip
    assert against(fewer, then) == {}, "other points are another figure"


def test_serial_and_calibration_stand_in_every_source(judged: tuple[JudgedRun, JudgedRun]) -> None:
    then, _ = judged
    eta = next(j.finding for j in then.judged if j.finding.name == "average_active_efficiency")
    limits = [c.source for c in eta.contributions if c.separate is not None]
    assert "Calderwick P2 no. SIM002 cal. 2026-03-04, input_power, 75 range" in limits


def test_the_command_line_tells_it(command: Command, two_runs: Path) -> None:
    done = command("findings", two_runs, "--against", 1, "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert (told["run"], told["against"]) == (2, 1)
    eta = next(c for c in told["changes"] if c["name"] == "average_active_efficiency")
    assert eta["now"] - eta["before"] == pytest.approx(eta["difference"])
    assert eta["difference"] < -2.0 * eta["u"]
    assert "changed by" in command("findings", two_runs, "--against", 1).stdout
    refused = command("findings", two_runs, "--against", 2)
    assert refused.returncode == 2
    assert "not another run" in refused.stderr


def test_the_tape_holds_the_time_that_passed_and_finds_every_event(two_runs: Path) -> None:
    ran = Ran()
    with BookReader(two_runs) as book:
        events = list(book.events())
        runs = [[w for w in events if w.run == n and w.bench_s is not None] for n in (1, 2)]
        ran.take(book.tape_rows(0, 1_000_000))
    lasted = [max(w.bench_s for w in run) - min(w.bench_s for w in run) for run in runs]  # type: ignore[type-var,operator]
    assert ran.length_s == pytest.approx(sum(lasted))
    assert ran.cuts == pytest.approx(lasted[:1])
    assert sum(p.seconds for p in ran.pieces) == pytest.approx(ran.length_s)
    ends = [p.begins_s + p.seconds for p in ran.pieces]
    assert [p.begins_s for p in ran.pieces[1:]] == pytest.approx(ends[:-1])
    for written in events:
        if isinstance(written.event, Polled) and written.run is not None:
            piece = ran.piece_at(ran.place_of(written.seq) + 1e-9)
            assert piece is not None
            assert piece.run == written.run or ran.place_of(written.seq) in ran.cuts
        assert ran.seq_at(ran.place_of(written.seq)) <= written.seq or written.run is None
    counted = {k: sum(isinstance(w.event, k) for w in events) for k in (PointTaken, GateOpened)}
    assert (len(ran.points), len(ran.gates)) == (counted[PointTaken], counted[GateOpened])
    live = sum(p.seconds for p in ran.pieces if p.energised == "input and load")
    assert live > 0.6 * ran.length_s


def test_readings_findings_and_log_leave_as_files_and_agree_with_the_book(
    command: Command, two_runs: Path, tmp_path: Path, judged: tuple[JudgedRun, JudgedRun]
) -> None:
    done = command("export", two_runs, "--run", 1, "-o", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    then, _ = judged
    with (tmp_path / "out" / "readings.csv").open(newline="") as file:
        readings = list(csv.DictReader(file))
    assert [float(r["value"]) for r in readings] == [r.value for p in then.evidence.points for r in p.readings]
    assert {r["counted"] for r in readings} == {"yes"}
    with (tmp_path / "out" / "findings.csv").open(newline="") as file:
        findings = list(csv.DictReader(file))
    assert [f["verdict"] for f in findings] == [j.verdict.value for j in then.judged]
    assert json.loads((tmp_path / "out" / "findings.json").read_text())["run"] == 1
    facts = json.loads((tmp_path / "out" / "run.json").read_text())
    assert facts["outcome"] == "complete"
    log = LogBook()
    with BookReader(two_runs) as book:
        log.take(book.events(run=1))
    with (tmp_path / "out" / "log.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert sum(r["text"].startswith("Point ") for r in rows) == len(then.evidence.points)
    (tmp_path / "in-the-way").write_text("")
    refused = command("export", two_runs, "-o", tmp_path / "in-the-way")
    assert refused.returncode == 2
    assert "cannot be written" in refused.stderr
