"""The book: revisions, one writer, survival, versions."""

import hashlib
import os
import signal
import sqlite3
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from tests.book.first_form import write_first_form

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import BookError, Busy, TooNew
from zincsmith.model.events import Noted, RunClosed, RunOpened
from zincsmith.model.rig import Lead
from zincsmith.model.unit import InputRating, OutputRating, Unit, next_specimen


def opened(unit: Unit) -> RunOpened:
    return RunOpened(unit.tag, 1, 1, 1, (("static_grid", 1),), "Tester", 23.0, True, "test")


def test_documents_are_revisions_with_undo_and_redo(tmp_path: Path, unit: Unit) -> None:
    path = tmp_path / "a.zbook"
    with BookWriter(path) as book, BookReader(path) as reader:
        first = book.revise("unit", "HB-07", unit, "typed")
        second = book.revise("unit", "HB-07", replace(unit, maker="Other"), "edited")
        assert book.revise("unit", "HB-07", replace(unit, maker="Other"), "nothing changed") == second
        assert reader.unit().maker == "Other"
        assert book.undo("unit", "HB-07")
        assert reader.unit() == unit
        assert not book.undo("unit", "HB-07")
        assert book.redo("unit", "HB-07")
        assert not book.redo("unit", "HB-07")
        book.undo("unit", "HB-07")
        book.revise("unit", "HB-07", replace(unit, maker="Third"), "after an undo")
        assert not book.redo("unit", "HB-07")
        assert reader.unit("HB-07", first) == unit, "what a run cites stays readable"
        assert reader.unit("HB-07", second).maker == "Other"


def test_there_is_one_writer(tmp_path: Path) -> None:
    path = tmp_path / "a.zbook"
    with BookWriter(path):
        with pytest.raises(Busy, match="open for writing"):
            BookWriter(path)
        BookReader(path).close()
    BookWriter(path).close()


def test_closing_leaves_a_single_file(tmp_path: Path) -> None:
    with BookWriter(tmp_path / "a.zbook") as book:
        book.append(Noted("hello"))
    assert [f.name for f in tmp_path.iterdir()] == ["a.zbook"]


def test_what_was_acknowledged_survives_a_kill(tmp_path: Path) -> None:
    path = tmp_path / "a.zbook"
    code = (
        "import sys; from pathlib import Path\n"
        "from zincsmith.book.writer import BookWriter\n"
        "from zincsmith.model.events import Noted\n"
        "book = BookWriter(Path(sys.argv[1]))\n"
        "while True: print(book.append(Noted('x')), flush=True)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        try:
            acknowledged = [int(child.stdout.readline()) for _ in range(50)][-1]
        finally:
            os.kill(child.pid, signal.SIGKILL)
        rest = child.stdout.read().split()
    acknowledged = max([acknowledged, *map(int, rest[:-1])])
    with BookReader(path) as reader:
        assert [w.seq for w in reader.events()][:acknowledged] == list(range(1, acknowledged + 1))
    BookWriter(path).close()


def test_projections_can_be_rebuilt(finished_book: Path, tmp_path: Path) -> None:
    path = tmp_path / "copy.zbook"
    path.write_bytes(finished_book.read_bytes())
    tables = "SELECT * FROM run", "SELECT * FROM reading ORDER BY id"
    before = [sqlite3.connect(path).execute(q).fetchall() for q in tables]
    assert before[1]
    with BookWriter(path) as book:
        book.rebuild()
    assert [sqlite3.connect(path).execute(q).fetchall() for q in tables] == before


def test_a_later_format_is_refused_politely(tmp_path: Path) -> None:
    path = tmp_path / "a.zbook"
    BookWriter(path).close()
    db = sqlite3.connect(path)
    db.execute("PRAGMA user_version = 99")
    db.close()
    for open_it in (BookWriter, BookReader):
        with pytest.raises(TooNew, match="later version"):
            open_it(path)


@pytest.mark.parametrize("content", [b"no database at all, but long enough to be looked at" * 30, None])
def test_what_is_no_book_is_left_alone(tmp_path: Path, content: bytes | None) -> None:
    path = tmp_path / "a.zbook"
    if content is None:
        db = sqlite3.connect(path)
        db.execute("CREATE TABLE theirs (x)")
        db.close()
        content = path.read_bytes()
    else:
        path.write_bytes(content)
    with pytest.raises(BookError, match=r"not a Zincsmith book"):
        BookWriter(path)
    assert path.read_bytes() == content


def test_an_unknown_run_is_named(tmp_path: Path, unit: Unit) -> None:
    path = tmp_path / "a.zbook"
    with BookWriter(path) as book, BookReader(path) as reader:
        with pytest.raises(BookError, match="no run yet"):
            reader.run()
        run = book.open_run(opened(unit))
        assert book.unfinished() == [run]
        book.append(RunClosed("complete", "", True), run=run)
        assert book.unfinished() == []
        with pytest.raises(BookError, match="no run 7"):
            reader.run(7)


def test_a_book_of_the_first_form_opens_with_everything_in_it(tmp_path: Path) -> None:
    """Documents as the first form wrote them: units gain lists of inputs and outputs, nothing said is lost."""
    path = tmp_path / "old.zbook"
    write_first_form(path)
    BookWriter(path).close()
    with BookReader(path) as reader:
        plate, rig = reader.unit("HB-07").nameplate, reader.rig()
    assert plate.inputs == (InputRating((100.0, 240.0), (50.0, 60.0), 1.5),)
    assert plate.outputs == (OutputRating(24.0, 2.5, 60.0, 2.0),)
    assert plate.rules == (RuleChoice("us-doe-level-vi", "ac-dc basic"),)
    assert (plate.no_load_power_W, plate.marks) == (0.21, ("II",))
    assert (rig.note, rig.sense, rig.leads) == ("2 A fuse, clear cover", "load", (Lead("unit load", 1.0, 1.5),))


def test_a_photograph_is_stored_once_and_under_its_own_hash(tmp_path: Path) -> None:
    data = b"picture"
    name = hashlib.sha256(data).hexdigest()
    path = tmp_path / "a.zbook"
    with BookWriter(path) as book, BookReader(path) as reader:
        for _ in range(2):
            book.keep_photo(name, "image/jpeg", (4, 3), data)
        assert reader.photo(name) == data
        with pytest.raises(BookError, match="hash"):
            book.keep_photo("0" * 64, "image/jpeg", (4, 3), data)
        with pytest.raises(BookError, match="no such photograph"):
            reader.photo("0" * 64)
    db = sqlite3.connect(path)
    assert db.execute("SELECT count(*) FROM photo").fetchone() == (1,)
    db.close()


def test_units_are_listed_by_model_and_one_is_current(tmp_path: Path, unit: Unit) -> None:
    second = next_specimen(unit, {"HB-07", "HB-08"})
    assert (second.tag, second.serial, second.safety, second.look.items) == ("HB-09", "", (), ())
    assert (second.nameplate, second.label) == (unit.nameplate, unit.label)
    path = tmp_path / "a.zbook"
    with BookWriter(path) as book, BookReader(path) as reader:
        book.revise("unit", unit.tag, unit, "typed")
        book.revise("unit", "X", replace(unit, maker="Aldgate", tag="X"), "typed")
        book.revise("unit", second.tag, second, "typed")
        assert [row.key for row in reader.units()] == ["X", "HB-07", "HB-09"]
        assert reader.unit().tag == "HB-09", "the one touched last"
        book.choose("unit", "X")
        assert reader.unit().tag == "X"
        book.revise("unit", "HB-07", replace(unit, serial="2"), "edited")
        book.choose("unit", "X")
        assert (reader.unit().tag, reader.unit("HB-07").serial) == ("X", "2")
        with pytest.raises(BookError, match="no unit 'Y'"):
            book.choose("unit", "Y")
