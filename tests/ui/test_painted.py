"""Painted widgets: what they say to somebody who cannot see them, their keys, and that odd content stays inside."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.conftest import ROOT

from zincsmith.book.reader import BookReader
from zincsmith.formats.unit_file import read_unit
from zincsmith.history.run_view import RunView
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.actions import TELLS
from zincsmith.model.commands import GoDown, GoOn, Mistyped, Pass
from zincsmith.model.events import (
    EntryAsked,
    EntryRefused,
    GateOpened,
    HandSetting,
    RunClosed,
    SensesAsked,
    StopRuleMet,
)
from zincsmith.model.finding import Verdict
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Gear, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.beginning import ALWAYS, WIRED
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.plan_file import NAMED
from zincsmith.showing.live import LiveFigure, picked_figures
from zincsmith.showing.reading_words import reading_words
from zincsmith.ui.picked import keep_picked, picked_before
from zincsmith.ui.rig.wiring_sheet import WiringSheet
from zincsmith.ui.widgets.bench_strip import BenchStrip
from zincsmith.ui.widgets.claim_list import ClaimList
from zincsmith.ui.widgets.figures import Figures
from zincsmith.ui.widgets.gate import GatePanel
from zincsmith.ui.widgets.itinerary import ItineraryView
from zincsmith.ui.widgets.operating_map import Cell, OperatingMap
from zincsmith.ui.widgets.rating_plate import RatingPlate
from zincsmith.ui.widgets.tape import Tape
from zincsmith.ui.widgets.unit_strip import UnitStrip
from zincsmith.ui.widgets.working import Working
from zincsmith.ui.widgets.your_turn import YourTurn


@pytest.fixture
def show(qtbot: QtBot) -> Callable[..., QWidget]:
    def shown(widget: QWidget, width: int = 600, height: int = 400) -> QWidget:
        qtbot.addWidget(widget)
        widget.resize(width, height)
        with qtbot.waitExposed(widget):
            widget.show()
        widget.activateWindow()
        return widget

    return shown


def picture(widget: QWidget) -> QImage:
    return widget.grab().toImage()


@pytest.fixture(scope="module")
def run(finished_book: Path) -> JudgedRun:
    with BookReader(finished_book) as book:
        return judge_run(book)


def test_the_operating_map_is_walked_with_arrows_and_clicks(show: Callable[..., QWidget]) -> None:
    cells = {
        (volts, hertz, load): Cell(str(number), number=number)
        for number, (volts, hertz, load) in enumerate(
            [(115.0, 60.0, 100.0), (115.0, 60.0, 50.0), (230.0, 50.0, 100.0), (230.0, 50.0, 50.0)], 1
        )
    }
    grid = show(OperatingMap(), 400, 160)
    assert isinstance(grid, OperatingMap)
    chosen: list[int] = []
    grid.chosen.connect(lambda number: (chosen.append(number), grid.choose(number)))
    grid.show_grid(cells, {100.0: 2.5, 50.0: 1.25})
    grid.choose(1)
    assert grid.accessibleDescription() == "115 V 60 Hz, 100 % load: 1"
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Down):
        QTest.keyClick(grid, key)
    assert chosen == [2, 4, 3, 1, 1], "the ends stop, nothing wraps around"
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=QPoint(130, 20))
    assert chosen[-1] == 4, "highest line on top, loads rising to the right"


def test_the_claim_list_speaks_every_row_and_stops_at_its_ends(show: Callable[..., QWidget], run: JudgedRun) -> None:
    claims = show(ClaimList(), 700, 300)
    assert isinstance(claims, ClaimList)
    rows = claims.rows
    rows.show_judged(list(enumerate(run.judged)))
    chosen: list[int] = []
    rows.chosen.connect(lambda at: (chosen.append(at), claims.select(at)))
    for _ in range(len(run.judged) + 3):
        QTest.keyClick(rows, Qt.Key.Key_Down)
    assert chosen[: len(run.judged)] == list(range(len(run.judged)))
    assert chosen[-1] == len(run.judged) - 1
    assert rows.accessibleDescription().endswith(run.judged[-1].verdict.value)
    shown = claims.viewport().rect().translated(0, claims.verticalScrollBar().value())
    assert shown.contains(rows.rect_of(chosen[-1]).center().toPoint()), "the view follows the choice"
    rows.show_judged([])
    picture(rows)


def test_a_working_is_painted_for_every_finding(show: Callable[..., QWidget], run: JudgedRun) -> None:
    working = show(Working(), 400, 900)
    assert isinstance(working, Working)
    empty = picture(working)
    words = reading_words(run)
    pictures = []
    for judged in run.judged:
        working.show_judged(judged, words)
        assert judged.finding.title in working.accessibleName()
        pictures.append(picture(working))
    assert all(p != empty for p in pictures)
    tall = max(run.judged, key=lambda j: len(j.finding.working.rows))
    working.show_judged(tall, words)
    assert working.minimumHeight() > 600, "every single reading has its place"


@pytest.mark.parametrize("long", [False, True], ids=["plain", "long"])
def test_plate_strip_and_sheet_hold_odd_content(show: Callable[..., QWidget], unit: Unit, rig: Rig, long: bool) -> None:
    if long:
        plate = replace(unit.nameplate, marks=tuple(f"mark number {n}" for n in range(30)))
        unit = replace(unit, maker="M" * 90, model="X" * 90, tag="T" * 40, place="P" * 200, nameplate=plate)
        changed = tuple(replace(i, maker="W" * 60, spot="S" * 120) for i in rig.instruments)
        rig = replace(rig, instruments=changed, gear=tuple(Gear("fuse", "Q" * 90) for _ in range(9)))
    for widget in (RatingPlate(), UnitStrip(), WiringSheet()):
        blank = picture(show(widget, 900, 320))
        if isinstance(widget, WiringSheet):
            widget.show_rig(rig, unit, 115.0, (), "load")
            assert "Load" in widget.accessibleName()
        else:
            widget.show_unit(unit)
            assert unit.model in widget.accessibleName()
        assert picture(widget) != blank


def test_itinerary_and_tape_show_the_same_plan(show: Callable[..., QWidget], unit: Unit, rig: Rig) -> None:
    plan = rehearse(unit, rig, NAMED["static-grid"])
    view, tape = show(ItineraryView()), show(Tape(), 600, 26)
    assert isinstance(view, ItineraryView)
    assert isinstance(tape, Tape)
    view.show_itinerary(plan)
    assert "Warm-up 115 V 60 Hz, full load 30 min" in view.accessibleName()
    tape.show_progress(plan, 0.0)
    start = picture(tape)
    tape.show_progress(plan, plan.likely_s / 2.0)
    assert tape.accessibleName() == "50 % of the itinerary"
    assert picture(tape) != start


@pytest.mark.parametrize(
    ("change", "state", "problem", "headline"),
    [
        ({}, State.IDLE, "", "Nothing energised"),
        ({"run": 1, "source_on": True, "load_on": True}, State.RUNNING, "", "Input and output are live"),
        ({"run": 1, "source_on": True}, State.RUNNING, "", "Input is live, load off"),
        ({"run": 1}, State.GATE, "", "Not read yet"),
        ({"run": 1, "now": {"input_voltage": 0.1}, "now_at": "x"}, State.GATE, "", "Input is off"),
        ({"run": 1, "now": {"input_voltage": 231.0}, "now_at": "x"}, State.GATE, "", "Input is live, load off"),
        ({"run": 1, "closed": RunClosed("complete", "", True)}, State.SAFE, "", "Source off"),
        ({"run": 1, "source_on": True}, State.MAKING_SAFE, "", "Making safe"),
        ({"run": 1}, State.NOT_CONFIRMED, "", "NOT CONFIRMED OFF"),
        ({}, State.IDLE, "it died", "Engine not running"),
    ],
)
def test_the_bench_strip_says_what_is_energised(
    show: Callable[..., QWidget], change: dict[str, object], state: State, problem: str, headline: str
) -> None:
    strip = show(BenchStrip(), 1152, 56)
    assert isinstance(strip, BenchStrip)
    strip.show_state(replace(RunView(), **change), state, problem)
    assert strip.words()[0] == headline
    assert headline in strip.accessibleName()
    assert strip.button.isEnabled(), "Make safe is always enabled"
    assert strip.rect().contains(strip.button.geometry())


def test_figures_nobody_reads_show_a_dash(show: Callable[..., QWidget]) -> None:
    figures = show(Figures(), 680, 160)
    assert isinstance(figures, Figures)
    figures.show_figures([LiveFigure("Input watts", None, None, "W", "power", "input")] * 8)
    assert "no reading" in figures.accessibleName()
    dashes = picture(figures)
    figures.show_figures([LiveFigure("Input watts", 68.831234, 0.11, "W", "power", "input")] * 8)
    assert picture(figures) != dashes
    assert "68.83 W" in figures.accessibleName()


def test_your_turn_takes_text_only_while_it_asks(show: Callable[..., QWidget]) -> None:
    panel = show(YourTurn(), 400, 500)
    assert isinstance(panel, YourTurn)
    entered: list[str] = []
    panel.entered.connect(lambda text, _of: entered.append(text))
    panel.rest("HANDS FREE", "Nothing to type now", "Your next turn: point 7.")
    assert not panel.line.isVisible()
    asked = EntryAsked("case_temperature", "degC", "Case temperature at 115 V", "T1", 33.0, 68.0)
    panel.ask(asked, 1, None)
    QTest.keyClick(panel.line, Qt.Key.Key_Return)
    assert entered == [], "an empty line is not a reading"
    QTest.keyClicks(panel.line, "44.3")
    before = picture(panel.ruler)
    QTest.keyClick(panel.line, Qt.Key.Key_Return)
    assert entered == ["44.3"]
    panel.line.setText("443")
    assert picture(panel.ruler) != before, "the needle follows what is typed"
    panel.ask(asked, 1, EntryRefused("443", "too hot to be true"))
    assert panel.line.text() == "443"
    assert "too hot to be true" in panel.problem.text()
    reading = Reading("1", "case_temperature", 44.3, "degC", "thermometer", "T1", "by hand", text="44.3")
    panel.show_entries([(f"2026-11-25T10:0{k}:00.000+00:00", reading) for k in range(8)], {})
    assert panel.entries.count() == 3 * 4, "the last four stay in sight"


def test_a_value_ten_times_off_is_asked_again_and_not_forbidden(show: Callable[..., QWidget]) -> None:
    panel = show(YourTurn(), 400, 500)
    entered: list[str] = []
    panel.entered.connect(lambda text, _of: entered.append(text))
    panel.ask(EntryAsked("case_temperature", "degC", "Case", "T1", 40.0, 50.0), 2, None)
    for text, asks in (("443", True), ("4.43", True), ("44.3", False), ("-", False)):
        panel.line.setText(text)
        panel.line.returnPressed.emit()
        assert (text not in entered) is asks
        if asks:
            assert "Enter again takes it" in panel.problem.text()
            panel.line.returnPressed.emit()
        assert entered[-1] == text


def test_a_gate_is_passed_by_tick_and_button(show: Callable[..., QWidget]) -> None:
    panel = show(GatePanel(), 900, 600)
    assert isinstance(panel, GatePanel)
    passed: list[object] = []
    panel.said.connect(passed.append)
    panel.show_turn(GateOpened("Before power", "Check the wiring.", ("Mains can kill.",)), 1, "nothing is on")
    assert panel.tick.text().endswith("I have read the cautions")
    QTest.mouseClick(panel.go_on, Qt.MouseButton.LeftButton)
    assert passed == []
    QTest.keyClick(panel.tick, Qt.Key.Key_Space)
    QTest.mouseClick(panel.go_on, Qt.MouseButton.LeftButton)
    assert passed == [Pass(of=1)]
    panel.show_turn(GateOpened("Another", "Again.", ()), 2, "nothing is on")
    assert not panel.go_on.isEnabled(), "each gate wants its own act"
    assert panel.tick.text() == "I have checked this", "nobody ticks cautions that are not there"


def test_every_caution_is_read_whole_in_the_window_that_ships(show: Callable[..., QWidget]) -> None:
    """Those of the example unit that has the most to say, were it open."""
    units = [read_unit(file) for file in (ROOT / "examples" / "units").glob("*.toml")]
    opened = [replace(unit, look=replace(unit.look, opened=True)) for unit in units]
    cautions = max((tuple(cautions_for(unit).values()) for unit in opened), key=lambda all_: len("".join(all_)))
    assert len(cautions) >= 7
    panel = show(GatePanel(), 1120, 632)  # what a window of 1280 by 800 leaves
    assert isinstance(panel, GatePanel)
    panel.show_turn(
        GateOpened("Before power", WIRED, (*cautions, *probing({"output_voltage", "input_voltage"}), *ALWAYS)),
        1,
        "",
    )
    QTest.qWait(0)
    needed = sum(words.heightForWidth(words.width()) for words in (panel.title, panel.text, panel.cautions))
    got = sum(words.height() for words in (panel.title, panel.text, panel.cautions))
    assert got >= needed, "nothing is cut off"
    assert panel.go_on.geometry().bottom() < 632


def test_what_a_scope_is_set_to_is_a_line_each(show: Callable[..., QWidget]) -> None:
    panel = show(GatePanel(), 900, 600)
    assert isinstance(panel, GatePanel)
    turn = HandSetting("scope", "Scope: record 1 ms\nchannel 1: 2 V\ndrop the file here", wants="The file")
    panel.show_turn(turn, 3, "the input is live")
    assert panel.title.text() == "Scope: record 1 ms"
    assert panel.text.isVisible()
    assert panel.text.text().splitlines() == ["•  channel 1: 2 V", "•  drop the file here"]


def test_a_source_set_by_hand_is_typed_where_it_landed(show: Callable[..., QWidget]) -> None:
    panel = show(GatePanel(), 900, 600)
    assert isinstance(panel, GatePanel)
    passed: list[object] = []
    panel.said.connect(passed.append)
    turn = HandSetting("ac_source", "Turn it to 20 V.", ("input watts above 0.31 W",), 20.0)
    panel.show_turn(turn, 3, "the input is off")
    assert "Switch off first, type later: input watts above 0.31 W" in panel.first.text()
    assert not panel.go_on.isEnabled()
    QTest.keyClicks(panel.line, "42")
    QTest.keyClick(panel.line, Qt.Key.Key_Return)
    assert passed == [Pass("42", of=3)]
    panel.show_turn(turn, 3, "", EntryRefused("420", "the unit's rated input ends at 240 V"))
    assert "420" in panel.problem.text()
    assert not panel.problem.isHidden()


def test_senses_are_four_boxes_with_keys_and_nothing_preset(show: Callable[..., QWidget]) -> None:
    panel = show(GatePanel(), 900, 600)
    assert isinstance(panel, GatePanel)
    passed: list[object] = []
    panel.said.connect(passed.append)
    panel.show_turn(SensesAsked("Look, smell, listen", "The unit is live."), 4, "the input is live, 90 V read")
    assert not any(box.isChecked() for box in panel.boxes.values())
    QTest.keyClick(panel, Qt.Key.Key_4)
    QTest.keyClick(panel, Qt.Key.Key_2)
    QTest.keyClick(panel, Qt.Key.Key_2)
    QTest.mouseClick(panel.go_on, Qt.MouseButton.LeftButton)
    assert passed == [Pass(senses={"glow": False, "smell": False, "sound": False, "indicator": True}, of=4)]
    panel.show_turn(SensesAsked("How did it tell its user?", "While it was overloaded.", TELLS), 5, "the input is live")
    assert [name for name, box in panel.boxes.items() if box.isVisible()] == list(TELLS)
    QTest.keyClick(panel, Qt.Key.Key_2)
    QTest.keyClick(panel, Qt.Key.Key_4)  # nothing stands there
    QTest.mouseClick(panel.go_on, Qt.MouseButton.LeftButton)
    assert passed[1:] == [Pass(senses={"light": False, "tone": True, "display": False}, of=5)]


@pytest.mark.parametrize("may", [True, False])
def test_a_stop_rule_leaves_only_the_ways_it_may(show: Callable[..., QWidget], may: bool) -> None:
    panel = show(GatePanel(), 900, 600)
    assert isinstance(panel, GatePanel)
    said: list[object] = []
    panel.said.connect(said.append)
    panel.show_turn(
        StopRuleMet("output_voltage", 30.0, None, 28.8, "the ceiling", may, "Output volts reached 30 V"), 6, ""
    )
    assert panel.line.isHidden() is not may
    assert panel.despite.isHidden() is not may
    if may:
        assert not panel.despite.isEnabled(), "without a reason nobody goes on"
        QTest.keyClicks(panel.line, "known to run high")
        QTest.keyClick(panel.line, Qt.Key.Key_Return)
        assert said == [], "Enter after the reason is not yet the act"
        QTest.mouseClick(panel.despite, Qt.MouseButton.LeftButton)
    QTest.mouseClick(panel.again, Qt.MouseButton.LeftButton)
    QTest.mouseClick(panel.go_on, Qt.MouseButton.LeftButton)
    assert said == [GoOn("known to run high", 6)] * may + [Mistyped(), GoDown()]


def test_verdict_marks_differ_by_shape_not_only_by_colour(show: Callable[..., QWidget]) -> None:
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QPainter

    from zincsmith.ui.ink import verdict_mark

    shapes = set()
    for verdict in Verdict:
        image = QImage(40, 40, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        verdict_mark(painter, QPointF(20, 20), verdict, 30)
        painter.end()
        opaque = [image.pixelColor(x, y).alpha() > 128 for y in range(40) for x in range(40)]
        light = [image.pixelColor(x, y).lightness() > 200 for y in range(40) for x in range(40)]
        shapes.add((tuple(opaque), tuple(light)))
    assert len(shapes) == len(Verdict)


def test_the_figures_of_the_run_screen_are_picked(rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Any of fifteen, in their order, kept for this computer; what is kept and cannot be read costs nothing."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    now = {"input_power": 68.0, "output_voltage": 24.0, "output_current": 2.5, "input_frequency": 50.01}
    assert next(f.words for f in picked_figures(now, rig, [])) == "Input volts"
    keep_picked(["Losses", "Input frequency", "nonsense"])
    found = picked_figures(now, rig, picked_before())
    assert [f.words for f in found] == ["Losses", "Input frequency"]
    assert found[0].value == pytest.approx(8.0)
    assert found[0].expanded is not None
    (tmp_path / "zincsmith" / "figures.json").write_text("{")
    assert picked_before() == []
