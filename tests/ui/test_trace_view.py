"""A capture at Findings: what stands behind a figure, panned and zoomed by keys, cursors and marks."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.conftest import RIG, UNIT, run_command
from tests.recorded.test_waveform_files import hold_up_file
from tests.ui.conftest import Hands

from zincsmith.ui.stations.findings import FindingsStation
from zincsmith.ui.theme import DARK, LIGHT, use_theme
from zincsmith.ui.widgets.trace_view import TraceView

Open = Callable[[Path], Hands]
Shift = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture(scope="module")
def book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("captured")
    file = hold_up_file(folder / "off.csv", 0.02, 60.0)
    command = ("take-in", folder / "b.zbook", "hold-up", file, "--operator", "T", "--line", "115,60")
    done = run_command(*command, "--unit", UNIT, "--rig", RIG)
    assert done.returncode == 0, done.stderr
    return folder / "b.zbook"


def at_findings(hands: Hands) -> FindingsStation:
    hands.station(5)
    station = hands.window.stations["Findings"]
    assert isinstance(station, FindingsStation)
    hands.until(lambda: station.run is not None)
    return station


def choose(station: FindingsStation, name: str) -> None:
    assert station.run is not None
    station.choose(next(n for n, j in enumerate(station.run.judged) if j.finding.name == name and j.finding.value))


def drawn(trace: TraceView, pane: int = 0) -> np.ndarray:
    trace.draw()
    return np.asarray(trace._lines[pane].getData())


def test_the_capture_behind_a_figure_with_its_marks_and_cursors(open_window: Open, book: Path) -> None:
    hands = open_window(book)
    station = at_findings(hands)
    choose(station, "hold_up")
    trace = station.trace
    assert station.pictures.currentWidget() is trace
    assert trace.shown is not None
    assert [m.name for m in trace.shown.marks] == ["input goes", "output is gone"]
    assert "continued course" in trace.shown.marks[0].rule
    apart = trace.at[1] - trace.at[0]
    assert apart == pytest.approx(0.02, abs=1e-4), "the cursors begin at the program's own marks"
    assert "Δt <b>20" in trace.readout.text()
    low, high = trace.seen_s
    assert low < 0.0 < 0.02 < high, "what the figure goes by is seen first"

    trace.setFocus()
    hands.press(Qt.Key.Key_Home)
    low, high = trace.seen_s
    assert (low, high) == pytest.approx((-0.05, 0.1), abs=1e-4)
    times, values = drawn(trace)
    assert values.max() == pytest.approx(24.0, abs=1e-3)
    hands.press(Qt.Key.Key_Plus)
    assert trace.seen_s[1] - trace.seen_s[0] == pytest.approx((high - low) / 1.5)
    hands.press(Qt.Key.Key_Right)
    assert trace.seen_s[0] > low + 0.02
    for _ in range(40):
        hands.press(Qt.Key.Key_Plus)
    least = trace.seen_s[1] - trace.seen_s[0]
    assert least == pytest.approx(20 * trace.shown.capture.step_s), "no closer than a few samples"
    hands.press(Qt.Key.Key_M)
    assert trace.seen_s[0] < trace.shown.marks[0].time_s < trace.seen_s[1]
    times, values = drawn(trace, 1)
    assert times.min() * trace._scale <= trace.seen_s[0] + 1e-6
    before = trace.at[1]
    hands.press(Qt.Key.Key_C)
    assert trace.seen_s[0] < trace.at[0] < trace.at[1] < trace.seen_s[1] != before
    moved = trace.at[1]
    hands.press(Qt.Key.Key_Right, Shift)
    assert trace.at[1] > moved
    assert trace.values_at(-0.01)[0] == pytest.approx(24.0, abs=1e-3)


def test_a_figure_without_a_capture_shows_the_plot_and_the_theme_changes_both(open_window: Open, book: Path) -> None:
    hands = open_window(book)
    station = at_findings(hands)
    choose(station, "hold_up")
    seen = station.trace.seen_s
    use_theme(DARK)
    station.restyle()
    assert station.trace.seen_s == pytest.approx(seen, rel=0.2)
    use_theme(LIGHT)  # while the window is there: what is closed is not styled anew
    station.restyle()
    assert station.run is not None
    station.choose(next(n for n, j in enumerate(station.run.judged) if j.finding.value is None))
    assert station.pictures.currentWidget() is station.plot
    station.enlarge()
    assert not station.claim_panel.isVisible()
