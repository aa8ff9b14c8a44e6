"""A citizen of the desktop: found by it, opened by its books, left and found again as it was."""

from __future__ import annotations

import configparser
import json
import os
import shutil
import subprocess
import sys
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtWidgets import QFileDialog
from tests.ui.conftest import Hands

from zincsmith.cli.desktop import commands
from zincsmith.desktop.install import DATA, MADE, PLACES, SIZES
from zincsmith.engine.crash_report import keep_report
from zincsmith.ui.remembered import Remembered, keep, remembered
from zincsmith.ui.which_book import WhichBook

Command = Callable[..., CompletedProcess[str]]
Open = Callable[[Path], Hands]
ASKS = """
from PySide6.QtCore import QMimeDatabase
import sys
for file in sys.argv[1:]:
    print(QMimeDatabase().mimeTypeForFile(file).name())
"""


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def test_it_is_installed_below_a_prefix_and_taken_away_again(command: Command, tmp_path: Path) -> None:
    prefix, mine = tmp_path / "prefix", tmp_path / "prefix" / "share" / "applications" / "other.desktop"
    mine.parent.mkdir(parents=True)
    mine.write_text("mine")
    said = command("desktop", "install", "--prefix", str(prefix))
    assert said.returncode == 0
    assert {Path(line) for line in said.stdout.split()} == {prefix / p for p in (*PLACES.values(), *MADE.values())}
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(prefix / PLACES["zincsmith.desktop"])
    assert entry["Desktop Entry"]["MimeType"] == "application/x-zincsmith-book;"
    assert entry["Desktop Entry"]["Exec"] == "zincsmith open %f"
    for size in SIZES:
        picture = QImage(str(prefix / PLACES[f"zincsmith-{size}.png"]))
        assert (picture.width(), picture.height()) == (size, size)
    man = (prefix / MADE["man"]).read_text("utf-8").replace("\\-", "-")
    assert all(f".B {name}\n" in man for name in commands())
    assert {"run", "compare", "practice", "workshop", "open"} <= set(commands())
    assert command("desktop", "remove", "--prefix", str(prefix)).returncode == 0
    left = [file for file in prefix.rglob("*") if file.is_file() and "mime" not in str(file.relative_to(prefix))]
    assert left == [mine], "what is not ours stays"
    taken = tmp_path / "file"
    taken.write_text("no folder")
    assert command("desktop", "install", "--prefix", str(taken)).returncode == 2


@pytest.mark.skipif(not shutil.which("update-mime-database"), reason="the desktop's own tool is not there")
def test_a_book_is_known_by_what_stands_in_it(command: Command, tmp_path: Path, make_book: Callable[..., Path]) -> None:
    prefix, bare = tmp_path / "prefix", tmp_path / "no_ending"
    command("desktop", "install", "--prefix", str(prefix))
    shutil.copy(make_book(), bare)
    other = tmp_path / "other"
    other.write_bytes(b"SQLite format 3\x00" + bytes(200))
    told = subprocess.run(
        [sys.executable, "-c", ASKS, str(bare), str(other)], capture_output=True, text=True, check=True, timeout=60,
        env={**os.environ, "XDG_DATA_HOME": str(prefix / "share"), "XDG_DATA_DIRS": str(prefix / "share")},
    )  # fmt: skip
    first, second = told.stdout.split()
    assert first == "application/x-zincsmith-book"
    assert second != first


def test_metadata_and_icons_are_whole() -> None:
    for name in ("zincsmith.metainfo.xml", "zincsmith-mime.xml", "zincsmith.svg", "zincsmith-dark.svg"):
        ET.fromstring((DATA / name).read_text("utf-8"))
    if tool := shutil.which("appstreamcli"):
        said = subprocess.run([tool, "validate", "--no-net", str(DATA / "zincsmith.metainfo.xml")],
                              capture_output=True, text=True, check=False, timeout=60)  # fmt: skip
        assert "E: " not in said.stdout, said.stdout


def test_a_shell_completes_commands_and_options() -> None:
    for words, at, wanted in (("zincsmith wor", 1, "workshop"), ("zincsmith compare --fee", 2, "--feeds")):
        env = {**os.environ, "_ZINCSMITH_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(at)}
        said = subprocess.run([sys.executable, "-m", "zincsmith.cli"], env=env, capture_output=True, text=True,
                              check=False, timeout=60)  # fmt: skip
        assert wanted in said.stdout.split(), said.stderr


def test_a_book_opens_where_it_was_left_and_as_large(open_window: Open, make_book: Callable[..., Path]) -> None:
    book = make_book()
    hands = open_window(book)
    hands.window.remember(remembered())
    hands.window.resize(1100, 760)
    hands.window.go("Log")
    hands.window.close()
    kept = remembered()
    assert kept.there() == [book]
    again = open_window(book)
    again.window.remember(kept)
    assert again.window.current is again.window.stations["Log"]
    assert (again.window.width(), again.window.height()) == (1100, 760)


@pytest.mark.parametrize("text", ["", "{", "[]", '{"recent": 3, "size": [1, 99999999], "stations": {"a": 4}}', "null"])
def test_what_is_no_memory_is_none(text: str, tmp_path: Path) -> None:
    file = tmp_path / "state" / "zincsmith" / "window.json"
    file.parent.mkdir(parents=True)
    file.write_text(text)
    assert remembered() == Remembered()


def test_only_the_latest_are_kept_and_those_that_are_gone_not_offered(tmp_path: Path) -> None:
    one = Remembered()
    for n in range(30):
        book = tmp_path / f"{n}.zbook"
        if n % 2:
            book.touch()
        one.opened(book)
    keep(one)
    there = remembered().there()
    assert there[0] == tmp_path / "29.zbook"
    assert len(there) == 6
    assert json.loads((tmp_path / "state" / "zincsmith" / "window.json").read_text())["recent"]


def test_without_a_book_the_recent_ones_are_offered_by_keys(qtbot, tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    books = [tmp_path / name for name in ("a.zbook", "b.zbook")]
    dialog = WhichBook(books)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.keyClick(dialog.list, Qt.Key.Key_Down)
    qtbot.keyClick(dialog.list, Qt.Key.Key_Return)
    assert dialog.book == books[1]
    fresh = WhichBook([])
    qtbot.addWidget(fresh)
    assert not fresh.go.isEnabled()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "new"), ""))
    fresh._new()
    assert fresh.book == tmp_path / "new.zbook"


def test_what_went_wrong_last_time_is_told_once(open_window: Open, make_book: Callable[..., Path]) -> None:
    report = keep_report("Traceback: something")
    hands = open_window(make_book())
    hands.window.remember(remembered())
    hands.window.tell_of_crash()
    assert str(report) in hands.words()
    assert "nothing of it is lost" in hands.words()
    hands.window.alarm.hide()
    hands.window.tell_of_crash()
    assert not hands.window.alarm.isVisible()


def logged(state: Path, code: str) -> subprocess.CompletedProcess[str]:
    """A process of the program that says something, with a folder of its own for what is kept."""
    begin = (
        "import logging, pathlib\n"
        "from zincsmith.engine.crash_report import keep_log, keep_report\n"
        "keep_log('engine', pathlib.Path('a.zbook'))\n"
    )
    env = os.environ | {"XDG_STATE_HOME": str(state)}
    return subprocess.run([sys.executable, "-c", begin + code], text=True, capture_output=True, check=True, env=env)


def test_what_a_process_logs_is_kept_in_files_that_do_not_grow(tmp_path: Path) -> None:
    said = logged(tmp_path, "logging.getLogger('zincsmith').warning('the sun went in')\nkeep_report('Traceback')")
    (file,) = (tmp_path / "zincsmith" / "log").iterdir()
    lines = file.read_text().splitlines()
    assert file.name == "engine.log"
    assert [line.split(" ", 3)[3].partition(" ")[0] for line in lines] == ["INFO", "WARNING", "WARNING"]
    assert "begins on a.zbook" in lines[0]
    (report,) = (tmp_path / "zincsmith" / "crashes").iterdir()
    assert str(report) in lines[2]
    assert "the sun went in" in said.stderr
    assert "begins on" not in said.stderr, "a terminal is told of what is wrong alone"
    logged(tmp_path, "for n in range(40_000): logging.getLogger('zincsmith').info('x' * 80)")
    kept = sorted((tmp_path / "zincsmith" / "log").iterdir())
    assert [one.name for one in kept] == ["engine.log", "engine.log.1", "engine.log.2"]
    assert max(one.stat().st_size for one in kept) <= 1_000_000
    (tmp_path / "file").write_text("")
    said = logged(tmp_path / "file", "print('goes on')")
    assert said.stdout == "goes on\n"
    assert said.stderr.count("no log is kept") == 1


def test_a_book_that_is_dropped_opens_a_window_of_its_own(
    open_window: Open, make_book: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    hands = open_window(make_book())
    started: list[str] = []
    monkeypatch.setattr("zincsmith.ui.window.open_beside", started.append)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile("/somewhere/other.zbook"), QUrl.fromLocalFile("/somewhere/else.txt")])
    hands.window.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                                      Qt.KeyboardModifier.NoModifier))  # fmt: skip
    assert started == ["/somewhere/other.zbook"]
