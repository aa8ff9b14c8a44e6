"""A capture at Findings: what stands behind a figure, panned and zoomed by keys, cursors and marks."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.conftest import ROOT, UNIT, run_command
from tests.engine.test_switching_node import DRAIN, TOUCHED, rig_with, with_amps
from tests.recorded.test_waveform_files import hold_up_file, taken_in
from tests.ui.conftest import Hands
from tests.ui.test_path import start

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.formats.rig_file import read_rig
from zincsmith.model.events import CursorsRead, GateOpened, RunClosed
from zincsmith.model.plan import Line, Plan
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.ui.stations.findings import FindingsStation
from zincsmith.ui.theme import DARK, LIGHT, use_theme
from zincsmith.ui.widgets.trace_view import TraceView

Open = Callable[[Path], Hands]
Shift = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture(scope="module")
def book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("captured")
    taken_in(folder / "b.zbook", "hold-up", hold_up_file(folder / "off.csv", 0.02, 60.0), "--line", "115,60")
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


def named(station: FindingsStation, name: str) -> bool:
    return station.run is not None and any(j.finding.name == name for j in station.run.judged)


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
    use_theme(LIGHT)
    station.restyle()
    assert station.run is not None
    station.choose(next(n for n, j in enumerate(station.run.judged) if j.finding.value is None))
    assert station.pictures.currentWidget() is station.plot
    station.enlarge()
    assert not station.claim_panel.isVisible()


def test_a_capture_whose_book_is_closed_is_styled_anew_without_its_samples(open_window: Open, book: Path) -> None:
    hands = open_window(book)
    station = at_findings(hands)
    choose(station, "hold_up")
    trace = station.trace
    hands.window.session.close()
    try:
        use_theme(DARK)
        trace.restyle()
        trace.keep()
        assert trace.values_at(0.0) == []
        assert "Δt" in trace.readout.text(), "what does not need the samples is still told"
        assert "→" not in trace.readout.text()
    finally:
        use_theme(LIGHT)


def test_what_lies_between_the_cursors_is_kept_by_name_beside_the_programs_figure(
    open_window: Open, book: Path, tmp_path: Path
) -> None:
    own = tmp_path / "own.zbook"
    shutil.copy(book, own)
    hands = open_window(own)
    station = at_findings(hands)
    choose(station, "hold_up")
    trace = station.trace
    trace.move_cursor(0, 0.0)
    trace.move_cursor(1, 0.0164)
    trace.setFocus()
    hands.press(Qt.Key.Key_K)
    assert "time 16.4 ms" in trace.row.measure.currentText()
    assert trace.row.beside.currentText() == "Hold-up"
    hands.type("nobody says why")
    hands.press(Qt.Key.Key_Return)
    assert "a colon" in trace.row.line.problem.text(), "what was typed stays, and what lacks is said"
    trace.row.line.clear()
    hands.type("Elin Ward: regulation ends at the bend")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: named(station, "hold_up_by_cursors"))
    assert station.run is not None
    both = {j.finding.name: j.finding for j in station.run.judged}
    mine, programs = both["hold_up_by_cursors"], both["hold_up"]
    assert mine.value == pytest.approx(0.0164, abs=1e-4)
    assert programs.value == pytest.approx(0.02, abs=1e-4), "the program's figure stays what it was"
    assert mine.u is not None
    assert mine.u < 1e-3
    assert "Elin Ward: regulation ends at the bend" in mine.working.formula
    assert "0.02 s" in mine.working.formula
    choose(station, "hold_up_by_cursors")
    assert trace.shown is not None
    assert "time, Elin Ward" in [m.name for m in trace.shown.marks]

    trace.setFocus()
    hands.press(Qt.Key.Key_K)
    trace.row.measure.setCurrentIndex(1)
    assert [trace.row.beside.itemText(n) for n in range(trace.row.beside.count())] == ["by itself"]
    hands.type("Elin Ward: the fall")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: named(station, "change_by_cursors"))
    assert station.run is not None
    change = next(j.finding for j in station.run.judged if j.finding.name == "change_by_cursors")
    assert change.value == pytest.approx(-400.0 * (0.0164 - 0.014), abs=0.01)
    assert change.u is None, "a file that says nothing of its accuracy gives none"


def test_a_capture_is_seen_as_it_lands_and_cursors_are_read_while_the_run_is_under_way(
    open_window: Open, tmp_path: Path, unit: Unit
) -> None:
    """A load transient by wire, paused while somebody reads the screen."""
    path = tmp_path / "run.zbook"
    options = LoadTransientOptions(
        lines=(Line(115.0, 60.0), Line(230.0, 50.0)), steps_percent=((10.0, 90.0), (0.0, 100.0)), settle_s=2.0
    )
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    assert rig.standin is not None
    with BookWriter(path) as made:
        made.revise("unit", unit.tag, unit, "test")
        made.revise("rig", "bench", replace(rig, standin=replace(rig.standin, pace=8.0)), "test")
        made.revise("plan", "plan", Plan("Steps", (options,)), "test")
    hands = open_window(path)
    session = hands.window.session
    start(hands)
    trace = hands.window.stations["Run"].dashboard.trace  # type: ignore[attr-defined]
    while not trace.isVisible():
        hands.until(lambda: session.state is State.GATE or trace.isVisible())
        if session.state is State.GATE:
            hands.press(Qt.Key.Key_Space)
            hands.until(hands.button("Go on").isEnabled)
            hands.press(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
            hands.until(lambda: session.state is not State.GATE)
    hands.press(Qt.Key.Key_F9)
    hands.until(lambda: session.state is State.PAUSED)
    assert trace.shown is not None
    assert [c.quantity for c in trace.shown.capture.channels][:1] == ["output_voltage"]
    hands.until(lambda: trace.shown.marks)  # as soon as it is judged
    trace.setFocus()
    hands.press(Qt.Key.Key_K)
    trace.row.measure.setCurrentIndex(2)
    hands.type("Elin Ward: the whole swing")
    hands.press(Qt.Key.Key_Return)
    with BookReader(path) as reader:
        hands.until(lambda: list(reader.events(kinds=(CursorsRead,))))
        read = next(reader.events(kinds=(CursorsRead,)))
        assert read.event.by == "Elin Ward"
        assert read.event.cursors.measure == "span"
        assert read.run == session.view.run
        assert not list(reader.events(kinds=(RunClosed,))), "the run is under way"
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: session.state is State.SAFE)


def test_what_a_gate_asks_to_be_looked_at_is_seen_in_it(open_window: Open, tmp_path: Path, unit: Unit) -> None:
    """First power with a probe at a node: the record of each raise stands in its gate, its first cycles in view; an
    unticked gate does not open."""
    path = tmp_path / "run.zbook"
    with BookWriter(path) as made:
        made.revise("unit", unit.tag, replace(unit, nameplate=replace(unit.nameplate, nodes=(DRAIN,))), "test")
        made.revise("rig", "bench", with_amps(rig_with(TOUCHED)), "test")
        made.revise("plan", "plan", Plan("Bring up", (BringUpOptions(school="rated input"),)), "test")
    hands = open_window(path)
    session = hands.window.session
    start(hands, "First power")
    gate = hands.window.stations["Run"].gate  # type: ignore[attr-defined]
    seen = []
    while len(seen) < 2:
        hands.until(lambda: session.state is State.GATE and session.view.turn is not None)
        turn = session.view.turn
        if isinstance(turn, GateOpened) and turn.record_s:
            hands.until(lambda: gate.trace is not None and gate.trace.isVisible())
            assert gate.title.text() == "Look at the record of drain"
            assert [c.quantity for c in gate.trace.shown.capture.channels] == ["node_voltage", "node_current"]
            assert gate.trace.seen_s[1] - gate.trace.seen_s[0] == pytest.approx(turn.record_s, rel=0.01)
            assert not hands.button("Go on").isEnabled()
            seen.append(gate.trace.shown.of)
        elif gate.trace is not None:
            assert not gate.trace.isVisible()
        if not hands.button("Go on").isEnabled():
            hands.press(Qt.Key.Key_Space)
            hands.until(hands.button("Go on").isEnabled)
        hands.press(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        hands.until(lambda turn=turn: session.view.turn is not turn)
    assert seen[0] != seen[1], "each raise has a record of its own"
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: session.state is State.SAFE)


@pytest.mark.long  # remedies by command line and their sums are in the short run
def test_a_remedy_is_predicted_from_the_record_and_planned_both_ways(
    open_window: Open, tmp_path: Path, unit: Unit
) -> None:
    path = tmp_path / "ripple.zbook"
    rig = ROOT / "examples" / "rigs" / "simulated-scope.toml"
    plan = tmp_path / "plan.toml"
    plan.write_text(
        'name = "Ripple"\n[[part]]\nprocedure = "ripple"\nlines = [[230.0, 50.0]]\nloads_percent = [100.0]\n'
    )
    command = ("run", "--unit", UNIT, "--rig", rig, "--plan", plan, "--book", path, "--operator", "T", "--yes")
    done = run_command(*command)
    assert done.returncode == 0, done.stderr
    hands = open_window(path)
    station = at_findings(hands)
    choose(station, "ripple")
    assert station.run is not None
    doubted = {d.code for j in station.run.judged for d in j.finding.doubts if j.finding.name == "ripple"}
    assert "background_changed" not in doubted, "a unit that its bulk capacitor still feeds is no background"
    hands.press(Qt.Key.Key_F4)
    hands.type("choke 10 henry")
    hands.press(Qt.Key.Key_Return)
    assert "of a choke are said" in station.remedies.problem.text()
    station.remedies.parts.clear()
    hands.type("choke 10uH 20mohm 3A, capacitor 470uF 30mohm")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "→" in station.remedies.told.text())
    assert "drops 0.05 V" in station.remedies.told.text()
    hands.click("Plan both ways")
    hands.until(lambda: hands.window.current is hands.window.stations["Plan"])
    session = hands.window.session
    assert session.plan is not None
    named = [part.procedure for part in session.plan.parts]
    assert named.count("ripple") == 2
    assert "another_configuration" in named[named.index("ripple") :]
