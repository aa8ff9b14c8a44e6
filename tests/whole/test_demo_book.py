"""The demonstration book as it ships: small, of no machine, whole, and what its runs find is found again."""

from __future__ import annotations

import lzma
import os
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.conftest import ROOT

from zincsmith.book.reader import BookReader
from zincsmith.book.seal import SEALED
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.events import RunClosed

sys.path.insert(0, str(ROOT / "tools"))
import demo
import demo_book
from demo_book import SHIPPED, make, unpacked

RUNS = 13
GAVE_WAY, LEFT_BEHIND = 5, 10  # with all its ports loaded; by whoever was at the bench


def told(run: JudgedRun) -> list[tuple[object, ...]]:
    return [(j.finding.name, j.finding.at.words, j.finding.output, j.finding.value, j.verdict) for j in run.judged]


def test_it_opens_whole_on_any_machine(tmp_path: Path, command: Callable[..., CompletedProcess[str]]) -> None:
    assert SHIPPED.stat().st_size < 8_000_000
    plain = tmp_path / "shipped.zbook"
    plain.write_bytes(lzma.decompress(SHIPPED.read_bytes()))
    bodies = "".join(body for (body,) in sqlite3.connect(plain).execute("SELECT body FROM document"))
    assert "examples/standins" in bodies
    assert str(ROOT) not in bodies
    assert "/home/" not in bodies
    book = unpacked(tmp_path / "demo.zbook")
    with BookReader(book) as reader:
        rows = reader.runs()
        closed = [w.event for w in reader.of_kind(RunClosed)]
        assert len(rows) == len(closed) == RUNS
        ended = {row.id: row.outcome for row in rows}
        assert ended.pop(LEFT_BEHIND) == "made safe"
        assert ended.pop(GAVE_WAY) == "tripped"
        assert set(ended.values()) == {"complete"}
        assert all(one.safe for one in closed if "from a file" not in one.why)
        assert [row.unit for row in rows].count("HB-09") == 2, "before and after its repair"
        recipe, feeding = reader.recipe(), reader.feeding()
        assert recipe is not None
        assert feeding is not None
        photographs = reader.unit("HB-07").look.photographs
        assert all(reader.photo(one.sha256)[:4] == b"\x89PNG" for one in photographs)
        assert len(photographs) == 2
        assert {reader.seal(row.id).state for row in rows} == {SEALED}
        rig = reader.rig()
        assert rig.standin is not None
        assert Path(rig.standin.file).is_file()
        assert reader.unit(rows[-1].unit).reported
    said = command("compare", f"{book}:2", f"{book}:3", f"{book}:{RUNS}", "--recipe",
                   str(ROOT / "examples" / "recipes" / "valve-house.toml"), "--feeds",
                   str(ROOT / "examples" / "feedings" / "valve-controller.toml"))  # fmt: skip
    assert "HB-07" in said.stdout
    assert "nobody has looked it over" not in said.stdout
    assert "it pays back after" in said.stdout


def test_it_is_shown_where_there_is_a_display_and_told_where_it_is_missing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Its pictures are drawn without a screen; nothing of that may reach the window that opens it."""
    alone = {name: value for name, value in os.environ.items() if name != "QT_QPA_PLATFORM"} | {"DISPLAY": ":9"}
    code = "import os, demo; print([n for n in os.environ if n.startswith('QT_')])"
    asked = [sys.executable, "-c", code]
    done = subprocess.run(asked, capture_output=True, text=True, check=True, cwd=ROOT / "tools", env=alone)
    assert done.stdout.strip() == "[]"
    empty = tmp_path / "book.xz"
    empty.write_text("version 1")
    monkeypatch.setattr(demo_book, "SHIPPED", empty)
    monkeypatch.setattr(sys, "argv", ["demo"])
    assert demo.main() == 2
    assert "make demo-book" in capsys.readouterr().err


@pytest.mark.long
def test_what_its_runs_find_is_found_again(tmp_path: Path) -> None:
    """Built anew from the same plans and seeds; committed anew only where this differs."""
    kept, built = unpacked(tmp_path / "kept.zbook"), tmp_path / "built.zbook"
    make(built)
    with BookReader(kept) as old, BookReader(built) as new:
        assert [r.unit for r in old.runs()] == [r.unit for r in new.runs()]
        for before, after in zip(old.runs(), new.runs(), strict=True):
            assert told(judge_run(old, before.id)) == told(judge_run(new, after.id)), before.unit
