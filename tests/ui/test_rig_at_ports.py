"""Instruments at the outputs of a unit that has several, put there in the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from tests.conftest import ROOT
from tests.ui.conftest import Hands

from zincsmith.book.writer import BookWriter
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.planning.composer import compose
from zincsmith.ui.rig.element_panel import ElementPanel

Open = Callable[..., Hands]
Make = Callable[..., Path]
RAILS = ROOT / "tests" / "several" / "two_rails.toml"


def test_one_load_becomes_one_at_every_output_and_each_is_edited_by_itself(open_window: Open, make_book: Make) -> None:
    book = make_book()
    with BookWriter(book) as writer:
        writer.revise("unit", "HB-07", read_unit(RAILS), "test")
    hands = open_window(book)
    hands.window.go("Rig")
    session, station = hands.window.session, hands.window.stations["Rig"]
    panel = station.findChild(ElementPanel)
    assert panel is not None
    for role in ("load", "voltmeter"):
        station.open_element(role)
        station.refresh()
        hands.until(panel.everywhere.isVisible)
        QTest.mouseClick(panel.everywhere, Qt.MouseButton.LeftButton)
        hands.until(lambda r=role: session.rig is not None and len(session.rig.of(r)) == 3)
    assert session.rig is not None
    assert session.unit is not None
    assert [i.port for i in session.rig.of("load")] == ["+12 V", "+5 V", "-12 V"]
    assert {i.serial for i in session.rig.of("load")[1:]} == {""}, "a serial number is that of one instrument"
    plan, left = compose(session.unit, session.rig)
    assert {"static_grid", "bring_up"} <= {part.procedure for part in plan.parts}
    assert all("no load" not in one.why for one in left)
    station.open_element("load")
    station.refresh()
    panel.port.setCurrentIndex(1)
    panel.port.activated.emit(1)
    panel.how.chosen.emit("by hand")
    hands.until(lambda: session.rig is not None and session.rig.by_hand("load"))
    assert [i.how for i in session.rig.of("load")] == ["simulated", "by hand", "simulated"]
    remove = next(b for b in panel.findChildren(QPushButton) if b.text() == "Take this role off the rig")
    QTest.mouseClick(remove, Qt.MouseButton.LeftButton)
    hands.until(lambda: session.rig is not None and len(session.rig.of("load")) == 2)
    assert session.rig.instrument("load@+5 V") is None


def test_a_book_without_a_plan_of_a_unit_that_no_grid_suits_has_one_composed(open_window: Open, tmp_path: Path) -> None:
    """An inverter: a static grid is about direct current, and nobody chose anything yet."""
    book = tmp_path / "inverter.zbook"
    with BookWriter(book) as writer:
        unit = read_unit(ROOT / "examples" / "units" / "thornwade-tw300.toml")
        writer.revise("unit", unit.tag, unit, "test")
        writer.revise("rig", "bench", read_rig(ROOT / "examples" / "rigs" / "simulated-inverter.toml"), "test")
    hands = open_window(book)
    assert "inverter_output" in {p.procedure for p in hands.window.session.plan.parts}
    hands.station(2)
    hands.qtbot.waitUntil(lambda: "Working out" not in hands.words(), timeout=20_000)
    assert "decides 2" in hands.words()
    assert "no procedure yet" not in hands.words()
