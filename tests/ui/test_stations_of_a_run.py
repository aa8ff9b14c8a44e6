"""Plan, Run and Log with whole plans, from the keyboard."""

import math
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit
from tests.ui.conftest import Hands, reread
from tests.ui.test_path import CTRL, assert_uncut, pass_gate, start

from zincsmith.book.writer import BookWriter
from zincsmith.judge.judging import judge_run
from zincsmith.model.events import (
    DoubtEnded,
    Effected,
    EntryCorrected,
    EntryRefused,
    EntryTaken,
    HandSet,
    HandSetting,
    Marked,
    Noted,
    Passed,
    PointRejected,
    PointTaken,
    Polled,
)
from zincsmith.model.plan import Line, Plan, PlanWatch
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions, grid_of
from zincsmith.ui.stations.findings import FindingsStation
from zincsmith.ui.widgets.tick_box import TickBox
from zincsmith.words.log_words import Kind

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
ALT = Qt.KeyboardModifier.AltModifier


def events(book: Path, *kinds: type) -> list:  # type: ignore[type-arg]
    with reread(book) as reader:
        return [w.event for w in reader.events(kinds=kinds)]


@pytest.fixture
def four_points(make_book: Make) -> Path:
    """A plan of four points with the case read by hand at each, so that the run waits at every one."""
    book = make_book()
    options = GridOptions(
        lines=(Line(115.0, 60.0),),
        loads_percent=(100.0, 75.0, 50.0, 25.0),
        warm_up_s=20.0,
        settle_at_most_s=30.0,
        settled_percent=0.5,
        average_s=4.0,
        temperature_loads_percent=(100.0, 75.0, 50.0, 25.0),
    )
    with BookWriter(book) as writer:
        writer.revise("plan", "plan", Plan("Four", (options,)), "test")
    return book


def enter(hands: Hands, text: str) -> None:
    """Wait for the turn, type, and wait until it was taken."""
    session = hands.window.session
    turn(hands)
    taken = len(session.view.entries)
    hands.type(text)
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: len(session.view.entries) > taken)


def run_map(hands: Hands) -> dict:  # type: ignore[type-arg]
    return hands.window.stations["Run"].dashboard.map._cells  # type: ignore[attr-defined,no-any-return]


def turn(hands: Hands) -> None:
    """Wait until a reading is asked for, its panel shows that, and the line has the focus."""
    view, panel = hands.window.session.view, hands.window.stations["Run"].dashboard.your_turn
    hands.until(lambda: hands.window.session.state is State.ASKING and view.asked is not None)
    hands.until(lambda: panel._asked is hands.window.session.view.asked and hands.focus() is panel.line)


def test_everything_a_person_may_do_in_a_run(open_window: Open, four_points: Path) -> None:
    hands = open_window(four_points)
    session = hands.window.session
    start(hands)
    assert not hands.button("Skip").isEnabled(), "a gate is not skipped"
    pass_gate(hands)
    enter(hands, "54.1")
    turn(hands)
    assert_uncut(hands)

    hands.press(Qt.Key.Key_Up)  # corrects the last entry
    hands.type("hot")
    hands.press(Qt.Key.Key_Return)
    assert "Begin with the value" in hands.window.stations["Run"].say.problem.text()
    assert_uncut(hands)  # the reason stands below: it pushes no button out
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("45.1 digits swapped")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: session.view.corrected)
    hands.until(lambda: "first 54.1" in hands.words())

    hands.press(Qt.Key.Key_F4)
    hands.type("whistles")
    hands.press(Qt.Key.Key_Return)
    hands.press(Qt.Key.Key_F6)
    hands.type("the lead had come loose")
    hands.press(Qt.Key.Key_Return)
    enter(hands, "44.0")  # point 2
    enter(hands, "43.5")  # point 1 again
    hands.until(lambda: len(events(four_points, PointTaken)) == 3)
    turn(hands)
    hands.press(Qt.Key.Key_F5)
    hands.type("2: mains dip")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: events(four_points, PointRejected))
    hands.until(lambda: [c.number for c in run_map(hands).values() if c.rejected] == [2])
    assert {c.number for c in run_map(hands).values()} == {1, 2, 3, 4}, "the numbers of the map are those of the run"
    skipped = session.view.asked
    hands.press(Qt.Key.Key_F7)  # skips point 3, which waits for its reading
    hands.until(lambda: events(four_points, Passed))
    hands.until(lambda: session.view.asked is not skipped)  # the book knows it before the window does
    turn(hands)
    hands.type("399")  # a decimal point was forgotten: asked again, and still so after the next polls
    hands.press(Qt.Key.Key_Return)
    polls = len(session.view.history)
    hands.until(lambda: len(session.view.history) > polls + 1)
    assert "Enter again takes it" in hands.words()
    assert len(session.view.entries) == 3
    enter(hands, "39.9")
    hands.until(lambda: session.state is State.SAFE)

    taken = events(four_points, PointTaken)
    assert [(p.point.number, p.point.take) for p in taken] == [(1, 1), (2, 1), (1, 2), (3, 1)]
    assert events(four_points, EntryCorrected)[0].first == 54.1
    assert events(four_points, Marked)[0].text == "whistles"
    rejected = events(four_points, PointRejected)[0]
    assert (rejected.number, rejected.reason, rejected.by) == (2, "mains dip", "Test engineer")
    assert [p.number for p in judge_run(session.reader).evidence.points] == [1, 3]


def test_pause_and_resume_say_what_stays_on(open_window: Open, make_book: Make, rig: Rig) -> None:
    book = make_book(by_hand=False)
    with BookWriter(book) as writer:  # slow enough to press a key in the middle of the warm-up
        assert rig.standin is not None
        writer.revise("rig", "bench", replace(rig, standin=replace(rig.standin, pace=20.0)), "slower")
    hands = open_window(book)
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    hands.until(lambda: session.state is State.RUNNING and session.view.load_on)
    hands.press(Qt.Key.Key_F9)
    hands.until(lambda: session.state is State.PAUSED)
    hands.until(lambda: "PAUSED" in hands.words() and "115 V at the input" in hands.words())
    assert hands.window.bench_strip.words()[0] == "PAUSED"
    polls = len(session.view.history)
    hands.until(lambda: len(session.view.history) > polls)
    hands.press(Qt.Key.Key_F9)
    hands.until(lambda: session.state is State.RUNNING)
    hands.press(Qt.Key.Key_F10)
    hands.until(lambda: session.state is State.SAFE)
    hands.until(lambda: "was aborted" in hands.words())
    assert hands.button("Resume run 1").isEnabled()


def test_a_photograph_from_the_clipboard_is_kept_with_its_moment(open_window: Open, four_points: Path) -> None:
    hands = open_window(four_points)
    start(hands)
    pass_gate(hands)
    hands.until(lambda: hands.window.session.state is State.ASKING)
    picture = QImage(40, 30, QImage.Format.Format_RGB32)
    picture.fill(Qt.GlobalColor.darkCyan)
    QGuiApplication.clipboard().setImage(picture)
    hands.press(Qt.Key.Key_F3)
    hands.until(lambda: any(n.photo for n in events(four_points, Noted)))
    note = next(n for n in events(four_points, Noted) if n.photo)
    assert note.values["input_voltage"] == pytest.approx(115.0, abs=1.0)
    with reread(four_points) as reader:
        assert reader.photo(note.photo)
    QGuiApplication.clipboard().clear()
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: hands.window.session.state is State.SAFE)


def test_a_limit_of_the_plan_makes_safe_and_says_whose_it_is(
    open_window: Open, make_book: Make, tiny_plan: Plan
) -> None:
    book = make_book(by_hand=False)
    with BookWriter(book) as writer:
        writer.revise("plan", "plan", replace(tiny_plan, watches=(PlanWatch("input_power", high=30.0),)), "test")
    hands = open_window(book)
    hands.station(3)
    watches = hands.table("Watches")
    rows = [[watches.item(row, column).text() for column in range(4)] for row in range(watches.rowCount())]
    assert ["Input watts", "30 W", "the plan"] in [[row[0], row[1], row[3]] for row in rows]
    start(hands)
    pass_gate(hands)
    hands.until(lambda: hands.window.session.state is State.SAFE)
    hands.until(lambda: "was stopped by a watch" in hands.words())
    assert "Input watts reached" in hands.words()
    assert "the plan is 30 W" in hands.words()


def test_a_doubt_is_answered_where_it_appears(open_window: Open, four_points: Path, rig: Rig) -> None:
    """The source gives 3 % too much: every point raises it."""
    with BookWriter(four_points) as writer:
        drifted = writer.rig()
        assert isinstance(drifted, Rig)
        assert drifted.standin is not None
        standin = replace(drifted.standin, faults=("bench,DRIFT",))
        writer.revise("rig", "bench", replace(drifted, standin=standin), "a source that drifts")
    hands = open_window(four_points)
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    enter(hands, "45.0")
    hands.until(lambda: session.state is State.ASKING and "the rules allow" in hands.words())
    assert "Repeat point 1, adds" in hands.button("Repeat point 1").text()
    hands.click("Keep it")
    hands.type("the client's mains is like that")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: events(four_points, Noted))
    assert events(four_points, Noted)[0].text == "point 1 kept: the client's mains is like that"
    hands.click("Repeat point 1")
    hands.type("source set by the meter")
    hands.press(Qt.Key.Key_Return)
    enter(hands, "44.0")
    enter(hands, "43.0")
    hands.until(lambda: any(p.point.take == 2 for p in events(four_points, PointTaken)))
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: session.state is State.SAFE)


def test_settings_by_hand_take_the_centre_and_are_confirmed(open_window: Open, make_book: Make, rig: Rig) -> None:
    """The load is turned by a person; the stand-in's load stays off, so the unit runs unloaded."""
    book = make_book(by_hand=False)
    hand = tuple(replace(i, how="by hand") if i.role == "load" else i for i in rig.instruments)
    with BookWriter(book) as writer:
        writer.revise("rig", "bench", replace(rig, instruments=hand), "a load by hand")
    hands = open_window(book)
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    hands.until(
        lambda: (
            isinstance(session.view.turn, HandSetting) and hands.window.stations["Run"].gate.tick.text() == "It is done"
        )
    )
    assert "BY HAND" in hands.words()
    assert "Take the Osmary L3 off" in hands.words()
    hands.press(Qt.Key.Key_Space)
    hands.press(Qt.Key.Key_Return, CTRL)
    hands.until(lambda: events(book, HandSet))
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: session.state is State.MAKING_SAFE and isinstance(session.view.turn, HandSetting))
    hands.until(lambda: "switch its input off" in hands.words())
    hands.press(Qt.Key.Key_Space)
    hands.press(Qt.Key.Key_Return, CTRL)
    hands.until(lambda: session.state is State.SAFE)


def test_a_plan_is_composed_moved_and_edited(open_window: Open, make_book: Make, unit: Unit, rig: Rig) -> None:
    book = make_book()
    hands = open_window(book)
    session = hands.window.session
    hands.station(3)
    hands.click("Full plan")
    full, _ = compose(unit, rig)
    hands.until(lambda: [p.procedure for p in session.plan.parts] == [p.procedure for p in full.parts])
    hands.until(lambda: "Raised from zero" in hands.window.stations["Plan"].view.accessibleName())
    assert_uncut(hands)
    view = hands.window.stations["Plan"].view
    view.setFocus()
    hands.press(Qt.Key.Key_Down, ALT)
    hands.until(lambda: "Safety gates come before" in hands.words() or "safety gates come before" in hands.words())
    hands.click("Drop part")
    hands.until(lambda: "gates stay" in hands.words())
    for _ in range(3):
        view.setFocus()
        hands.press(Qt.Key.Key_Down)
    hands.until(lambda: "Bring-up" in hands.words())
    hands.click("Drop part")
    hands.until(lambda: not any(p.procedure == "bring_up" for p in session.plan.parts))

    hands.click("Grid only")
    hands.until(lambda: len(session.plan.parts) == 1)
    hands.until(lambda: any(e.accessibleName() == "Loads, %" and e.isVisible() for e in lines(hands)))
    hands.fill("Loads, %", "100 50 zero")
    hands.until(lambda: "loads are numbers in percent" in hands.words())
    hands.fill("Loads, %", "100 50 0")
    hands.until(
        lambda: (
            grid_of(session.plan.parts) is not None and grid_of(session.plan.parts).loads_percent == (100.0, 50.0, 0.0)
        )
    )
    hands.fill("Lines, V Hz", "115 60, 500 50")
    hands.until(lambda: "500 V" in hands.words())  # beyond the unit: the rehearsal says so
    hands.fill("Lines, V Hz", "115 60, 230 50")
    hands.until(lambda: "stays inside every limit" in hands.words())
    grid = hands.window.stations["Plan"].map
    grid.setFocus()
    hands.press(Qt.Key.Key_Left)
    hands.press(Qt.Key.Key_Space)
    hands.until(
        lambda: (
            grid_of(session.plan.parts) is not None and grid_of(session.plan.parts).dropped == ((115.0, 60.0, 50.0),)
        )
    )
    hands.until(lambda: "5 points" in hands.words())
    # Step by step back to what the book had at first, and again; the line that had the focus shows what holds.
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until(lambda: grid_of(session.plan.parts).dropped == ())
    edited = session.plan
    line = hands.line("Loads, %")
    line.setFocus()
    for _ in range(3):  # the lines twice, then the loads
        before = session.plan
        hands.press(Qt.Key.Key_Z, CTRL)
        hands.until(lambda before=before: session.plan != before)
    assert grid_of(session.plan.parts).loads_percent == GridOptions().loads_percent
    hands.until(lambda: line.text() == "100 75 50 25 10 0")
    hands.until(lambda: not session.unwritten)
    while session.steps("plan")[0]:
        before = session.plan
        hands.press(Qt.Key.Key_Z, CTRL)
        hands.until(lambda before=before: session.plan != before)
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until(lambda: "Nothing to take back" in hands.words())
    while session.plan != edited:
        before = session.plan
        hands.press(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
        hands.until(lambda before=before: session.plan != before)


@pytest.mark.long
def test_a_routine_fits_the_time_is_kept_and_taken_for_the_next_unit(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    hands = open_window(make_book())
    session = hands.window.session
    hands.station(3)
    routines = hands.window.stations["Plan"].routines

    def choose(words: str) -> None:
        routines.setFocus()
        hands.press(Qt.Key.Key_Down)  # opens the list; nothing is done on the way to what is wanted
        at = next(n for n in range(routines.count()) if words in routines.itemText(n))
        for _ in range(at):
            QTest.keyClick(routines.view(), Qt.Key.Key_Down)
        QTest.keyClick(routines.view(), Qt.Key.Key_Return)

    routines.fit(2.0)
    hands.until(lambda: "takes" in hands.words() and "alone" in hands.words())
    routines.fit(60.0)
    hands.until(lambda: "Within 1 h" in session.plan.name)
    hands.until(lambda: "No time for: " in hands.words())
    fitted = session.plan
    kept = tmp_path / "config" / "zincsmith" / "routines" / "An hour.toml"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(kept.with_suffix("")), ""))
    routines.keep()
    assert kept.exists()
    hands.click("Grid only")
    hands.until(lambda: len(session.plan.parts) == 1)
    choose("An hour")
    hands.until(lambda: [p.procedure for p in session.plan.parts] == [p.procedure for p in fitted.parts])
    assert session.plan.parts == fitted.parts
    kept.write_text("name = 3")
    routines.take(kept)
    hands.until(lambda: "An hour.toml" in hands.words())
    assert session.plan.parts == fitted.parts, "what is no plan changes nothing"


@pytest.mark.long
def test_the_plot_is_that_of_the_procedure_under_way(open_window: Open, make_book: Make) -> None:
    """Standby power over time while it is recorded; the efficiency is for the grid."""
    book = make_book(by_hand=False)
    with BookWriter(book) as writer:
        writer.revise("plan", "plan", Plan("Standby", (StandbyOptions(lines=(Line(115.0, 60.0),)),)), "test")
    hands = open_window(book)
    session = hands.window.session
    start(hands, "Take the load off")
    dashboard = hands.window.stations["Run"].dashboard
    assert dashboard.plot.title == "Efficiency against load"
    for gate in ("Take the load off", "Put the load back"):
        hands.until(lambda gate=gate: session.view.turn is not None and getattr(session.view.turn, "title", "") == gate)
        hands.until(lambda: isinstance(hands.focus(), TickBox))
        hands.press(Qt.Key.Key_Space)
        hands.until(hands.button("Go on").isEnabled)
        assert "THE INPUT IS LIVE" not in hands.words(), "it was switched off before"

        def went(gate: str = gate) -> bool:
            """Pressed too early it stays shut: hands stay out until what was charged has had time to empty."""
            hands.press(Qt.Key.Key_Return, CTRL)
            return session.view.turn is None or getattr(session.view.turn, "title", "") != gate

        hands.until(went)
    hands.until(lambda: session.state is State.SAFE)
    assert dashboard.plot.title == "Standby power"
    assert len(session.view.points) >= 15
    x, y = dashboard.plot.widget.getPlotItem().listDataItems()[0].getData()
    assert list(x) == pytest.approx([float(n) for n in range(1, len(x) + 1)]), "minutes"
    assert len(x) >= len(session.view.points) - 1, (
        "the last one may come with the end of the run, when the page is left"
    )
    assert max(y) < 1.0, "watts of a unit at rest"


def test_the_log_shows_finds_and_folds(open_window: Open, four_points: Path) -> None:
    hands = open_window(four_points)
    session = hands.window.session
    start(hands)
    pass_gate(hands)
    enter(hands, "45.1")
    hands.until(lambda: session.state is State.ASKING)
    hands.station(7)
    log = hands.window.stations["Log"]
    hands.press(Qt.Key.Key_F2)
    hands.type("the red lead is warm")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "the red lead is warm" in log_words(log))
    hands.press(Qt.Key.Key_F12)
    hands.until(lambda: session.state is State.SAFE)
    hands.until(lambda: "Run ends: made safe" in log_words(log))
    words = log_words(log)
    for wanted in ("Run begins", "Warm-up", "Point 1", "Typed: case temperature", "AC source off", "Gate passed"):
        assert wanted in words, wanted
    assert words.index("Warm-up") < words.index("Point 1") < words.index("AC source off")
    assert_uncut(hands)
    hands.press(Qt.Key.Key_F, CTRL)
    hands.type("red lead")
    assert "1 found" in hands.words()
    visible = [i.text(1) for i in log._items() if not i.isHidden()]
    assert "the red lead is warm" in visible
    assert not any(text.startswith("Waited") for text in visible)
    hands.press(Qt.Key.Key_Return)
    assert log.tree.currentItem().text(1) == "the red lead is warm"
    hands.press(Qt.Key.Key_A, CTRL)
    hands.press(Qt.Key.Key_Delete)
    QTest.mouseClick(log.kinds[Kind.SETTINGS], Qt.MouseButton.LeftButton)
    assert not any(i.text(1) == "Waited" for i in log._items() if not i.isHidden())


def lines(hands: Hands) -> list[QLineEdit]:
    return hands.window.findChildren(QLineEdit)


def log_words(log) -> str:  # type: ignore[no-untyped-def]
    return "\n".join(f"{i.text(1)} {i.text(2)}" for i in sorted(log._items(), key=log._key))


def test_findings_are_of_the_chosen_unit_and_their_rows_can_be_acted_on(
    open_window: Open, finished_book: Path, tmp_path: Path
) -> None:
    """Claim what nobody claimed, deal with a doubt; another unit has no run, and its messages are its own."""
    book = tmp_path / "own.zbook"
    shutil.copy(finished_book, book)
    hands = open_window(book)
    session = hands.window.session
    hands.until(lambda: session.allowed("end doubt"))
    hands.station(5)
    station = hands.window.stations["Findings"]
    assert isinstance(station, FindingsStation)
    hands.until(lambda: station.run is not None)
    assert station.run is not None
    rows = station.run.judged
    station.choose(next(n for n, j in enumerate(rows) if j.claim is None and j.finding.name == "static_accuracy"))
    hands.press(Qt.Key.Key_L, CTRL)
    hands.until(lambda: hands.window.current is hands.window.stations["Nameplate"])
    hands.fill("Claim: At most", "120 mV")
    hands.button("Keep this claim").setFocus()
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: session.unit is not None and session.unit.nameplate.claims[-1].figure == "static_accuracy")
    assert session.unit is not None
    made = next(c for c in session.unit.nameplate.claims if c.figure == "static_accuracy")
    assert made.high == pytest.approx(0.12 / 24.0)
    assert made.condition.load_percent is not None
    hands.station(5)
    hands.until(lambda: station.run is not None and any(
        j.claim is not None and j.claim.figure == "static_accuracy" for j in station.run.judged
    ))  # fmt: skip
    doubtful = next(n for n, j in enumerate(station.run.judged) if any(not d.ended for d in j.finding.doubts))
    text = next(d.text for d in station.run.judged[doubtful].finding.doubts if not d.ended)
    station.choose(doubtful)
    hands.press(Qt.Key.Key_F6)
    hands.type("it is fine")
    hands.press(Qt.Key.Key_Return)
    assert "Say how" in station.say.problem.text()
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("explained: the unit idles in bursts: Elin Ward")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: [e.doubt for e in events(book, DoubtEnded)] == [text])
    hands.until(lambda: any(d.ended for d in station.run.doubts) if station.run else False)
    hands.station(1)
    assert session.unit is not None
    session.add_unit(replace(session.unit, tag="HB-08"), "another specimen")
    hands.station(5)
    hands.until(lambda: "No run yet of HB-08" in hands.words())
    assert session.view.run is None
    session.choose_unit("HB-07")
    hands.until(lambda: station.run is not None and "run 1" in hands.words())


def test_a_key_pressed_twice_answers_nothing_that_comes_after(open_window: Open, four_points: Path) -> None:
    """What was typed for one reading is none of the next, however often Enter is hit; nor is a gate passed by it."""
    hands = open_window(four_points)
    start(hands)
    pass_gate(hands)
    for text in ("44.4", "43.3"):
        turn(hands)
        hands.type(text)
        taken = len(hands.window.session.view.entries)
        for _ in range(3):
            QTest.keyClick(hands.line("Reading"), Qt.Key.Key_Return)
        hands.until(lambda taken=taken: len(hands.window.session.view.entries) > taken)
    turn(hands)
    taken = [e.reading.value for e in events(four_points, EntryTaken)]
    assert taken == [44.4, 43.3]
    assert events(four_points, EntryRefused) == []


def test_whatever_says_what_is_live_agrees_at_every_moment(open_window: Open, four_points: Path) -> None:
    """A whole run is walked: footer, gate, head and book are compared whenever anything of them changes."""
    hands = open_window(four_points)
    session = hands.window.session
    wrong: list[str] = []
    seen: set[tuple[str, str]] = set()

    def left() -> float:
        """Seconds, as the head of the dashboard says them; nan where it says none."""
        words = hands.window.stations["Run"].dashboard.heads["TIME LEFT"][0].text().split()  # type: ignore[attr-defined]
        return float(words[0]) * {"s": 1.0, "min": 60.0}[words[1]] if len(words) == 2 else math.nan

    def compare() -> None:
        view, strip = session.view, hands.window.bench_strip.words()[0]
        if not view.active or session.state is State.MAKING_SAFE or session.problem:
            return
        seen.add((session.state.value, view.live.state))
        said = view.live.headline if session.state is not State.PAUSED else "PAUSED"
        if strip != said:
            wrong.append(f"footer says {strip!r}, the view {said!r} in {session.state.value}")
        station = hands.window.stations["Run"]
        if view.turn is not None and station.gate.isVisible():  # type: ignore[attr-defined]
            kicker = station.gate.kicker.text()  # type: ignore[attr-defined]
            if view.live.words.upper() not in kicker:
                wrong.append(f"the gate says {kicker!r}, the view {view.live.words!r}")
        if view.stage == "Warm-up" and station.isVisible():
            doing = station.dashboard.heads["NOW"][1].text()  # type: ignore[attr-defined]
            flows = view.load_on and "output_current" in view.now
            if flows != ("A drawn" in doing):
                wrong.append(f"in the warm-up it says {doing!r} with the load {'on' if view.load_on else 'off'}")
        told = {"SetSource": None, "SetLoad": None}
        with reread(four_points) as reader:
            for written in reader.events(run=view.run, kinds=(Effected, Polled)):
                shown = written.seq <= session._seq  # the book may be ahead of the window
                if shown and isinstance(written.event, Effected) and written.event.action in told:
                    told[written.event.action] = bool(written.event.body.get("on"))
        if told["SetSource"] is True and view.live.state != "live" and session.state is State.RUNNING:
            wrong.append("the book says that the source is on, the window that it is off")

    start(hands)
    for signal in (session.live, session.state_changed):
        signal.connect(compare)
    compare()
    pass_gate(hands)
    turn(hands)
    hands.until(lambda: left() > 0.0)
    first = left()
    for text in ("44.0", "43.5", "43.0"):
        enter(hands, text)
    turn(hands)
    hands.until(lambda: left() < first)
    enter(hands, "42.5")
    hands.until(lambda: session.view.closed is not None)
    assert wrong == []
    assert {state for _, state in seen} >= {"off", "live"}
