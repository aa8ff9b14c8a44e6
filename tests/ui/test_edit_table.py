"""The table that is typed into: adding, taking away, choices, wrong entries, and that nothing typed is lost."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit
from pytestqt.qtbot import QtBot

from zincsmith.ui.widgets.edit_table import Column, EditTable, Row

COLUMNS = (
    Column("name", "part", stretch=True),
    Column("volts", "rated V", "V", kind="voltage"),
    Column("state", "state", choices=("sound", "bulging", "loose")),
    Column("sees", "sees", fixed=True),
)
ROWS: list[Row] = [
    {"name": "C1", "volts": 400.0, "state": "sound", "sees": "325 V"},
    {"name": "C5", "volts": 25.0, "state": "bulging", "sees": "24 V"},
]
CTRL = Qt.KeyboardModifier.ControlModifier


class Held:
    """A shown table with what it said."""

    def __init__(self, table: EditTable) -> None:
        self.table = table
        self.edited: list[list[Row]] = []
        self.wrong: list[str] = []
        table.edited.connect(self.edited.append)
        table.wrong.connect(self.wrong.append)

    def at(self, row: int, column: int) -> None:
        self.table.setFocus()
        self.table.setCurrentCell(row, column)

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(QApplication.focusWidget() or self.table, key, modifier)
        QApplication.processEvents()

    def type(self, row: int, column: int, text: str) -> None:
        self.at(row, column)
        QTest.keyClicks(self.table, text[:1])  # any key begins to type
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        QTest.keyClicks(editor, text[1:])
        self.press(Qt.Key.Key_Return)


@pytest.fixture
def held(qtbot: QtBot) -> Callable[..., Held]:
    def make(rows: list[Row] = ROWS, **options: Any) -> Held:
        table = EditTable("Parts", COLUMNS)
        qtbot.addWidget(table)
        table.resize(500, 300)
        table.show_rows(rows, **options)
        with qtbot.waitExposed(table):
            table.show()
        table.activateWindow()
        return Held(table)

    return make


def test_a_row_is_added_by_typing_where_there_is_none(held: Callable[..., Held]) -> None:
    one = held()
    one.type(2, 0, "F1")
    assert one.edited[-1][:2] == ROWS
    assert one.edited[-1][2] == {"name": "F1", "volts": None, "state": ""}
    assert one.wrong[-1] == ""


def test_a_choice_alone_makes_a_row_too(held: Callable[..., Held]) -> None:
    one = held()
    one.at(2, 2)
    one.press(Qt.Key.Key_F2)
    box = QApplication.focusWidget()
    assert isinstance(box, QComboBox)
    QTest.keyClicks(box, "l")
    assert one.edited[-1][2]["state"] == "loose"


def test_a_row_is_taken_away_whole_and_a_cell_is_emptied(held: Callable[..., Held]) -> None:
    one = held()
    one.at(0, 1)
    one.press(Qt.Key.Key_Delete)
    assert one.edited[-1][0]["volts"] is None, "no figure is not zero"
    one.press(Qt.Key.Key_Delete, CTRL)
    assert [row["name"] for row in one.edited[-1]] == ["C5"]
    count = len(one.edited)
    one.at(2, 0)
    one.press(Qt.Key.Key_Delete, CTRL)
    assert len(one.edited) == count, "the empty row cannot be taken away"


@pytest.mark.parametrize(
    ("text", "reason"),
    [("much", "does not start with a number"), ("5 A", "this reading is in V"), ("1,200", "1.200 or 1200")],
)
def test_a_wrong_entry_stays_and_holds_everything_back(held: Callable[..., Held], text: str, reason: str) -> None:
    one = held()
    one.type(0, 1, text)
    assert reason in one.wrong[-1]
    assert one.wrong[-1].startswith("rated V, row 1")
    assert one.table.item(0, 1).text() == text
    assert one.edited == []
    one.type(1, 0, "C6")
    assert one.edited == [], "not while something is wrong"
    one.type(0, 1, "450 V")
    assert [(r["name"], r["volts"]) for r in one.edited[-1]] == [("C1", 450.0), ("C6", 25.0)], "then all of it"
    assert one.wrong[-1] == ""


def test_what_is_only_shown_cannot_be_typed_into(held: Callable[..., Held]) -> None:
    one = held()
    one.at(0, 3)
    QTest.keyClicks(one.table, "9")
    assert not isinstance(QApplication.focusWidget(), QLineEdit)
    assert one.table.item(0, 3).text() == "325 V"


def test_showing_the_same_rows_again_leaves_what_is_being_typed(held: Callable[..., Held]) -> None:
    one = held()
    one.at(1, 0)
    one.press(Qt.Key.Key_F2)
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    QTest.keyClicks(editor, "x")
    one.table.show_rows(ROWS)
    assert QApplication.focusWidget() is editor
    one.press(Qt.Key.Key_Escape)
    assert one.edited == [], "escape takes nothing"
    one.table.show_rows(ROWS[:1])
    assert one.table.rowCount() == 2


def test_a_locked_table_offers_no_row_to_add(held: Callable[..., Held]) -> None:
    assert held(locked=True).table.rowCount() == 2
    empty = held([])
    assert empty.table.rowCount() == 1
    assert empty.table.grab().toImage() is not None


def test_tab_leaves_the_table(held: Callable[..., Held], qtbot: QtBot) -> None:
    one = held()
    one.at(0, 0)
    assert not one.table.tabKeyNavigation(), "Tab is for the window, arrows are for the table"
    one.press(Qt.Key.Key_Down)
    assert one.table.currentRow() == 1
