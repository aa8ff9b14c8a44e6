"""A run or a unit as a book of its own, and joined to another: findings, digests and seals are what they were."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.whole.test_demo_book import told, unpacked

from zincsmith.book.part import join, part_of
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import SEALED
from zincsmith.book.writer import BookWriter
from zincsmith.judge.judging import judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.events import Noted

Command = Callable[..., CompletedProcess[str]]
REPAIRED = (1, 2)  # runs of HB-09


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return unpacked(tmp_path_factory.mktemp("whole") / "whole.zbook")


def seals(book: Path) -> dict[int, tuple[str, str]]:
    with BookReader(book) as reader:
        return {row.id: (seal.state, seal.digest) for row in reader.runs() for seal in (reader.seal(row.id),)}


def found(book: Path, run: int) -> list[tuple[object, ...]]:
    with BookReader(book) as reader:
        return told(judge_run(reader, run))


@pytest.mark.long
def test_a_unit_alone_and_a_run_joined_to_it_are_what_they_were(whole: Path, tmp_path: Path, command: Command) -> None:
    unit, run = tmp_path / "unit.zbook", tmp_path / "run.zbook"
    with BookReader(whole) as reader:
        last = reader.runs()[-1].id
    assert part_of(whole, unit, unit="HB-09") == list(REPAIRED)
    assert part_of(whole, run, run=last) == [last]
    kept = seals(whole)
    assert seals(unit) == {n: kept[n] for n in REPAIRED}
    assert {state for state, _ in seals(unit).values()} == {SEALED}
    assert seals(run) == {last: kept[last]}
    assert found(run, last) == found(whole, last), "with its captures"
    assert found(unit, 1) == found(whole, 1)
    for book in (unit, run):
        assert "DAMAGED" not in command("book", "check", str(book)).stdout
        assert book.stat().st_size < 0.5 * whole.stat().st_size, "what the others cite is not in it"
    with BookReader(unit) as reader:
        assert [u.key for u in reader.units()] == ["HB-09"]
        assert reader.recipe() is None
    assert join(unit, run) == [last]
    assert seals(unit) == {n: kept[n] for n in (*REPAIRED, last)}
    assert found(unit, last) == found(whole, last)
    assert "DAMAGED" not in command("book", "check", str(unit)).stdout
    with BookReader(unit) as reader:
        assert {u.key for u in reader.units()} == {"HB-09", "HB-07"}
    with pytest.raises(InputError, match=f"has a run {last} of its own"):
        join(unit, run)
    assert seals(unit) == {n: kept[n] for n in (*REPAIRED, last)}, "what is refused changes nothing"


def test_a_book_that_is_written_to_is_taken_as_it_stands(whole: Path, tmp_path: Path) -> None:
    book = tmp_path / "open.zbook"
    book.write_bytes(whole.read_bytes())
    with BookWriter(book) as writer:
        writer.append(Noted("while somebody writes", {}))
        assert part_of(book, tmp_path / "part.zbook", run=1) == [1]
        with pytest.raises(Exception, match="open for writing"):
            join(book, tmp_path / "part.zbook")


def test_evidence_that_was_changed_is_not_joined(whole: Path, tmp_path: Path) -> None:
    part, other = tmp_path / "part.zbook", tmp_path / "other.zbook"
    part_of(whole, part, run=1)
    with BookWriter(other):
        pass
    db = sqlite3.connect(part)
    db.execute("UPDATE event SET body = replace(body, '230.', '231.') WHERE kind = 'PointTaken'")
    db.commit()
    db.close()
    with pytest.raises(InputError, match="is not joined"):
        join(other, part)
    with BookReader(other) as reader:
        assert reader.runs() == []


def test_nonsense_is_refused_and_leaves_nothing(whole: Path, tmp_path: Path, command: Command) -> None:
    out = tmp_path / "out.zbook"
    for arguments in ((), ("--run", "99"), ("--unit", "nobody")):
        said = command("part", str(whole), "-o", str(out), *arguments)
        assert (said.returncode, said.stderr.count("\n")) == (2, 1)
        assert not out.exists()
    out.write_text("mine")
    assert command("part", str(whole), "-o", str(out), "--run", "1").returncode == 2
    assert out.read_text() == "mine"
    assert command("join", str(whole), str(tmp_path / "none.zbook")).returncode == 2
