"""A book that somebody else writes, and the stations by keyboard alone."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QTableWidget
from pytestqt.qtbot import QtBot
from tests.ui.conftest import Hands, reread
from tests.ui.test_nameplate import settle

from zincsmith.book.writer import BookWriter
from zincsmith.ui.nameplate.photos import PhotoStrip
from zincsmith.ui.rig.wiring_sheet import WiringSheet
from zincsmith.ui.theme import theme
from zincsmith.ui.window import MainWindow

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
CTRL = Qt.KeyboardModifier.ControlModifier
PAGES = ("Label, claims", "Look-over", "Parts", "Terminals", "Safety")


def test_a_book_open_elsewhere_is_shown_whole_and_changed_nowhere(open_window: Open, make_book: Make) -> None:
    book = make_book()
    with BookWriter(book):
        hands = open_window(book)
        hands.until(lambda: hands.window.session.read_only)
        with reread(book) as reader:
            before = reader.unit(), reader.rig(), reader.last_seq()
        station = hands.window.stations["Nameplate"]
        for page in PAGES:
            hands.click(f"Page: {page}")
            QApplication.processEvents()
            for table in station.findChildren(QTableWidget):
                if table.isVisible() and table.accessibleName() != "Claims":
                    held = [table.item(r, 0) for r in range(table.rowCount())]
                    assert all(item is not None and item.text() for item in held), "no row to add"
        hands.click("Page: Label, claims")
        line = hands.line("Label line 1")
        line.setFocus()
        hands.type("9")
        assert "9INPUT" not in line.text()
        hands.press(Qt.Key.Key_Z, CTRL)
        for button in ("Add  Ctrl+N", "Drop", "Undo", "Open a unit"):
            assert not hands.button(button).isEnabled(), button
        hands.station(2)
        QApplication.processEvents()
        rig = hands.window.stations["Rig"]
        rig.open_element("load")
        QApplication.processEvents()
        for kind in (QLineEdit, QComboBox):
            for control in rig.element.findChildren(kind):
                assert not control.isVisible() or not control.isEnabled()
        with reread(book) as reader:
            assert (reader.unit(), reader.rig(), reader.last_seq()) == before


def test_pages_are_turned_and_everything_is_reached_from_the_keyboard(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    station = hands.window.stations["Nameplate"]
    shown = []
    for _ in PAGES:
        shown.append(PAGES[station.stack.currentIndex()])
        hands.press(Qt.Key.Key_PageDown, CTRL)
        QApplication.processEvents()
    assert shown == list(PAGES), "round to the first again"
    hands.press(Qt.Key.Key_PageUp, CTRL)
    assert station.stack.currentIndex() == len(PAGES) - 1
    hands.press(Qt.Key.Key_PageDown, CTRL)
    for number in (1, 2):
        hands.station(number)
        QApplication.processEvents()
        reached = set()
        for _ in range(120):
            hands.press(Qt.Key.Key_Tab)
            widget = hands.focus()
            assert widget is not None
            if widget in reached and len(reached) > 12:
                break
            reached.add(widget)
        kinds = (QAbstractButton, QLineEdit, QComboBox, QTableWidget, WiringSheet)
        wanted = {
            w
            for kind in kinds
            for w in hands.window.current.findChildren(kind)
            if w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus
        }
        missed = [w.accessibleName() or getattr(w, "text", lambda: "")() for w in wanted - reached]
        assert not missed


def test_a_line_is_moved_through_with_arrows_and_enter(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    hands.line("Label line 1").setFocus()
    hands.press(Qt.Key.Key_Down)
    assert hands.focus() is hands.line("Label line 2")
    hands.press(Qt.Key.Key_Up)
    hands.press(Qt.Key.Key_Up)
    assert hands.focus() is hands.line("Label line 1"), "the ends stop"
    hands.line("Label line 6").setFocus()
    hands.type("IP20")
    hands.press(Qt.Key.Key_Return)
    settle(hands)
    assert hands.focus() is hands.line("Label line 7"), "a new line is ready"
    assert "IP20" in hands.window.session.unit.nameplate.marks
    line = hands.line("Label line 6")
    line.setFocus()
    hands.press(Qt.Key.Key_A, CTRL)
    hands.press(Qt.Key.Key_Delete)
    hands.press(Qt.Key.Key_Return)
    settle(hands)
    assert "IP20" not in hands.window.session.unit.nameplate.marks, "a line that goes takes its mark along"
    assert len(hands.window.session.unit.label) == 5


def test_a_picture_is_pasted(open_window: Open, make_book: Make) -> None:
    from PySide6.QtGui import QColor, QGuiApplication, QImage

    hands = open_window(make_book())
    strip = hands.window.findChild(PhotoStrip)
    assert strip is not None
    QGuiApplication.clipboard().setText("no picture")
    hands.click("Paste a photograph")
    assert "The clipboard holds no picture" in hands.words()
    image = QImage(30, 20, QImage.Format.Format_RGB32)
    image.fill(QColor("olive"))
    QGuiApplication.clipboard().setImage(image)
    hands.click("Paste a photograph")
    hands.until(lambda: strip.list.count() == 1)
    assert hands.window.session.unit.look.photographs[0].width == 30


@pytest.mark.parametrize("dark", [False, True])
def test_every_page_is_painted_in_either_theme(open_window: Open, make_book: Make, dark: bool) -> None:
    """Text stands out from its ground: the brightest and the darkest of each page lie far apart."""
    hands = open_window(make_book())
    if dark:
        hands.press(Qt.Key.Key_F11)
    for page in PAGES:
        hands.click(f"Page: {page}")
        for _ in range(3):
            QApplication.processEvents()
        picture = hands.window.stack.grab().toImage().scaled(320, 170)
        light = [picture.pixelColor(x, y).lightness() for x in range(0, 320, 2) for y in range(0, 170, 2)]
        ground = sorted(light)[len(light) // 2]
        assert (ground < 80) is dark, page
        assert max(light) - min(light) > 120, page


def test_findings_name_the_configuration_their_readings_belong_to(
    open_window: Open, finished_book: Path, tmp_path: Path
) -> None:
    """A unit that has been opened since does not make old readings those of an open case."""
    book = tmp_path / "copy.zbook"
    shutil.copy(finished_book, book)
    hands = open_window(book)
    hands.click("Page: Terminals")
    hands.type_into("Configurations", 1, "in force", "y")
    settle(hands)
    assert "case open" in hands.window.unit_strip.accessibleName()
    hands.station(5)
    hands.until(lambda: "run 1: HB-07, as received, case closed" in hands.words())


def test_what_is_typed_before_the_engine_is_there_is_kept(make_book: Make, tmp_path: Path, qtbot: QtBot) -> None:
    """The window is open and takes keys while stand-in bench and engine are still on their way."""
    book = make_book()
    window = MainWindow(book, tmp_path / "bench.log")
    qtbot.addWidget(window)
    with qtbot.waitActive(window):
        window.show()
        window.activateWindow()
    window.open()
    assert window.session.client.fileno < 0, "nothing waited for the engine"
    hands = Hands(qtbot, window)
    hands.fill("Serial", "typed early")
    assert window.session.unit.serial == "typed early"
    hands.until(lambda: window.session.client.fileno >= 0)
    settle(hands)
    with reread(book) as reader:
        assert reader.unit().serial == "typed early"
    window.session.close()
    again = MainWindow(book, tmp_path / "bench.log")
    qtbot.addWidget(again)
    with qtbot.waitActive(again):
        again.show()
        again.activateWindow()
    again.open()
    Hands(qtbot, again).fill("Serial", "typed and gone")
    again.session.close()
    with reread(book) as reader:
        assert reader.unit().serial == "typed and gone", "closing at once loses nothing either"


def test_tables_take_the_inks_of_a_theme_that_is_switched_while_they_are_open(
    open_window: Open, make_book: Make
) -> None:
    """Every figure stands out from the ground it is on, before and after F11."""
    hands = open_window(make_book())

    def weakest(name: str) -> float:
        table = hands.table(name)
        ground = theme().color("paper").lightnessF()
        items = [table.item(r, c) for r in range(table.rowCount()) for c in range(table.columnCount())]
        own = [i.foreground() for i in items if i is not None and i.text()]  # the others follow the palette
        inks = [brush.color() for brush in own if brush.style() != Qt.BrushStyle.NoBrush]
        assert inks
        return min(abs(ink.lightnessF() - ground) for ink in inks)

    for _ in range(2):
        hands.click("Page: Label, claims")
        assert weakest("Claims") > 0.3
        hands.click("Page: Parts")
        assert weakest("Parts") > 0.3
        hands.station(2)
        QApplication.processEvents()
        assert weakest("What this rig can decide") > 0.3
        hands.station(1)
        hands.press(Qt.Key.Key_F11)
        QApplication.processEvents()
        assert weakest("Parts") > 0.3, "the page that was open"
