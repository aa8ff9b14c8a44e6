"""Every station on a small screen: what must never be cut is whole; what is cut anywhere can be read whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QPoint
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QApplication, QToolTip, QWidget
from tests.ui.conftest import Hands
from tests.ui.test_path import pass_gate, start
from tests.ui.test_stations_of_a_run import four_points, turn  # noqa: F401 - a fixture

from zincsmith.ui.stations.run import RunStation
from zincsmith.ui.widgets.whole_tips import whole
from zincsmith.ui.window import STATIONS

Open = Callable[[Path], Hands]


def resized(hands: Hands, width: int, height: int) -> None:
    hands.window.resize(width, height)
    for _ in range(5):
        QApplication.processEvents()
    assert (hands.window.width(), hands.window.height()) == (width, height), "the window refuses to be so small"


def is_whole(widget: QWidget) -> bool:
    return widget.isVisible() and widget.visibleRegion().boundingRect() == widget.rect()


def test_no_station_has_to_be_scrolled_sideways_and_what_is_cut_is_told_whole(
    open_window: Open, finished_book: Path
) -> None:
    hands = open_window(finished_book)
    for width, height in ((1280, 720), (1024, 700)):
        resized(hands, width, height)
        for number, title in STATIONS:
            hands.station(number)
            for _ in range(5):
                QApplication.processEvents()
            assert is_whole(hands.window.bench_strip.button), title
            bar = hands.window.stack.currentWidget().horizontalScrollBar()  # type: ignore[union-attr]
            if title != "Rig" or width >= 1280:  # the wiring sheet keeps its size, and is scrolled
                assert bar.maximum() == 0, f"{title} is {bar.maximum()} px too wide"
    _cut_text_is_told_whole(hands)


def test_what_is_needed_in_a_run_is_whole_on_a_small_screen(
    open_window: Open,
    four_points: Path,  # noqa: F811
) -> None:
    hands = open_window(four_points)
    start(hands)
    resized(hands, 1024, 700)
    station = hands.window.stations["Run"]
    assert isinstance(station, RunStation)
    assert is_whole(station.abort)
    assert is_whole(station.gate.go_on), "the gate can be passed without scrolling"
    resized(hands, 1280, 800)
    pass_gate(hands)
    turn(hands)
    for size in ((1280, 720), (1024, 700)):
        resized(hands, *size)
        for name, widget in {
            "Abort": station.abort, "Make safe": hands.window.bench_strip.button,
            "the entry line": station.dashboard.your_turn.line, "the map": station.dashboard.map,
        }.items():  # fmt: skip
            assert is_whole(widget), f"{name} is cut at {size}"


def _cut_text_is_told_whole(hands: Hands) -> None:
    """At Findings, on a small screen."""
    hands.station(5)
    station = hands.window.stations["Findings"]
    hands.until(lambda: station.run is not None)
    resized(hands, 1024, 700)
    hands.window.grab()
    rows = station.claims.rows  # type: ignore[attr-defined]
    at = {y: text for y in range(0, rows.height(), 4) if (text := whole(rows, 20, y))}
    tips = set(at.values())
    y, text = next(iter(at.items()))
    point = QPoint(20, y)
    QApplication.sendEvent(rows, QHelpEvent(QEvent.Type.ToolTip, point, rows.mapToGlobal(point)))
    assert text in QToolTip.text(), "pointed at, it is told"
    QToolTip.hideText()
    titles = {j.finding.title for j in station.run.judged}  # type: ignore[attr-defined]
    assert tips & titles, "titles that are cut are there whole"
    resized(hands, 1280, 800)
    hands.window.grab()
    label = next(x for x in hands.window.findChildren(QWidget) if x is station.of_run)  # type: ignore[attr-defined]
    assert whole(label, 5, 5) == "", "what is whole needs no tip"


def test_a_message_moves_nothing_and_covers_nothing_that_keeps_the_bench_safe(
    open_window: Open,
    four_points: Path,  # noqa: F811
) -> None:
    hands = open_window(four_points)
    start(hands)
    window = hands.window
    for width, height in ((1280, 800), (1024, 700)):
        resized(hands, width, height)
        for name in ("Nameplate", "Rig", "Plan", "Run"):
            window.go(name)
            QApplication.processEvents()
            station = window.stations[name]
            at = {w: w.mapTo(station, QPoint(0, 0)).y() for w in station.findChildren(QWidget) if w.isVisible()}
            message = getattr(station, "problem", None)
            if message is not None:  # seen at once: the next reading of the run may show the station anew
                message.setText("Line 3: a lead of that length and area has another resistance; type it in ohms.")
                assert is_whole(message)
            window.alarm.tell("Not done", "only a reading that was typed in this run can be corrected")
            shown = window.centralWidget().childAt(window.alarm.geometry().center())
            assert window.alarm.isAncestorOf(shown) or shown is window.alarm, "an alarm is never under a message"
            for _ in range(5):
                QApplication.processEvents()
            still = {w: y for w, y in at.items() if w.isVisible() and station.isAncestorOf(w)}
            assert {w: w.mapTo(station, QPoint(0, 0)).y() for w in still} == still, f"{name} moves by a message"
            assert is_whole(window.bench_strip.button)
            assert is_whole(window.alarm)
            if message is not None:
                message.setText("")
            else:
                assert isinstance(station, RunStation)
                assert is_whole(station.abort), "a short alarm leaves it free"
            window.alarm.hide()
    pass_gate(hands)
