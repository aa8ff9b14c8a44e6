"""A part with many readings by hand is shown as a sheet that fills as it is typed, in the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from tests.conftest import ROOT
from tests.engine.scripted import by_hand
from tests.ui.conftest import Hands

from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.commands import Abort, Pass, StartRun
from zincsmith.model.plan import Line, Plan
from zincsmith.model.states import State
from zincsmith.procedures.cross_regulation.options import ENDS, CrossOptions
from zincsmith.ui.widgets.entry_sheet import EntryRow, EntrySheet, columns_of, heading

EXAMPLES = ROOT / "examples"
RAILS = ("+5 V", "+12 V", "-12 V")


@pytest.fixture
def book(tmp_path: Path) -> Path:
    """The open frame with three rails whose volts a person reads."""
    unit = read_unit(EXAMPLES / "units" / "brindlow-of45.toml")
    rig = by_hand(read_rig(EXAMPLES / "rigs" / "simulated-three-rails.toml"), "voltmeter")
    rig = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "scope"))
    assert rig.standin is not None
    pick_file(str(rig.standin.file))
    part = CrossOptions(line=Line(230.0, 50.0), levels_percent=ENDS, least_load=False, warm_up_s=0.0, settle_s=1.0,
                        average_s=1.0)  # fmt: skip
    path = tmp_path / "hand.zbook"
    with BookWriter(path) as writer:
        writer.revise("unit", unit.tag, unit, "test")
        writer.revise("rig", "bench", rig, "test")
        writer.revise("plan", "plan", Plan("Cross", (part,)), "test")
    return path


def test_a_matrix_of_rails_and_loads_is_filled_by_enter(open_window: Callable[[Path], Hands], book: Path) -> None:
    hands = open_window(book)
    session = hands.window.session
    hands.until(lambda: session.unit is not None and session.client.fileno >= 0)
    hands.station(4)
    assert session.unit is not None
    session.send(StartRun(session.unit.tag, "Ann", 23.0))
    passed: list[int] = []

    def asked() -> bool:
        if session.state is State.GATE and session.view.turn is not None and id(session.view.turn) not in passed:
            passed.append(id(session.view.turn))
            session.send(Pass())
        return session.state is State.ASKING and session.view.asked is not None

    hands.until(asked)
    sheet = hands.window.findChild(EntrySheet)
    assert sheet is not None
    hands.until(lambda: sheet.isVisible())
    assert [sheet.horizontalHeaderItem(k).text() for k in range(4)] == ["Point", *(f"{rail}, V" for rail in RAILS)]
    assert sheet.rowCount() == 8, "two ends of each of three loads, few changed at a time"
    assert sheet.item(0, 1).text() == "now"
    for k, (rail, typed) in enumerate(zip(RAILS, ("5.02", "11.9", "-12.1"), strict=True), start=1):
        hands.until(lambda rail=rail: asked() and session.view.asked.quantity == f"output_voltage@{rail}")
        hands.type(typed)
        hands.press(Qt.Key.Key_Return)
        hands.until(lambda k=k, typed=typed: sheet.item(0, k).text() == f"{float(typed):g}")
    hands.until(lambda: asked() and sheet.item(1, 1).text() == "now")
    assert sheet.item(2, 1).text() == "·", "still to come"
    session.send(Abort())
    hands.until(lambda: session.state is State.SAFE)


def test_a_sheet_is_for_many_readings_only() -> None:
    two = ("output_voltage@a", "output_voltage@b")
    assert EntrySheet.wanted([EntryRow(n, "", two, {}) for n in (1, 2)])
    assert not EntrySheet.wanted([EntryRow(1, "", two, {})])
    assert not EntrySheet.wanted([EntryRow(n, "", two[:1], {}) for n in range(9)]), "one reading a point is asked for"
    assert columns_of([EntryRow(1, "", two[1:], {}), EntryRow(2, "", two, {})]) == [two[1], two[0]]
    assert heading("output_current@+12 V") == "+12 V, A"
    assert heading("case_temperature") == "Case temperature, °C"
