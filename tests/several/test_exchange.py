"""A whole book as open files and back: equal findings, digests and samples; what was changed on the way is told; what
is no such folder is refused in a line. The ten lines of the docs read it."""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import sqlite3
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.conftest import ROOT
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.book.exchange import TABLES, read_book, write_book
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.procedures.plug_volts.options import PlugOptions

Command = Callable[..., CompletedProcess[str]]


MADE: dict[str, Path] = {}  # by worker, once


@pytest.fixture
def book(goes: Goes, tmp_path: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A run with a capture, and a file beside it."""
    if "book" not in MADE:
        made = _book(goes)
        MADE["book"] = tmp_path_factory.mktemp("exchange") / "kept.zbook"
        shutil.copy(made, MADE["book"])
    return Path(shutil.copy(MADE["book"], tmp_path / "book.zbook"))


def _book(goes: Goes) -> Path:
    part = PlugOptions(line=Line(230.0, 50.0), pulls=1, record_s=2.0)
    scene, closed, _ = goes("tarnbrook-tb2425", "simulated-scope", (part,))
    assert closed.outcome == "complete"
    with BookWriter(scene.path) as writer:
        data = b"time_s,input_V\n0,1\n"
        writer.keep_source(hashlib.sha256(data).hexdigest(), "pulled.csv", data)
    return scene.path


def test_an_equal_book_comes_back(book: Path, tmp_path: Path, command: Command) -> None:
    folder, again = tmp_path / "open", tmp_path / "again.zbook"
    said = command("export", str(book), "-o", str(folder)).stdout
    assert {"events.jsonl", "samples.h5", "readings.csv", "dictionary.json"} <= {Path(x).name for x in said.split()}
    assert command("import", str(folder), "--book", str(again)).stdout.strip().endswith("again.zbook")
    first, second = (command("findings", str(b), "--json").stdout for b in (book, again))
    assert first == second
    with BookReader(book) as a, BookReader(again) as b:
        one, two = judge_run(a), judge_run(b)
        assert evidence_digest(one) == evidence_digest(two)
        assert [w.event for w in a.events()] == [w.event for w in b.events()]
        sha = one.evidence.points[0].captures[0].channels[0].sha256
        assert (a.traces.read(sha) == b.traces.read(sha)).all()
    for name, (table, columns) in TABLES.items():
        query = f"SELECT {', '.join(columns)} FROM {table}"
        rows = [set(sqlite3.connect(path).execute(query)) for path in (book, again)]
        assert rows[0] == rows[1], name
    refused = command("import", str(folder), "--book", str(again))
    assert (refused.returncode, refused.stderr.count("\n")) == (2, 1)


def test_what_was_changed_on_the_way_is_told(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "open"
    write_book(book, folder)
    events = (folder / "events.jsonl").read_text("utf-8")
    changed = re.sub(r'(\\"bench_s\\":)([0-9.]+)', r"\g<1>9\g<2>", events, count=1)
    assert changed != events
    (folder / "events.jsonl").write_text(changed, "utf-8")
    broken = read_book(folder, tmp_path / "changed.zbook")
    assert any("EVIDENCE WAS CHANGED" in words or "not what was" in words for words in broken)


@pytest.mark.parametrize(
    ("name", "change", "words"),
    [
        ("dictionary.json", lambda _: "{}", "another form"),
        ("runs.jsonl", lambda text: text.replace('"began"', '"begun"'), "a record has"),
        ("events.jsonl", lambda text: text[:-5], "no JSON"),
        ("heads.jsonl", lambda text: text + text, "does not fit"),
        ("documents.jsonl", lambda text: re.sub(r'"n": 1', '"n": [1]', text, count=1), "something else"),
        ("samples.h5", lambda _: "no samples", "HDF5"),
    ],
)
def test_what_is_no_such_folder_is_refused_and_leaves_nothing(
    book: Path, tmp_path: Path, name: str, change: Callable[[str], str], words: str
) -> None:
    folder, made = tmp_path / "open", tmp_path / "new.zbook"
    write_book(book, folder)
    file = folder / name
    file.write_text(change(file.read_text("utf-8", errors="replace")), "utf-8")
    with pytest.raises(InputError, match=words):
        read_book(folder, made)
    assert not list(tmp_path.glob("*new.zbook*"))


def test_a_file_beside_it_has_to_be_what_its_name_says(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "open"
    write_book(book, folder)
    (one,) = (folder / "sources").iterdir()
    one.write_bytes(b"another")
    with pytest.raises(InputError, match="not what its name says"):
        read_book(folder, tmp_path / "new.zbook")
    shutil.rmtree(folder / "sources")
    with pytest.raises(InputError, match="cannot be read"):
        read_book(folder, tmp_path / "new.zbook")


def test_the_ten_lines_of_the_docs_read_it(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "open"
    write_book(book, folder)
    text = (ROOT / "docs" / "exchange.md").read_text("utf-8")
    (code,) = re.findall(r"```python\n(.*?)```", text, re.S)
    assert code.count("\n") <= 12
    space = {"folder": folder}
    exec(code, space)
    assert space["volts"].shape[0] > 1000
    dictionary = json.loads((folder / "dictionary.json").read_text("utf-8"))
    for file, columns in dictionary["tables"].items():
        assert all(f"`{name}`" in text for name in columns), file


def test_a_book_without_a_run_is_a_whole_one(tmp_path: Path) -> None:
    book, again = tmp_path / "a.zbook", tmp_path / "b.zbook"
    unit = replace(read_unit(EXAMPLES / "units" / "ossel-od60.toml"), place="shelf")
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "x")
    write_book(book, tmp_path / "open")
    assert read_book(tmp_path / "open", again) == []
    with BookReader(again) as reader:
        assert reader.unit(unit.tag) == unit
