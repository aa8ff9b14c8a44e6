"""The real window on a real engine and stand-in bench, offscreen."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton, QTableWidget, QWidget
from pytestqt.exceptions import TimeoutError
from pytestqt.qtbot import QtBot

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.ui.theme import LIGHT, load_fonts, theme, use_theme
from zincsmith.ui.window import MainWindow

HANG_GUARD_MS = int(os.environ.get("ZINCSMITH_HANG_GUARD_MS", "300000"))


@dataclass
class Hands:
    """What a person does: look, press keys, click. Finds controls by their accessible name or text."""

    qtbot: QtBot
    window: MainWindow

    def until(self, condition: Callable[[], object]) -> None:
        """A hang guard, not a wait: goes on as soon as the condition holds."""
        try:
            self.qtbot.waitUntil(lambda: bool(condition()), timeout=HANG_GUARD_MS)
        except TimeoutError as error:
            focus = self.focus()
            state = f"{self.window.session.state.value}, focus on {focus and (focus.accessibleName() or focus)}"
            raise AssertionError(f"never came: {state}; {' / '.join(self.words().split(chr(10)))[:1500]}") from error

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.focus() or self.window, key, modifier)

    def type(self, text: str) -> None:
        QTest.keyClicks(self.focus() or self.window, text)

    def focus(self) -> QWidget | None:
        return QApplication.focusWidget()

    def line(self, name: str) -> QLineEdit:
        found = [e for e in self.window.findChildren(QLineEdit) if e.accessibleName() == name and e.isVisible()]
        assert len(found) == 1, f"{len(found)} visible lines named {name!r}"
        return found[0]

    def fill(self, name: str, text: str) -> None:
        """Click into a line, replace its text, leave it with Tab."""
        edit = self.line(name)
        edit.setFocus()
        self.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        if text:
            self.type(text)
        else:
            self.press(Qt.Key.Key_Delete)
        self.press(Qt.Key.Key_Tab)

    def button(self, text: str) -> QPushButton:
        found = [
            b
            for b in self.window.findChildren(QPushButton)
            if (b.text().startswith(text) or b.accessibleName().startswith(text)) and b.isVisible()
        ]
        assert len(found) == 1, f"{len(found)} visible buttons {text!r}"
        return found[0]

    def click(self, text: str) -> None:
        QTest.mouseClick(self.button(text), Qt.MouseButton.LeftButton)

    def table(self, name: str) -> QTableWidget:
        found = [t for t in self.window.findChildren(QTableWidget) if t.accessibleName() == name and t.isVisible()]
        assert len(found) == 1, f"{len(found)} visible tables named {name!r}"
        return found[0]

    def column(self, name: str, heading: str) -> int:
        table = self.table(name)
        return next(c for c in range(table.columnCount()) if table.horizontalHeaderItem(c).text() == heading)

    def read(self, name: str, row: int, heading: str) -> str:
        return self.table(name).item(row, self.column(name, heading)).text()

    def type_into(self, name: str, row: int, heading: str, text: str) -> None:
        """Go to a cell and type, as a person would; in a cell of choices the letters pick one."""
        table = self.table(name)
        table.setFocus()
        table.setCurrentCell(row, self.column(name, heading))
        if not text:
            self.press(Qt.Key.Key_Delete)
            return
        self.press(Qt.Key.Key_F2)
        editor = self.focus()
        if isinstance(editor, QLineEdit):
            editor.selectAll()
            self.type(text)
            self.press(Qt.Key.Key_Return)
        else:
            assert editor is not None
            QTest.keyClicks(editor, text)
        QApplication.processEvents()  # an editor hands over when the key has been dealt with

    def station(self, number: int) -> None:
        self.press(Qt.Key(ord("0") + number), Qt.KeyboardModifier.AltModifier)

    def words(self) -> str:
        """Every visible label, as a person would read the window."""
        from PySide6.QtWidgets import QLabel

        return "\n".join(x.text() for x in self.window.findChildren(QLabel) if x.isVisible())


@pytest.fixture(autouse=True)
def look(qapp: QApplication) -> None:
    load_fonts()
    if theme() is not LIGHT or not qapp.styleSheet():  # a style sheet set anew styles every widget anew
        use_theme(LIGHT)


@pytest.fixture
def make_book(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> Callable[..., Path]:
    """A book with one unit, a rig whose thermometer is read by hand, and a plan of two points."""

    def make(name: str = "bench.zbook", by_hand: bool = True) -> Path:
        path = tmp_path / name
        how = "by hand" if by_hand else "simulated"
        changed = tuple(replace(i, how=how) if i.role == "thermometer" else i for i in rig.instruments)
        with BookWriter(path) as book:
            book.revise("unit", unit.tag, unit, "test")
            book.revise("rig", "bench", replace(rig, instruments=changed), "test")
            book.revise("plan", "plan", tiny_plan, "test")
        return path

    return make


@pytest.fixture
def open_window(qtbot: QtBot, tmp_path: Path) -> Iterator[Callable[[Path], Hands]]:
    opened: list[MainWindow] = []

    def start(book: Path) -> Hands:
        window = MainWindow(book, tmp_path / "bench.log")
        opened.append(window)
        qtbot.addWidget(window, before_close_func=without_asking)
        with qtbot.waitActive(window, timeout=HANG_GUARD_MS):
            window.show()
            window.activateWindow()
        window.open()
        hands = Hands(qtbot, window)
        hands.until(lambda: window.session.problem or window.session.read_only or window.session.reader is not None)
        return hands

    yield start
    for window in opened:
        window.session.close()


def without_asking(window: MainWindow) -> None:
    """A test that failed in the middle of a run must not be asked whether it may leave."""
    window.session.close()
    window.session.problem = "the test is over"


def reread(book: Path) -> BookReader:
    return BookReader(book)
