"""Help in the window: the page of the station, a search, the keys that there really are, and the first opening."""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QPushButton
from tests.conftest import ROOT
from tests.ui.conftest import Hands

from zincsmith.ui.help_view import FOLDER, pages
from zincsmith.ui.keys import EVERYWHERE, KEYS
from zincsmith.ui.window import STATIONS

Open = Callable[[Path], Hands]
PLAIN = {"Enter", "Up", "Down", "Left", "Right", "Space", "Esc", "K", "C", "M"}  # dealt with by what has the focus
# Keys of forms and lines that open for a while; their own words name them.
OF_A_FORM = {"Ctrl+Return", "Up"}


def test_f1_is_the_page_of_the_station_and_back(open_window: Open, finished_book: Path) -> None:
    hands = open_window(finished_book)
    window = hands.window
    for number, title in STATIONS:
        hands.station(number)
        hands.press(Qt.Key.Key_F1)
        assert window.help is not None
        assert window.stack.currentWidget() is window.help
        assert window.help.list.currentItem().text() == title
        assert window.help.text.toPlainText().startswith(title)
        hands.press(Qt.Key.Key_F1)
        assert window.stack.currentWidget() is not window.help
        assert window.current is window.stations[title]
    hands.press(Qt.Key.Key_Question, Qt.KeyboardModifier.ControlModifier)
    assert window.help is not None
    assert "make safe" in window.help.text.toPlainText()
    hands.line("Find in help").setFocus()
    hands.type("guard band")
    assert window.help.found.text().startswith("on ")
    listed = [window.help.list.item(n).text() for n in range(window.help.list.count())]
    assert "Words" in listed
    assert "Safety" not in listed
    assert window.help.text.textCursor().selectedText().lower() == "guard band"
    hands.fill("Find in help", "xyzzy")
    assert window.help.found.text() == "on no page"
    hands.press(Qt.Key.Key_Escape)
    assert window.stack.currentWidget() is not window.help


def test_the_list_of_keys_is_what_the_stations_listen_to(open_window: Open, finished_book: Path) -> None:
    hands = open_window(finished_book)
    for number, title in STATIONS:
        hands.station(number)
        station = hands.window.stations[title]
        own = _keys_of(station)
        told = {QKeySequence(key).toString() for key, _ in KEYS[title] if key not in PLAIN}
        assert own - told - OF_A_FORM == set(), f"{title} listens to keys that nobody is told of"
        assert told - own == set(), f"{title} does not listen to keys that are told of"
    everywhere = {QKeySequence(key).toString() for key, _ in KEYS[EVERYWHERE] if key not in PLAIN}
    of_stations = {k for s in hands.window.stations.values() for k in _keys_of(s)}
    assert everywhere <= _keys_of(hands.window)
    assert not {"F1", "F8", "F11", "F12"} & of_stations, "a key that means the same everywhere means nothing else"
    for number, title in ((2, "Rig"), (5, "Findings")):  # and F8 does what it is told to do
        hands.station(number)
        station = hands.window.stations[title]
        hands.until(lambda station=station: all(w.isVisible() for w in station.smaller()))
        hands.press(Qt.Key.Key_F8)
        assert not any(w.isVisible() for w in station.smaller())
        hands.press(Qt.Key.Key_F8)
        assert all(w.isVisible() for w in station.smaller())


def _keys_of(widget: object) -> set[str]:
    found = {s.key().toString() for s in widget.findChildren(QShortcut)}  # type: ignore[attr-defined]
    found |= {b.shortcut().toString() for b in widget.findChildren(QPushButton)}  # type: ignore[attr-defined]
    return found - {""}


def test_every_station_has_its_page_and_pages_speak_of_keys_that_exist() -> None:
    assert {title.lower() for _, title in STATIONS} | {"first-steps", "keys", "words", "safety"} <= set(pages())
    known = {key for keys in KEYS.values() for key, _ in keys}
    for name, text in pages().items():
        for word in text.replace("*", " ").replace(",", " ").replace(".", " ").replace(")", " ").split():
            if word.lstrip("(").startswith(("Ctrl+", "Alt+")) or (word[:1] == "F" and word[1:].isdigit()):
                assert word.lstrip("(") in known, f"{name} speaks of {word}"
    assert (
        pages()["first-steps"].count("\n1") + sum(pages()["first-steps"].count(f"\n{n}. ") for n in range(2, 10)) >= 10
    ), "the tour of ten lines"


def test_the_first_opening_shows_the_first_steps_once(
    open_window: Open, finished_book: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    hands = open_window(finished_book)
    hands.window.greet_newcomer()
    assert hands.window.help is not None
    assert hands.window.help.text.toPlainText().startswith("First steps")
    hands.press(Qt.Key.Key_Escape)
    hands.window.greet_newcomer()
    assert hands.window.stack.currentWidget() is not hands.window.help


def test_help_is_shipped_with_what_is_installed() -> None:
    """The pages lie in the package, and the build takes them along; docs/help leads to the same files."""
    packaged = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["setuptools"]["package-data"]
    folder = ROOT / "src" / "zincsmith" / "ui"
    shipped = {path for pattern in packaged["zincsmith.ui"] for path in folder.glob(pattern)}
    assert FOLDER.is_relative_to(folder)
    assert set(FOLDER.glob("*.md")) <= shipped
    assert {p.name for p in (ROOT / "docs" / "help").iterdir()} == {p.name for p in FOLDER.glob("*.md")}
