"""Plots and the folded view of a run."""

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from pyqtgraph import TextItem
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QTableWidgetItem
from pytestqt.qtbot import QtBot

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.decimal_marks import use_mark
from zincsmith.history.run_view import RunView
from zincsmith.judge.conventions import would_turn
from zincsmith.judge.judging import judge_again, judge_run
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.catalogue import names, options_of
from zincsmith.procedures.fields import Choosing
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.ui.plan.options_form import UNITS, OptionsForm, form_of
from zincsmith.ui.theme import DARK, use_theme
from zincsmith.ui.widgets.axis import axes
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.conventions_bar import ConventionsBar
from zincsmith.ui.widgets.edit_table import Column, EditTable
from zincsmith.ui.widgets.panel import label
from zincsmith.ui.widgets.plain_table import PlainTable
from zincsmith.ui.widgets.plot import Curve, Plot


@pytest.fixture
def plot(qtbot: QtBot) -> Plot:
    made = Plot("Efficiency against load", "output", "A", "efficiency", "%")
    qtbot.addWidget(made)
    made.resize(500, 300)
    made.show()
    x = np.array([0.25, 1.25, 2.5])
    made.show_curves(
        [Curve("230 V", x, np.array([89.0, 90.0, 89.4]), "efficiency"), Curve("115 V", x, x + 86, "efficiency", 1)]
    )
    return made


def test_the_cursor_reads_every_curve_at_the_nearest_point(plot: Plot) -> None:
    plot.read_at(1.4)
    text = plot.readout.text()
    for words in ("1.25 A", "230 V", "90 %", "115 V", "87.25 %"):
        assert words in text


def test_a_plot_leaves_as_svg_png_and_csv(plot: Plot, tmp_path: Path) -> None:
    for suffix in ("svg", "png", "csv"):
        plot.save(tmp_path / f"plot.{suffix}")
    assert (tmp_path / "plot.svg").read_text().lstrip().startswith("<?xml")
    assert (tmp_path / "plot.png").read_bytes().startswith(b"\x89PNG")
    rows = (tmp_path / "plot.csv").read_text().splitlines()
    assert rows[0] == "curve,output (A),efficiency (%)"
    assert rows[1:3] == ["230 V,0.25,89", "230 V,1.25,90"]
    assert len(rows) == 7


def test_a_folded_run_shows_what_the_book_holds(finished_book: Path) -> None:
    view = RunView()
    with BookReader(finished_book) as book:
        for written in book.events(run=1):
            view.fold(written)
    assert view.state == "safe"
    assert not view.active
    assert len(view.points) == 12
    assert view.safe_steps[0].step == "AC source off"
    assert view.now == {}, "a figure nobody reads any more shows a dash"
    assert not view.source_on
    times = [t for t, _ in view.history]
    assert times == sorted(times)


def test_the_face_of_a_meter_without_a_cable_shows_its_reading(
    qtbot: QtBot, standin: Callable[..., RunningStandIn]
) -> None:
    from zincsmith.simbench.front_panel import FrontPanel, Reading

    running = standin(seed=3)
    port = int(running.addresses["thermometer"].split("::")[2])
    front_panel = FrontPanel(Reading(port, "thermometer"))
    qtbot.addWidget(front_panel)
    front_panel.show()
    front_panel.look()
    assert float(front_panel.text) == pytest.approx(23.0, abs=1.5)
    before = front_panel.grab().toImage()
    front_panel.text = "–"
    front_panel.update()
    assert front_panel.grab().toImage() != before, "the reading is painted"
    front_panel.reading.close()


def test_numbers_stand_in_the_unit_of_the_axis_after_small_ones(plot: Plot) -> None:
    """A plot of milliwatts and then one of percent, in the other theme: its axis is not scaled by what was there."""
    x = np.array([1.0, 2.0])
    plot.show_axes("Standby power", "time", "min", "input", "W")
    plot.show_curves([Curve("230 V", x, np.array([1e-3, 2e-3]), "power")])
    QApplication.processEvents()
    plot.show_axes("Harmonics against class A", "order", "", "of the limit", "%")
    plot.show_curves([Curve("230 V", np.array([3.0, 5.0]), np.array([25.0, 40.0]), "current", bars=True)])
    use_theme(DARK)
    plot.restyle()
    QApplication.processEvents()
    axis = plot.widget.getAxis("left")
    assert axis.tickStrings([0.0, 50.0], axis.autoSIPrefixScale * axis.scale, 50.0) == ["0", "50"]
    assert axis.range[1] >= 100.0, "the limit is in sight"


def test_names_of_curves_that_end_together_are_apart_and_inside(plot: Plot) -> None:
    x = np.array([0.0, 1.0])
    ends = (9.6, 8.9, 7.2, 7.15)
    plot.show_curves([Curve(f"{n} V", x, np.array([0.0, y]), "power", n % 4) for n, y in enumerate(ends)])
    QApplication.processEvents()
    middles = sorted(
        t.mapRectToScene(t.boundingRect()).center().y()
        for t in plot.widget.getPlotItem().items
        if isinstance(t, TextItem)
    )
    assert len(middles) == 4
    assert all(below - above >= 14.0 for above, below in pairwise(middles)), "letters of 12 px do not touch"
    assert middles[0] >= 8.0


def test_a_convention_is_chosen_with_keys_and_says_before_what_it_would_turn(qtbot: QtBot, finished_book: Path) -> None:
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    bar = ConventionsBar()
    qtbot.addWidget(bar)
    bar.show()
    bar.show_run(run)
    asked: list[Conventions] = []
    bar.chosen.connect(asked.append)
    guard = bar.choices["guard"]
    bar.offer("guard")
    would = would_turn(run, "guard")
    for at, value in enumerate(("U", "1.645u", "none")):
        if value != run.conventions.guard:
            many = len(would[value])
            said = "turns no claim" if not many else would[value][0] if many == 1 else f"turns {many} claims"
            assert said in guard.itemText(at)
    guard.setFocus()
    QTest.keyClick(guard, Qt.Key.Key_Down)
    assert asked == [Conventions(guard="1.645u")]
    assert guard.itemText(0) == "w = U", "once chosen, the words are short again"
    bar.show_run(judge_again(run, asked[0]))
    assert guard.currentData() == "1.645u"
    assert bar.choices["coverage"].currentData() == "95.45"


def test_the_wheel_over_a_closed_list_changes_nothing(qtbot: QtBot) -> None:
    from PySide6.QtCore import QPoint, QPointF
    from PySide6.QtGui import QWheelEvent

    from zincsmith.ui.widgets.choice import Choice

    made = Choice()
    qtbot.addWidget(made)
    made.addItems(["yes", "no", "not stated"])
    made.show()
    turned = QWheelEvent(
        QPointF(5, 5), QPointF(5, 5), QPoint(0, -120), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    made.setFocus()
    QApplication.sendEvent(made, turned)
    assert made.currentText() == "yes"
    assert not turned.isAccepted(), "the page below scrolls"


def test_a_drop_down_opens_whole_however_narrow_its_box_is(qtbot: QtBot) -> None:
    box = Choice()
    longest = "a limit of IEC 61000-3-2, class A, with its edition"
    box.addItems(["short", longest])
    box.setFixedWidth(80)
    qtbot.addWidget(box)
    box.fit_list()  # what opening does first
    assert box.view().minimumWidth() >= box.view().fontMetrics().horizontalAdvance(longest)


def test_a_stopwatch_fills_the_line_that_asks_for_a_time(qtbot: QtBot) -> None:
    """Space starts it and stops it; while it runs nothing is taken; elsewhere a blank is a blank."""
    from zincsmith.model.events import EntryAsked
    from zincsmith.model.quantities import STARTS
    from zincsmith.ui.widgets.your_turn import YourTurn

    turn = YourTurn()
    taken: list[str] = []
    qtbot.addWidget(turn)
    turn.entered.connect(lambda text, _of: taken.append(text))
    turn.show()
    turn.ask(
        EntryAsked(f"timed@{STARTS}", "s", "Stopwatch, start to start", "", None, None, "0 where it stays"), 1, None
    )
    assert turn.watch.isVisibleTo(turn)
    assert not turn.where.isVisibleTo(turn), "no meter is clipped on"
    turn.activateWindow()
    qtbot.waitUntil(lambda: turn.line.hasFocus() and turn.isActiveWindow())
    QTest.keyClick(turn.line, Qt.Key.Key_Space)
    assert turn.watch.running
    qtbot.waitUntil(lambda: float(turn.line.text() or 0.0) >= 0.1)
    QTest.keyClick(turn.line, Qt.Key.Key_Return)
    assert taken == [], "it still runs"
    QTest.keyClick(turn.line, Qt.Key.Key_Space)
    shown = turn.line.text()
    QTest.keyClick(turn.line, Qt.Key.Key_Return)
    assert taken == [shown]
    assert 0.1 <= float(shown) < 30.0
    turn.ask(EntryAsked("output_voltage", "V", "Output volts", "", 23.0, 25.0), 1, None)
    assert not turn.watch.isVisibleTo(turn)
    QTest.keyClick(turn.line, Qt.Key.Key_Space)
    assert turn.line.text() == " "


def test_the_strip_tells_the_hottest_spot_by_name() -> None:
    """The room is none of the unit; without spots it is the case."""
    view = RunView()
    assert view.hottest == "case_temperature"
    view.now = {"case_temperature": 44.0, "spot_temperature@D5": 71.5, "spot_temperature@room": 90.0}
    assert view.hottest == "spot_temperature@D5"


def test_numbers_at_an_axis_have_the_mark_of_the_locale(qtbot: QtBot) -> None:
    axis = axes()["left"]
    assert axis.tickStrings([0.0, 0.5, 1.0], 1.0, 0.5) == ["0", "0.5", "1.0"]
    use_mark(",")
    try:
        assert axis.tickStrings([0.0, 0.5, 1.0], 1.0, 0.5) == ["0", "0,5", "1,0"]
        shown = label("24.03 V, from run.1 of 127.0.0.1")
        qtbot.addWidget(shown)
        assert shown.text() == "24,03 V, from run.1 of 127.0.0.1"
    finally:
        use_mark(".")


def test_lists_and_tables_have_the_mark_of_the_locale_and_keep_the_point(qtbot: QtBot) -> None:
    """What is painted changes, what stands in them does not: seen by the pictures of the very same texts."""
    choice = Choice()
    choice.addItem("33.5 A")
    table = EditTable("Points", (Column("amps", "Load", unit="A"),), adds=False)
    table.show_rows([{"amps": 33.5}])
    plain = PlainTable("Facts", ("Fact",), 26)
    plain.setRowCount(1)
    plain.setItem(0, 0, QTableWidgetItem("33.5 A"))

    def pictures() -> list[QImage]:
        choice.showPopup()
        return [one.grab().toImage() for one in (choice, choice.view(), table, plain)]

    for one in (choice, table, plain):
        qtbot.addWidget(one)
        one.resize(300, 80)
        one.show()
    points = pictures()
    assert points == pictures(), "the same texts are the same pictures"
    use_mark(",")
    try:
        assert [a == b for a, b in zip(points, pictures(), strict=True)] == [False] * 4
        assert (choice.currentText(), table.item(0, 0).text()) == ("33.5 A", "33.5")
        table.edit(table.model().index(0, 0))
        editor = table.findChild(QLineEdit)
        assert editor is not None
        assert editor.text() == "33.5", "33,500 could be thousands: what is edited keeps the point"
    finally:
        use_mark(".")


def test_a_number_that_nobody_offered_is_shown_with_its_unit(qtbot: QtBot) -> None:
    form = OptionsForm()
    qtbot.addWidget(form)
    form.show_part(GridOptions(warm_up_s=200.0), locked=False)
    choices = {one.accessibleName(): one for one in form.findChildren(Choice)}
    assert choices["Warm-up before"].currentText() == "200 s"
    told = 0
    for name in names():
        for one in form_of(options_of(name)()):
            if isinstance(one, Choosing) and isinstance(one.of(options_of(name)()), float):
                told += 1
                assert any(one.field.endswith(end) for end in UNITS), f"{name}: {one.field}"
    assert told > 50
