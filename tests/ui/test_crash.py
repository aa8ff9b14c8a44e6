"""An error in the window: kept in a file, told with the state of the bench, and the run goes on."""

import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from tests.ui.conftest import Hands
from tests.ui.test_path import pass_gate, start

from zincsmith.model.states import State
from zincsmith.ui.crash import install

Open = Callable[[Path], Hands]
Make = Callable[..., Path]


def test_a_crash_in_the_window_keeps_the_traceback_and_the_run(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)  # put back afterwards
    hands = open_window(make_book())
    window = hands.window
    start(hands)
    pass_gate(hands)
    hands.until(lambda: window.session.state is State.ASKING)
    install(lambda: ", ".join(window.bench_strip.words()), window.alarm.tell, tmp_path / "crashes")
    try:
        raise RuntimeError("a bug nobody knows yet")
    except RuntimeError as error:
        sys.excepthook(RuntimeError, error, error.__traceback__)
    hands.until(lambda: "Something went wrong in this window" in hands.words())
    assert "nothing of it is lost" in hands.words()
    assert "Input and output are live" in hands.words()
    reports = list((tmp_path / "crashes").iterdir())
    assert len(reports) == 1
    assert "a bug nobody knows yet" in reports[0].read_text()
    assert str(reports[0]) in hands.words()
    hands.line("Reading").setFocus()
    hands.type("34.5")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: window.session.state is State.SAFE)


def test_a_report_that_cannot_be_kept_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    told: list[tuple[str, str]] = []
    install(lambda: "nothing energised", lambda title, text: told.append((title, text)), blocked)
    sys.excepthook(ValueError, ValueError("x"), None)
    assert "could not be kept" in told[0][1]
