"""The whole path from Nameplate to report, driven by keys and clicks."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton
from tests.book.first_form import write_first_form
from tests.conftest import bench_log, first, last_row
from tests.ui.conftest import Hands, reread

from zincsmith.model.events import EntryRefused, EntryTaken, Noted
from zincsmith.model.finding import Verdict
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.ui.theme import DARK, theme

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
CTRL = Qt.KeyboardModifier.ControlModifier


def assert_uncut(hands: Hands) -> None:
    """The station that is shown fits into 1280x800 without scrolling."""
    assert (hands.window.width(), hands.window.height()) == (1280, 800)
    area = hands.window.stack.currentWidget()
    for _ in range(5):
        QApplication.processEvents()  # layouts settle
    assert area.verticalScrollBar().maximum() == 0, "cut off below"
    assert area.horizontalScrollBar().maximum() == 0, "cut off at the side"


def start(hands: Hands, gate: str = "Before power") -> None:
    """From anywhere to the open gate."""
    hands.station(4)
    hands.fill("Operator", "Test engineer")
    hands.fill("Room temperature", "22.5 C")
    hands.press(Qt.Key.Key_Return, CTRL)
    hands.until(lambda: hands.window.session.state is State.GATE)
    hands.until(lambda: gate in hands.words())


def pass_gate(hands: Hands) -> None:
    assert "Mains can kill" in hands.words()
    if hands.window.session.rig.instrument("power_meter").how != "by hand":  # type: ignore[union-attr]
        hands.until(lambda: re.search(r"GATE: THE INPUT IS OFF, 0\.\d V READ", hands.words()))  # as soon as it was read
    go_on = hands.button("Go on")
    assert not go_on.isEnabled(), "the gate waits for a deliberate act"
    hands.press(Qt.Key.Key_Return, CTRL)
    assert hands.window.session.state is State.GATE
    hands.press(Qt.Key.Key_Space)
    hands.until(go_on.isEnabled)
    hands.press(Qt.Key.Key_Return, CTRL)


def test_from_nameplate_to_report(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    book = make_book()
    hands = open_window(book)
    session = hands.window.session
    for number, words in ((2, "Wiring sheet"), (3, "Itinerary"), (5, "No run yet"), (1, "Rating plate")):
        hands.station(number)
        hands.until(lambda words=words: words in hands.words())
    hands.station(3)
    assert "1 reading to type" in hands.words()
    assert "Not tested by this plan" in hands.words()
    hands.press(Qt.Key.Key_Return, CTRL)
    hands.until(lambda: "Start a run" in hands.words())

    start(hands)
    assert not any(row["source_on"] for row in bench_log(tmp_path / "bench.log"))
    pass_gate(hands)
    hands.until(lambda: session.state is State.ASKING)
    hands.until(lambda: "YOUR TURN" in hands.words())
    assert_uncut(hands)
    line = hands.line("Reading")
    assert hands.focus() is line, "the line is focused when it is the person's turn"
    assert "T1: label side" in hands.words()
    hands.type("hot")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "is refused" in hands.words())
    assert line.text() == "hot"
    hands.press(Qt.Key.Key_F2)
    hands.type("hums a little")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: hands.focus() is line)
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("34.5 C")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: session.state is State.SAFE)
    hands.until(lambda: "is complete" in hands.words())
    assert "AC source off, read back; input gone" in hands.words()
    assert "may be charged inside: bulk (against bulk minus, rated 400 V)" in hands.words()

    with reread(book) as reader:
        assert [w.event.text for w in reader.events(kinds=(EntryRefused,))] == ["hot"]
        assert [w.event.reading.value for w in reader.events(kinds=(EntryTaken,))] == [34.5]
        assert [w.event.text for w in reader.events(kinds=(Noted,))] == ["hums a little"]
        assert reader.opened(1).operator == "Test engineer"
        assert reader.opened(1).ambient_degC == 22.5

    hands.station(5)
    station = hands.window.stations["Findings"]
    hands.until(lambda: station.run is not None)
    run = station.run
    assert {j.words for j in run.judged} >= {"holds", "tested in part", "not tested", "no claim"}
    rows = station.claims.rows
    first = rows.accessibleDescription()
    hands.press(Qt.Key.Key_Down)
    assert rows.accessibleDescription() != first
    assert station.working.accessibleName().startswith("Working of")
    hands.click(f"{run.count(Verdict.NOT_TESTED)} not tested")
    assert rows.accessibleDescription().endswith("tested in part"), "the first of those without a whole test"

    out = tmp_path / "report.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(out), ""))
    hands.press(Qt.Key.Key_S, CTRL)
    hands.until(lambda: "Report saved" in hands.words())
    assert "34.5" in out.read_text()


def test_make_safe_works_from_every_station(open_window: Open, make_book: Make, tmp_path: Path) -> None:
    book = make_book()
    hands = open_window(book)
    session = hands.window.session
    for number in (1, 4):
        start(hands)
        pass_gate(hands)
        hands.until(lambda: session.state in (State.RUNNING, State.ASKING) and session.view.source_on)
        hands.station(number)
        hands.press(Qt.Key.Key_F12)
        hands.until(lambda: session.state is State.SAFE)
        assert last_row(tmp_path / "bench.log")["source_on"] is False
    hands.station(4)
    assert "was made safe" in hands.words()
    with reread(book) as reader:
        assert [r.outcome for r in reader.runs()] == ["made safe", "made safe"]


def test_f12_on_an_idle_bench_reads_everything_back(open_window: Open, make_book: Make, tmp_path: Path) -> None:
    hands = open_window(make_book())
    QTest.mouseClick(hands.window.bench_strip.button, Qt.MouseButton.LeftButton)
    hands.until(lambda: hands.window.session.state is State.SAFE)
    told = [row["text"] for row in bench_log(tmp_path / "bench.log") if row["what"] == "told" and row["text"]]
    assert told[:1] == ["OUTP 0"]
    assert told[-1] == "INP 0"


def test_abort_ends_the_run_safe(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    start(hands)
    pass_gate(hands)
    hands.until(lambda: hands.window.session.state is State.ASKING)
    hands.press(Qt.Key.Key_F10)
    hands.until(lambda: "was aborted" in hands.words())
    hands.until(lambda: hands.window.session.state is State.SAFE)


@pytest.mark.parametrize(
    ("operator", "ambient", "reason"),
    first(
        1, ("", "23", "Say who runs it"), ("Ann", "warm", "does not start with a number"), ("Ann", "900", "is no room")
    ),
)
def test_a_start_that_makes_no_sense_is_refused_in_place(
    open_window: Open, make_book: Make, operator: str, ambient: str, reason: str
) -> None:
    book = make_book()
    hands = open_window(book)
    hands.station(4)
    hands.fill("Operator", operator)
    hands.fill("Room temperature", ambient)
    hands.press(Qt.Key.Key_Return, CTRL)
    hands.until(lambda: reason in hands.words())
    assert hands.line("Room temperature").text() == ambient
    with reread(book) as reader:
        assert reader.runs() == []


def test_killing_the_engine_is_said_and_the_bench_can_be_made_safe(
    open_window: Open, make_book: Make, tmp_path: Path
) -> None:
    import os
    import signal

    book = make_book()
    hands = open_window(book)
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    hands.until(lambda: session.state is State.ASKING)
    shown = len(session.view.history)
    assert session.client.process is not None
    os.kill(session.client.process.pid, signal.SIGKILL)
    hands.until(lambda: "The engine is not running" in hands.words())
    assert "guardian makes the bench safe" in hands.words()
    assert len(session.view.history) >= shown
    hands.press(Qt.Key.Key_F12)
    assert "Switch the source off by hand" in hands.words()
    hands.click("Start the engine again")
    hands.until(lambda: session.state is State.TAKEN_OVER)
    hands.until(lambda: "Run 1 was interrupted; the guardian switched the bench off" in hands.words())
    assert hands.window.bench_strip.words() == (
        "Switched off by the guardian",
        "as it read back; the inside may be charged",
    )
    last = last_row(tmp_path / "bench.log")
    assert (last["source_on"], last["load_on"]) == (False, False)
    hands.station(4)
    hands.until(lambda: hands.button("Start").isEnabled())
    hands.until(lambda: hands.button("Resume run 1").isEnabled())
    hands.press(Qt.Key.Key_R, CTRL)
    hands.until(lambda: session.state is State.GATE)
    pass_gate(hands)
    hands.until(lambda: session.state is State.ASKING)
    hands.type("34.5")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: session.state is State.SAFE)
    with reread(book) as reader:
        assert [row.outcome for row in reader.runs()] == ["complete"], "the same run, carried to its end"


def test_opening_an_interrupted_book_says_what_to_switch_off(open_window: Open, make_book: Make) -> None:
    from zincsmith.book.writer import BookWriter
    from zincsmith.model.events import RunOpened

    book = make_book()
    with BookWriter(book) as writer:
        writer.open_run(RunOpened("HB-07", 1, 1, 1, (("static_grid", 1),), "Ann", 23.0, False, "test"))
    hands = open_window(book)
    hands.until(lambda: "Run 1 was interrupted; the bench is not confirmed to be off" in hands.words())
    assert "pull its plug" in hands.words()
    assert hands.window.bench_strip.words()[0] == "NOT CONFIRMED OFF"


def test_a_book_open_elsewhere_is_read_only(open_window: Open, make_book: Make) -> None:
    from zincsmith.book.writer import BookWriter

    book = make_book()
    with BookWriter(book):
        hands = open_window(book)
        hands.until(lambda: "read-only" in hands.words())
        assert hands.line("Maker").text() == "Tarnbrook"
        hands.station(4)
        assert not hands.button("Start").isEnabled()


def test_a_missing_stand_in_is_said(open_window: Open, make_book: Make, rig: object) -> None:
    from dataclasses import replace

    from zincsmith.book.writer import BookWriter
    from zincsmith.model.rig import Rig, StandIn

    book = make_book()
    assert isinstance(rig, Rig)
    with BookWriter(book) as writer:
        writer.revise("rig", "bench", replace(rig, standin=StandIn("/nowhere/x.toml")), "moved")
    hands = open_window(book)
    hands.station(4)
    hands.until(lambda: "/nowhere/x.toml" in hands.words())
    assert not hands.button("Start").isEnabled(), "a path that nobody picked here is not even looked at"
    hands.fill("Operator", "Elin Ward")
    hands.click("These are mine: use them")
    hands.until(lambda: "physics of the simulated unit is not there" in hands.words())


def test_closing_during_a_run_asks_and_makes_safe(open_window: Open, make_book: Make, tmp_path: Path) -> None:
    book = make_book()
    hands = open_window(book)
    start(hands)
    pass_gate(hands)
    hands.until(lambda: hands.window.session.state is State.ASKING)

    def answer(text: str) -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        assert "makes the bench safe" in box.text()
        QTest.mouseClick(next(b for b in box.findChildren(QPushButton) if text in b.text()), Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, lambda: answer("Stay"))
    hands.window.close()
    assert hands.window.isVisible()
    assert hands.window.session.state is State.ASKING
    QTimer.singleShot(0, lambda: answer("Make safe and close"))
    hands.window.close()
    assert not hands.window.isVisible()
    with reread(book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("made safe", True)


def test_another_rig_can_be_loaded_and_a_broken_one_is_refused(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tests.conftest import ROOT

    hands = open_window(make_book())
    hands.station(2)
    source = (ROOT / "examples" / "rigs" / "simulated.toml").read_text()
    broken = tmp_path / "broken.toml"
    broken.write_text(source.replace('clock = "simulated"', 'clock = "sundial"'))
    good = tmp_path / "good.toml"
    text = source.replace("Bench 2, simulated", "Bench 9").replace("../standins", str(ROOT / "examples" / "standins"))
    good.write_text(text)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(broken), ""))
    hands.press(Qt.Key.Key_O, CTRL)
    hands.until(lambda: "sundial" in hands.words())
    assert "Bench 2, simulated" in hands.words()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(good), ""))
    hands.press(Qt.Key.Key_O, CTRL)
    hands.until(lambda: "Bench 9" in hands.words())
    hands.station(4)
    hands.until(lambda: hands.window.session.client.fileno >= 0 and hands.button("Start").isEnabled())


def test_the_theme_switches_with_a_key(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    for number in (1, 2, 3, 4, 5):
        hands.station(number)
    for number in (1, 2, 3, 4, 5):
        hands.station(number)
        assert hands.window.grab().toImage().pixelColor(134, 400).lightness() > 200
    hands.press(Qt.Key.Key_F11)
    assert theme() is DARK
    for number in (1, 2, 3, 4, 5):
        hands.station(number)
        for x, y in ((134, 400), (700, 95), (1250, 30), (640, 780)):
            assert hands.window.grab().toImage().pixelColor(x, y).lightness() < 80, (number, x, y)
    hands.press(Qt.Key.Key_F11)
    assert theme() is not DARK


def test_it_fits_its_size_and_every_control_has_a_name(open_window: Open, make_book: Make) -> None:
    from PySide6.QtWidgets import QAbstractButton, QComboBox, QLineEdit

    hands = open_window(make_book())
    for number in (1, 2, 3, 4, 5, 7):
        hands.station(number)
        assert_uncut(hands)
    for kind in (QAbstractButton, QLineEdit, QComboBox):
        for control in hands.window.findChildren(kind):
            text = control.text() if isinstance(control, QAbstractButton) else ""
            assert control.accessibleName() or text or control.objectName().startswith("qt_"), control
    hands.window.resize(700, 500)
    hands.station(2)
    assert hands.window.width() <= 760, "a smaller window scrolls"


def test_a_book_of_the_first_form_opens_in_the_window(open_window: Open, tmp_path: Path, rig: Rig) -> None:
    """The engine brings it to the present form, then the window reads it and reaches its stand-in bench."""
    book = tmp_path / "old.zbook"
    write_first_form(book, rig.standin.file if rig.standin is not None else "")
    hands = open_window(book)
    hands.until(lambda: hands.window.session.unit is not None and hands.window.session.client.fileno >= 0)
    assert hands.line("Model").text() == "TB-2425"
    hands.fill("Serial", "X-9")
    with reread(book) as reader:
        hands.until(lambda: reader.unit().serial == "X-9")


def test_what_is_no_book_is_told_in_the_window(open_window: Open, tmp_path: Path) -> None:
    book = tmp_path / "letter.zbook"
    book.write_text("Dear all, this is a letter and no book. " * 40)
    hands = open_window(book)
    hands.until(lambda: "not a Zincsmith book" in hands.words())
    assert book.read_text().startswith("Dear all")
