"""A book of practice in the window: marked, and what was found is stated by keys."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from tests.practice.measurer import measured
from tests.ui.conftest import Hands

from zincsmith.practice.finding_it import begin

LOW_TRIP = 15  # at level 1: it lets go below the amps of its label


def test_what_was_found_is_stated_by_keys(tmp_path: Path, open_window: Callable[[Path], Hands]) -> None:
    book = tmp_path / "one.zbook"
    begin(book, 1, LOW_TRIP)
    measured(book)
    hands = open_window(book)
    bar = hands.window.practice
    assert bar.isVisible()
    assert "Practice, level 1" in bar.words.text()
    assert hands.window.windowTitle().startswith("Practice: ")
    hands.press(Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert bar.asked.isVisible()
    for _ in range(bar.fault.findData("low trip")):
        hands.press(Qt.Key.Key_Down)
    hands.press(Qt.Key.Key_Tab)
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "say who" in bar.words.text())
    hands.type("Tester")
    hands.press(Qt.Key.Key_Tab)
    hands.type("a lot")
    hands.press(Qt.Key.Key_Return)
    assert "does not start with a number" in bar.words.text()
    bar.value.clear()
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "Right: 'low trip' was stated" in bar.words.text())
    assert not bar.asked.isVisible()
