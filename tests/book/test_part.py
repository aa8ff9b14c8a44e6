"""A run or a unit as a book of its own, and joined to another: findings, digests and seals are what they were."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.whole.test_demo_book import told, unpacked

from zincsmith.book.join import JoinedAs, join
from zincsmith.book.part import part_of
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import BROKEN, CLOSING, SEALED, body_digest, link
from zincsmith.book.writer import BookWriter
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.events import FindingsKept, Noted, PointTaken

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
    assert join(unit, run) == [JoinedAs(last, last)], "its number was free"
    assert seals(unit) == {n: kept[n] for n in (*REPAIRED, last)}
    assert found(unit, last) == found(whole, last)
    assert "DAMAGED" not in command("book", "check", str(unit)).stdout
    with BookReader(unit) as reader:
        assert {u.key for u in reader.units()} == {"HB-09", "HB-07"}
    assert join(unit, run) == [JoinedAs(last, last, known=True)]
    assert seals(unit) == {n: kept[n] for n in (*REPAIRED, last)}, "what is there already is left as it is"


def evidence(book: Path, run: int) -> str:
    with BookReader(book) as reader:
        return evidence_digest(judge_run(reader, run))


@pytest.mark.long
def test_books_that_both_begin_at_one_are_joined_with_what_was_signed(
    whole: Path, tmp_path: Path, command: Command
) -> None:
    """Two benches of one house: both have runs 1 and 2, a rig and a plan in the same revisions, and a piece HB-09 that
    is not the same one. The one that comes in is signed before, and amended afterwards."""
    mine, theirs, third = tmp_path / "mine.zbook", tmp_path / "east.zbook", tmp_path / "third.zbook"
    part_of(whole, mine, unit="HB-09")
    part_of(whole, theirs, unit="HB-09")
    db = sqlite3.connect(theirs)  # an earlier run of another bench: the same numbers, written at another time
    _sealed_anew(db, at="2026-03-02T09:10:11.120+00:00", model="Q 40")
    db.close()
    assert command("sign", str(theirs), "--run", "1", "--by", "Test engineer").returncode == 0
    before, digests = found(theirs, 1), {n: evidence(theirs, n) for n in REPAIRED}
    sealed = seals(theirs)
    assert {state for state, _ in sealed.values()} == {SEALED}

    said = command("join", str(mine), str(theirs))
    assert said.returncode == 0, said.stderr
    assert "run 3, run 1 of east.zbook" in said.stdout
    assert {n: seals(mine)[n + 2] for n in REPAIRED} == sealed, "sealed as they were"
    assert {n: evidence(mine, n + 2) for n in REPAIRED} == digests, "what was signed is what it says"
    assert found(mine, 3) == before
    assert "DAMAGED" not in command("book", "check", str(mine)).stdout
    with BookReader(mine) as reader:
        rows = {row.id: row for row in reader.runs()}
        assert [rows[n].unit for n in (1, 3)] == ["HB-09", "HB-09 of east"], "two pieces of one tag stay two"
        assert (rows[3].sealed_as, rows[1].sealed_as) == (1, None)
        assert reader.unit(rows[3].unit, rows[3].unit_n).model == "Q 40"
        assert reader.current_key("unit") == "HB-09", "what is open stays open"
        assert "sealed as run 1 of the book it came from" in reader.seal(3).words
        points = [w.event.point for w in reader.of_kind(PointTaken, 3)]
        assert all(r.id.startswith("3/") for point in points for r in point.readings)
        assert (reader.opened(3).unit, reader.opened(3).rig_n) == (rows[3].unit, rows[3].rig_n)
        told_again = [w.event for w in reader.of_kind(FindingsKept, 3)]
        assert told_again[-1].evidence == digests[1]
    report = tmp_path / "report.html"
    assert command("report", str(mine), "--run", "3", "-o", str(report)).returncode == 0
    assert "Run 3 (sealed as run 1 of the book it came from)" in report.read_text()
    shown = command("findings", str(mine), "--run", "3", "--json")
    assert '"3/' in shown.stdout
    assert '"1/' not in shown.stdout

    amended = command("amend", str(mine), "--run", "3", "--by", "Test engineer", "--text", "joined")
    assert amended.returncode == 0, amended.stderr
    assert seals(mine)[3][0] == SEALED, "what is added is a link of the chain that it came with"
    with BookWriter(mine) as writer:
        writer.rebuild()
    assert found(mine, 3) == before, "the tables are made again from the events as they read here"
    folder, again = tmp_path / "folder", tmp_path / "again.zbook"
    assert command("export", str(mine), "-o", str(folder)).returncode == 0
    assert command("import", str(folder), "--book", str(again)).returncode == 0
    assert seals(again) == seals(mine)
    part_of(mine, third, run=3)
    assert seals(third)[3] == seals(mine)[3]

    book = tmp_path / "later.zbook"
    part_of(whole, book, run=3)
    assert join(book, third) == [JoinedAs(3, 4)], "and once more, into a book that has a run 3"
    assert seals(book)[4] == seals(mine)[3]
    assert evidence(book, 4) == digests[1]
    with BookReader(book) as reader:
        assert reader.run(4).sealed_as == 1
    db = sqlite3.connect(book)
    db.execute("UPDATE joined SET body = replace(body, '[1,3]', '[2,3]')")
    db.commit()
    db.close()
    assert seals(book)[4][0] == BROKEN, "nobody gives it another number than that of its seal"
    for nonsense in ("[]", "{", '{"numbers": []}', '{"numbers": [1], "documents": [[1]]}'):
        db = sqlite3.connect(book)
        db.execute("UPDATE joined SET body = ?", (nonsense,))
        db.commit()
        db.close()
        said = command("findings", str(book), "--run", "4")
        assert (said.returncode, said.stderr.count("\n"), said.stdout) == (2, 1, ""), nonsense
        checked = command("book", "check", str(book))
        assert checked.returncode in (1, 2), nonsense
        assert "Joined" in checked.stdout + checked.stderr or "joined run" in checked.stdout + checked.stderr


def test_a_piece_that_was_edited_since_is_still_that_piece(whole: Path, tmp_path: Path) -> None:
    """A run goes to another bench, and what it is called is edited there or here: one piece with one key, and a run
    that is here already."""
    mine, theirs = tmp_path / "mine.zbook", tmp_path / "theirs.zbook"
    part_of(whole, mine, run=2)
    part_of(whole, theirs, unit="HB-09")
    with BookReader(mine) as reader:
        unit = reader.unit("HB-09")
    with BookWriter(mine) as writer:
        writer.revise("unit", "HB-09", replace(unit, serial="0042"), "the number on its back")
    assert join(mine, theirs) == [JoinedAs(1, 1), JoinedAs(2, 2, known=True)]
    with BookReader(mine) as reader:
        assert [row.key for row in reader.units()] == ["HB-09"]
        assert reader.unit("HB-09").serial == "0042", "what holds here goes on holding"
        assert reader.seal(1).state == reader.seal(2).state == SEALED


def _sealed_anew(db: sqlite3.Connection, at: str, model: str) -> None:
    """As if it had been written at another time, of another piece: events, documents and the chain over them."""
    for key, n, body in db.execute("SELECT key, n, body FROM document WHERE kind = 'unit'").fetchall():
        body = json.dumps(json.loads(body) | {"model": model}, ensure_ascii=False, separators=(",", ":"))
        db.execute("UPDATE document SET body = ?, sha256 = ? WHERE kind = 'unit' AND key = ? AND n = ?",
                   (body, body_digest(body), key, n))  # fmt: skip
    for (run,) in db.execute("SELECT id FROM run").fetchall():
        before = kept = ""
        for seq, step, bench_s, kind, body in db.execute(
            "SELECT seq, step, bench_s, kind, body FROM event WHERE run = ? ORDER BY seq", (run,)
        ).fetchall():
            if kind == "DocumentsBound":
                told = json.loads(body)
                told["documents"] = [
                    [k, key, n, body_digest(db.execute("SELECT body FROM document WHERE kind = ? AND key = ? AND n = ?",
                                                       (k, key, n)).fetchone()[0])]
                    for k, key, n, _ in told["documents"]
                ]  # fmt: skip
                body = json.dumps(told)
            before = link(before, run, step, at, bench_s, kind, body)
            kept = before if kind in CLOSING else kept
            db.execute("UPDATE event SET at = ?, body = ?, digest = ? WHERE seq = ?", (at, body, before, seq))
        db.execute("UPDATE run SET digest = ?, began = ?, ended = ? WHERE id = ?", (kept, at, at, run))
    db.commit()


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
