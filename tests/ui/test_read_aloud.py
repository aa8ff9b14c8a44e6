"""What a screen reader gets: names and roles through the accessibility tree, and what changed as it changes."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QDialog
from tests.ui.conftest import Hands
from tests.ui.test_path import CTRL, pass_gate, start

from zincsmith.ui import announce as told
from zincsmith.ui.widgets import alarm_bar

Open = Callable[[Path], Hands]
CLICKED = {QAccessible.Role.PushButton, QAccessible.Role.CheckBox, QAccessible.Role.EditableText,
           QAccessible.Role.ComboBox, QAccessible.Role.RadioButton, QAccessible.Role.Table}  # fmt: skip


def tree(one: QAccessibleInterface, depth: int = 0) -> list[QAccessibleInterface]:
    found = [one]
    for n in range(one.childCount() if depth < 40 else 0):
        child = one.child(n)
        if child is not None and child.isValid() and not child.state().invisible:
            found += tree(child, depth + 1)
    return found


def test_everything_that_can_be_used_has_a_role_and_a_name(open_window: Open, finished_book: Path) -> None:
    hands = open_window(finished_book)
    seen = 0
    for number in range(1, 9):
        hands.station(number)
        root = QAccessible.queryAccessibleInterface(hands.window)
        for one in tree(root):
            widget = one.object()
            own = widget is not None and widget.objectName().startswith("qt_")
            if one.role() in CLICKED and not own and not one.state().disabled:
                seen += 1
                name = one.text(QAccessible.Text.Name) or one.text(QAccessible.Text.Value)
                assert name, f"station {number}: {one.role()} {widget}"
    assert seen > 60


@pytest.fixture
def heard(monkeypatch: pytest.MonkeyPatch) -> list[tuple[str, bool]]:
    said: list[tuple[str, bool]] = []

    def hears(event: object) -> None:
        polite = event.politeness() is QAccessible.AnnouncementPoliteness.Polite  # type: ignore[attr-defined]
        said.append((event.message(), not polite))  # type: ignore[attr-defined]

    monkeypatch.setattr(told.QAccessible, "updateAccessibility", hears)
    return said


def test_what_changes_is_said_once_and_an_alarm_at_once(
    open_window: Open, make_book: Callable[..., Path], heard: list[tuple[str, bool]]
) -> None:
    hands = open_window(make_book())
    start(hands)
    hands.until(lambda: any(words.startswith("at a gate: ") for words, _ in heard))
    pass_gate(hands)
    hands.until(lambda: any(words.startswith("running") for words, _ in heard))
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: ("making safe", True) in heard)
    hands.until(lambda: any(words.startswith("safe") for words, _ in heard))
    assert all(a != b for a, b in itertools.pairwise(heard)), "nothing twice"
    hands.window.alarm.tell("Not done", "The book is read-only.")
    assert heard[-1] == ("Not done. The book is read-only.", True)
    assert alarm_bar.announce is told.announce


def test_the_report_goes_to_a_printer(
    open_window: Open, finished_book: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Printed into a file, as any printer can be told to; who leaves the dialog prints nothing."""
    out = tmp_path / "printed.pdf"
    answers = [QDialog.DialogCode.Rejected, QDialog.DialogCode.Accepted]

    def chosen(dialog: QPrintDialog) -> QDialog.DialogCode:
        dialog.printer().setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        dialog.printer().setOutputFileName(str(out))
        return answers.pop(0)

    monkeypatch.setattr(QPrintDialog, "exec", chosen)
    hands = open_window(finished_book)
    hands.station(5)
    hands.until(lambda: hands.window.current.run is not None)
    hands.press(Qt.Key.Key_P, CTRL)
    assert not out.exists()
    hands.press(Qt.Key.Key_P, CTRL)
    message = hands.window.current.message
    hands.until(lambda: "Handed to the printer" in message.text())
    pages = int(message.text().split(": ")[1].split()[0])
    assert pages > 3
    printed = out.read_bytes()
    assert printed.startswith(b"%PDF-")
    assert printed.count(b"/Type /Page\n") == pages
    assert answers == []
