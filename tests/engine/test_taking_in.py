"""Recorded files as evidence: judged as if the bench had taken them, or refused with nothing written."""

from __future__ import annotations

import csv
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.taking_in import take_in
from zincsmith.formats.words import where_words
from zincsmith.judge.judging import JudgedRun, judge_again, judge_run
from zincsmith.model.claim import RuleChoice
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.events import RunClosed
from zincsmith.model.finding import Judged, Verdict
from zincsmith.model.intake import Configuration
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.report.html import render
from zincsmith.showing.reading_words import reading_words
from zincsmith.words.log_words import LogBook

StartStandIn = Callable[..., RunningStandIn]
AT = Line(230.0, 50.0)


def a_book(folder: Path, unit: Unit, rig: Rig) -> Path:
    path = folder / "files.zbook"
    with BookWriter(path) as book:
        book.revise("unit", unit.tag, unit, "test")
        book.revise("rig", "bench", rig, "test")
        book.revise("plan", "plan", Plan("Planned", (GridOptions(),)), "test")
    return path


def taken(path: Path, unit: Unit, asked: FileRequest) -> JudgedRun:
    with BookWriter(path) as book:
        number = take_in(book, unit.tag, asked)
    with BookReader(path) as reader:
        return judge_run(reader, number)


def by_place(run: JudgedRun) -> dict[tuple[str, tuple[tuple[str, float], ...]], Judged]:
    """Findings by name and place; a file says the load in percent, not what it was set to."""
    return {
        (j.finding.name, tuple(i for i in j.finding.at.conditions.items() if i[0] != "load_A")): j
        for j in run.judged
        if j.finding.value
    }


def table(file: Path, heads: list[str], rows: list[list[float]]) -> Path:
    with file.open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(heads)
        writer.writerows([[f"{x:.9g}" for x in row] for row in rows])
    return file


def test_a_run_written_to_a_table_and_taken_in_again_finds_the_same(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """Same readings, same instruments: every figure of the grid is the same, and only what repeats told is gone."""
    quick = GridOptions(warm_up_s=60.0, rewarm_s=20.0)
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Grid", (quick,)), standin().addresses)
    assert scene.run(Actor()).outcome == "complete"
    with BookReader(scene.path) as book:
        first = judge_run(book)
    columns = {
        "load_percent": None, "input_voltage_V": "input_voltage", "input_current_A": "input_current",
        "input_power_W": "input_power", "power_factor": "power_factor", "output_voltage_V": "output_voltage",
        "output_current_A": "output_current",
    }  # fmt: skip
    rows = [
        [p.at.load_percent if q is None else (r.as_read or r.value) if (r := p.get(q)) else np.nan
         for q in columns.values()]
        for p in first.evidence.points
    ]  # fmt: skip
    file = table(tmp_path / "points.csv", list(columns), rows)  # type: ignore[arg-type]
    again = taken(scene.path, unit, FileRequest("points", (file,), "M. Hale"))
    then, now = by_place(first), by_place(again)
    assert now.keys() == {k for k in then if k[0] != "case_temperature"}
    for key, one in now.items():
        old = then[key]
        assert one.finding.value == pytest.approx(old.finding.value, rel=1e-6), key
        assert one.finding.u is not None
        assert old.finding.u is not None
        assert 0.5 * old.finding.u <= one.finding.u <= old.finding.u * 1.001, key
    assert [f.name for f in again.files] == ["points.csv"]
    with BookReader(scene.path) as book:
        assert book.source(again.files[0].sha256) == ("points.csv", file.read_bytes())
        assert book.plan().name == "Grid", "what is planned stays"
        assert book.revision("plan", "plan") == (1, False, False), "there is nothing new to undo or redo"
        log = LogBook()
        log.take(book.events(run=again.row.id))
    assert any(e.text == "Taken in: points.csv" for e in log.entries)
    page = render(again)
    assert "Taken in from files" in page
    assert again.files[0].sha256[:16] in page


def test_a_record_of_bursts_gives_its_mean_over_whole_bursts(tmp_path: Path, unit: Unit, rig: Rig) -> None:
    """Bursts of 7.5 s, a fifth of the time 0.5 W, else 0.02 W: 0.116 W by the duty alone."""
    path = a_book(tmp_path, unit, rig)
    t = np.arange(0.0, 1500.0, 0.5)
    watts = np.where(t % 7.5 < 1.5, 0.5, 0.02)
    file = table(tmp_path / "standby.csv", ["time_s", "power_W"], [[a, b] for a, b in zip(t, watts, strict=True)])
    run = taken(path, unit, FileRequest("standby", (file,), "M. Hale", line=AT))
    found = next(j for j in run.judged if j.finding.name == "no_load_power" and j.finding.value is not None)
    assert found.finding.value == pytest.approx(0.02 + 0.48 / 5.0, rel=0.01)
    assert not any(d.code in ("not_stable", "read_with_a_note") for d in found.finding.doubts)
    holed = (t < 700.0) | (t > 760.0)
    gap = table(
        tmp_path / "gap.csv", ["time_s", "power_W"], [[a, b] for a, b in zip(t[holed], watts[holed], strict=True)]
    )
    run = taken(path, unit, FileRequest("standby", (gap,), "M. Hale", line=AT))
    found = next(j for j in run.judged if j.finding.name == "no_load_power" and j.finding.value is not None)
    told = next(d for d in found.finding.doubts if d.code == "read_with_a_note")
    assert "nothing was recorded for 6" in told.text


def test_waveforms_from_elsewhere_are_judged_by_their_own_instrument(tmp_path: Path, unit: Unit, rig: Rig) -> None:
    held = replace(unit, nameplate=replace(unit.nameplate, rules=(RuleChoice("iec-61000-3-2", "D"),)))
    path = a_book(tmp_path, held, rig)
    t = np.arange(10_000) / 10_000.0
    x = 2.0 * np.pi * 50.0 * t
    # 100 W at 230 V, a third order of 0.30 A rms: 88 % of 3.4 mA/W (IEC 61000-3-2, class D, value from memory).
    amps = 2.0**0.5 * (100.0 / 230.0 * np.sin(x) + 0.30 * np.sin(3.0 * x))
    rows = np.column_stack((t, 230.0 * 2.0**0.5 * np.sin(x), amps)).tolist()
    file = table(tmp_path / "waves.csv", ["time_s", "voltage_V", "current_A"], rows)
    sheet = tmp_path / "accuracy.toml"
    sheet.write_text("[input_current_A]\nreading_percent = 1.0\n")
    asked = FileRequest("power", (file,), "M. Hale", line=AT, instrument="Recorder", accuracy=sheet)
    run = taken(path, held, asked)
    worst = next(j for j in run.judged if j.finding.name == "harmonics_class_d")
    assert worst.finding.value == pytest.approx(0.30 / 0.34, rel=1e-3)
    assert worst.finding.u == pytest.approx(0.30 * 0.01 / 3.0**0.5 / 0.34, rel=1e-3)
    assert worst.verdict is Verdict.HOLDS
    assert run.faults == (), "what is wrong with the rig says nothing about another instrument"
    unknown = taken(path, held, replace(asked, accuracy=None))
    worst = next(j for j in unknown.judged if j.finding.name == "harmonics_class_d")
    assert worst.verdict is Verdict.TOO_CLOSE, "an uncertainty that is not known decides nothing"
    assert any(d.code == "accuracy_unknown" for d in worst.finding.doubts)


def test_volts_read_at_the_load_are_corrected_only_when_the_rig_read_them(tmp_path: Path, unit: Unit, rig: Rig) -> None:
    at_load = replace(rig, sense="load")
    path = a_book(tmp_path, unit, at_load)
    heads = ["load_percent", "input_voltage_V", "input_power_W", "output_voltage_V", "output_current_A"]
    file = table(tmp_path / "p.csv", heads, [[100.0, 230.0, 68.0, 23.9, 2.5], [0.0, 230.0, 0.2, 24.0, 0.0]])
    by_rig = taken(path, unit, FileRequest("points", (file,), "M. Hale"))
    by_other = taken(path, unit, FileRequest("points", (file,), "M. Hale", instrument="Recorder"))
    seen = [next(p for p in r.evidence.points if p.at.load_percent == 100.0).get("output_voltage")
            for r in (by_rig, by_other)]  # fmt: skip
    assert seen[0] is not None
    assert seen[1] is not None
    assert seen[0].as_read == 23.9
    assert seen[0].value is not None
    assert seen[0].value > 23.9
    assert (seen[1].value, seen[1].as_read) == (23.9, None)


@pytest.mark.parametrize(
    ("kind", "heads", "rows", "line", "says"),
    [
        ("points", ["load_percent", "input_voltage_V"], [[100.0, 230.0]], AT, "no column input_power_W"),
        (
            "points",
            ["load_percent", "input_voltage_V", "input_power_W", "output_voltage_V", "output_current_A"],
            [[100.0, 180.0, 68.0, 24.0, 2.5]],
            None,
            "none of the lines",
        ),
        ("standby", ["time_s", "power_W"], [[0.0, 0.2], [1.0, 0.2]], AT, "six samples"),
        ("standby", ["time_s", "power_W"], [[float(n), 0.2] for n in range(2000)], None, "at which line"),
        ("power", ["time_s", "voltage_V", "current_A"], [[n / 100.0, 5.0, 1.0] for n in range(100)], AT, "alternate"),
        (
            "power",
            ["time_s", "voltage_V", "current_A"],
            [[n / 500.0, float(np.sin(0.2 * np.pi * n)), 1.0 * (-1.0) ** n] for n in range(500)],
            AT,
            "order 40",
        ),
    ],
)
def test_what_is_refused_leaves_the_book_as_it_was(
    tmp_path: Path, unit: Unit, rig: Rig, kind: str, heads: list[str], rows: list[list[float]], line: Line | None,
    says: str,
) -> None:  # fmt: skip
    path = a_book(tmp_path, unit, rig)
    file = table(tmp_path / "bad.csv", heads, rows)
    with BookReader(path) as book:
        before = book.last_seq()
    with pytest.raises(InputError, match=says):
        taken(path, unit, FileRequest(kind, (file,), "M. Hale", line=line))  # type: ignore[arg-type]
    with BookReader(path) as book:
        assert book.last_seq() == before
        assert book.runs() == []


def test_nobody_takes_a_file_in_without_a_name(tmp_path: Path, unit: Unit, rig: Rig) -> None:
    path = a_book(tmp_path, unit, rig)
    with pytest.raises(InputError, match="name them"):
        taken(path, unit, FileRequest("points", (tmp_path / "none.csv",), "  "))


def test_what_a_run_did_not_test_comes_from_an_earlier_one_of_the_same_configuration_and_says_so(
    finished_book: Path, tmp_path: Path
) -> None:
    """A record of standby power beside a grid that was run before: the grid's claims stand, each with its run."""
    path = Path(shutil.copy(finished_book, tmp_path / "two.zbook"))
    with BookReader(path) as book:
        unit, first = book.unit(), judge_run(book)
    rows = [[float(n), 0.15] for n in range(1000)]
    file = table(tmp_path / "standby.csv", ["time_s", "power_W"], rows)
    run = taken(path, unit, FileRequest("standby", (file,), "M. Hale", line=AT))
    assert first.closed is not None
    lent = {j.finding.name: j for j in run.judged if j.run == first.row.id}
    assert {"load_regulation", "average_active_efficiency"} <= lent.keys(), "what covers its claim; two lines do not"
    own = next(j for j in run.judged if j.finding.name == "no_load_power" and j.finding.value is not None)
    assert (own.run, own.finding.value) == (None, pytest.approx(0.15))
    before = next(j for j in reversed(first.judged) if j.finding.name == "load_regulation")
    assert lent["load_regulation"].finding.value == before.finding.value
    assert lent["load_regulation"].verdict is before.verdict
    assert where_words(lent["load_regulation"]).endswith("run 1")
    assert set(lent["load_regulation"].finding.working.rows[0]["readings"]) <= reading_words(run).keys()
    page = render(run)
    assert "run 1, " in page
    over = judge_again(run, Conventions(regulation_over="Vfl"))
    assert any(j.run == 1 for j in over.judged), "under other conventions too"
    with BookReader(path) as book:
        assert not any(j.run for j in judge_run(book, 1).judged), "an earlier run borrows nothing from a later one"
    with BookWriter(path) as writer:  # brought up anew, after a repair for instance
        earlier = run.opened
        again = replace(earlier, procedures=(("bring_up", 1),), plan_n=1)
        writer.write_run(again, [RunClosed("complete", "every step was carried out", True)])
    over_again = taken(path, unit, FileRequest("standby", (file,), "M. Hale", line=AT))
    assert not any(j.run == 1 for j in over_again.judged), "what was before that is not lent"
    opened = replace(unit, configuration="case open", configurations=(*unit.configurations, Configuration("case open")))
    with BookWriter(path) as writer:
        writer.revise("unit", unit.tag, opened, "opened")
    other = taken(path, opened, FileRequest("standby", (file,), "M. Hale", line=AT))
    assert not any(j.run for j in other.judged), "another configuration is another thing"
    assert other.count(Verdict.NOT_TESTED) > run.count(Verdict.NOT_TESTED)
