"""What is dragged: stages, rows of the map, the band of the strip chart, the tape; each has keys that do the same."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.ui.conftest import Hands, reread
from tests.ui.test_path import CTRL, assert_uncut, pass_gate, start
from tests.ui.test_stations_of_a_run import enter

from zincsmith.judge.judging import judge_run
from zincsmith.judge.snapshot import kept_of
from zincsmith.model.events import Amended
from zincsmith.model.states import State
from zincsmith.procedures.static_grid.options import grid_of
from zincsmith.ui.widgets.probe_spots import ProbeSpots
from zincsmith.ui.widgets.strip_chart import StripChart

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
SHIFT = Qt.KeyboardModifier.ShiftModifier


def drag(widget: QWidget, begin: QPointF, end: QPointF) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=begin.toPoint())
    for share in (0.3, 0.6, 1.0):
        QTest.mouseMove(widget, (begin + (end - begin) * share).toPoint())
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end.toPoint())


def test_stages_and_rows_of_points_are_dragged_within_what_is_safe(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    hands.station(3)
    session, plan = hands.window.session, hands.window.stations["Plan"]
    hands.click("Full plan")
    hands.until(lambda: "Raised from zero" in plan.view.accessibleName())
    stages = plan._itinerary.stages

    def middle(title: str, last: bool = False) -> QPointF:
        rows = [n for n, s in enumerate(stages) if s.title == title]
        each = (plan.view.height() - 70) / len(stages)
        return QPointF(250, 12 + each * ((rows[-1] if last else rows[0]) + 0.5))

    before = session.plan
    drag(plan.view, middle("Grid"), middle("Safety gates"))
    hands.until(lambda: "cannot be moved there: the safety gates come before" in hands.words())
    assert session.plan == before
    drag(plan.view, middle("Warm-up"), middle("Grid"))  # within its own part: nothing moves
    assert session.plan == before

    hands.click("Grid only")
    hands.until(lambda: len(session.plan.parts) == 1 and plan.map.isVisible())
    hands.until(lambda: plan.map._cells)
    grid = grid_of(session.plan.parts)
    assert grid is not None
    line = grid.lines[0]
    key = lambda load: (line.voltage_V, line.frequency_Hz, load)  # noqa: E731
    drag(plan.map, plan.map._rect(key(100.0)).center(), plan.map._rect(key(50.0)).center())
    hands.until(lambda: (g := grid_of(session.plan.parts)) is not None and len(g.dropped) == 3)
    assert set(grid_of(session.plan.parts).dropped) == {key(100.0), key(75.0), key(50.0)}  # type: ignore[union-attr]
    drag(plan.map, plan.map._rect(key(75.0)).center(), plan.map._rect(key(100.0)).center())
    hands.until(lambda: (g := grid_of(session.plan.parts)) is not None and g.dropped == (key(50.0),))

    point = hands.line("Add a point: volts, hertz, load in percent")
    point.setFocus()
    hands.type("115 60")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "is no point" in hands.words())
    assert point.text() == "115 60", "what was typed stays"
    hands.type(" 33")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: (g := grid_of(session.plan.parts)) is not None and 33.0 in g.loads_percent)
    grid = grid_of(session.plan.parts)
    assert grid is not None
    assert grid.loads_at(line) == (100.0, 75.0, 33.0, 25.0, 10.0, 0.0)
    assert grid.loads_at(grid.lines[1]) == (100.0, 75.0, 50.0, 25.0, 10.0, 0.0), "one point, not a column"
    assert_uncut(hands)


@pytest.fixture
def strip(qtbot: QtBot) -> StripChart:
    made = StripChart()
    qtbot.addWidget(made)
    made.resize(700, 200)
    made.show()
    return made


def cells(strip: StripChart, column: int) -> list[str]:
    return [strip._cells[row, column].text() for row in (1, 2, 3)]


def test_the_band_of_the_strip_chart_is_moved_and_its_figures_follow(strip: StripChart) -> None:
    """A step of 10 W thirty seconds ago: the band tells either side, the rest tells both."""
    rng = np.random.default_rng(1)
    watts = np.where(np.arange(240) < 120, 50.0, 60.0) + rng.normal(0.0, 0.1, 240)
    history = [(0.25 * n, {"input_power": float(w), "output_voltage": 24.0}) for n, w in enumerate(watts)]
    strip.show_history(history[:100])
    strip.show_history(history)
    assert strip.band == (-20.0, 0.0)
    late = watts[-81:]
    assert cells(strip, 1)[0] == f"{late.mean():.2f} W"
    assert float(cells(strip, 1)[1].split()[0]) == pytest.approx(late.std(ddof=1), abs=0.006)
    assert float(cells(strip, 2)[0].split()[0]) == pytest.approx(watts.mean(), abs=0.01)
    strip.setFocus()
    for _ in range(20):
        QTest.keyClick(strip, Qt.Key.Key_Left)
    assert strip.band == (-60.0, -40.0), "it stays inside and keeps its width"
    assert float(cells(strip, 1)[0].split()[0]) == pytest.approx(50.0, abs=0.05)
    QTest.keyClick(strip, Qt.Key.Key_Right, SHIFT)
    assert strip.band[1] - strip.band[0] < 20.0
    band = strip._bands["input_power"]
    band.setRegion((-25.0, -5.0))  # as a drag does
    assert strip.band == (-25.0, -5.0)
    assert strip._bands["output_voltage"].getRegion() == (-25.0, -5.0), "both tracks show the same band"
    QTest.keyClick(strip, Qt.Key.Key_Up)
    assert strip.span_s == 600.0
    strip.show_history([(0.0, {"input_power": 1.0, "output_voltage": 2.0}), (1.0, {"input_power": 1.0})])
    assert len(strip._trails["input_power"].times) == 2, "another run begins anew"


def test_an_hour_of_history_stays_and_older_goes(strip: StripChart) -> None:
    for hour in range(3):
        rows = [(3600.0 * hour + 0.25 * n, {"input_power": 1.0, "output_voltage": 2.0}) for n in range(14_400)]
        strip.show_history(rows)
    times = strip._trails["input_power"].times
    assert times[-1] - times[0] == pytest.approx(3600.0, abs=0.5)
    assert strip._trails["input_power"]._rows.shape[1] < 4 * len(times)


@pytest.mark.parametrize(
    ("quantity", "words"),
    [
        ("case_temperature", "on the case, C7"),
        ("output_voltage", "at the output, plus and minus"),
        ("input_voltage", "at the input, L and N"),
        ("output_current", "in the output lead"),
        ("input_power", "at the input, L and N"),
    ],
)
def test_the_drawing_says_where_the_probe_goes(qtbot: QtBot, quantity: str, words: str) -> None:
    spots = ProbeSpots()
    qtbot.addWidget(spots)
    spots.resize(360, 104)
    blank = spots.grab().toImage()
    spots.show_spot(quantity, "C7", ("L", "N"), ("plus", "minus"))
    assert words in spots.accessibleName()
    assert quantity == "case_temperature" or spots.grab().toImage() != blank


def amendments(book: Path) -> list[str]:
    with reread(book) as reader:
        return [w.event.text for w in reader.events(kinds=(Amended,))]


@pytest.mark.long  # the same from the keyboard is in the short run
def test_the_tape_seeks_and_report_and_files_leave_from_the_log(
    open_window: Open, make_book: Make, tmp_path: Path
) -> None:
    hands = open_window(make_book())
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    enter(hands, "45.1")
    hands.until(lambda: session.state is State.SAFE)
    hands.station(7)
    log = hands.window.stations["Log"]
    hands.until(lambda: "Run ends: complete" in [i.text(1) for i in log._items()])
    assert_uncut(hands)
    assert "1 run" in log.tape.accessibleName()
    width = log.tape.width()
    QTest.mouseClick(log.tape, Qt.MouseButton.LeftButton, pos=QPoint(2, 15))
    first = log.tree.currentItem()
    QTest.mouseClick(log.tape, Qt.MouseButton.LeftButton, pos=QPoint(width - 3, 15))
    last = log.tree.currentItem()
    assert log._key(first) < log._key(last)
    hands.until(lambda: bool(log.first_page.toPlainText()))  # it is judged beside the window
    page = log.first_page.toPlainText()
    assert session.unit is not None
    for wanted in (session.unit.model, "not tested", "No stop"):
        assert wanted in page, wanted
    assert session.reader is not None
    run = judge_run(session.reader)
    log.leaving.folder(session.book_path, 1, tmp_path / "out")
    hands.until(lambda: "Files saved in: out" in hands.words())
    assert (tmp_path / "out" / "readings.csv").exists()
    log.leaving.report(session.book_path, 1, tmp_path / "nowhere" / "report.html")
    hands.until(lambda: "could not be written" in hands.words())

    hands.station(5)
    hands.until(lambda: hands.window.stations["Findings"].run is not None)
    findings = hands.window.stations["Findings"]
    hands.press(Qt.Key.Key_F9)
    hands.type("Elin Ward")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "Signed by Elin Ward" in hands.words())
    assert_uncut(hands)
    hands.press(Qt.Key.Key_F9)  # what is signed is amended
    hands.type("the meter was recalibrated")
    hands.press(Qt.Key.Key_Return)
    assert "Name, a colon" in findings.say.problem.text(), "who says it comes first"
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("Elin Ward: the meter was recalibrated")
    hands.press(Qt.Key.Key_Return)
    with reread(session.book_path) as reader:
        kept = kept_of(reader, 1)
    assert kept is not None
    assert len(kept.rows) == len(run.judged)
    hands.until(lambda: amendments(session.book_path) == ["the meter was recalibrated"])
    findings.choose(next(n for n, j in enumerate(run.judged) if j.finding.name == "input_current"))
    hands.press(Qt.Key.Key_T, CTRL)
    hands.until(lambda: session.plan.name == "Retest: input_current")
    assert [p.procedure for p in session.plan.parts][-1] == "safety_checks"
    hands.until(lambda: hands.window.stations["Plan"].isVisible())
