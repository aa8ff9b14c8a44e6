"""A sick unit raised by hand through the station: the stop rule takes the centre, and going down ends in SWITCH OFF."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from tests.ui.conftest import Hands
from tests.ui.test_path import CTRL, start

from zincsmith.book.writer import BookWriter
from zincsmith.model.events import HandSetting, SensesAsked, StopRuleMet
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.bring_up.options import BringUpOptions

SICK = {"input_voltage": "12", "input_current": "3m", "input_power": "9", "output_voltage": "0.01"}


@pytest.fixture
def book(tmp_path: Path, unit: Unit, rig: Rig) -> Path:
    hand = tuple(replace(i, how="by hand") for i in rig.instruments if i.role != "thermometer")
    path = tmp_path / "hand.zbook"
    with BookWriter(path) as writer:
        writer.revise("unit", unit.tag, unit, "test")
        writer.revise("rig", "bench", replace(rig, instruments=hand), "test")
        writer.revise("plan", "plan", Plan("Up", (BringUpOptions(first_line=Line(115.0, 60.0)),)), "test")
    return path


def test_a_sick_unit_is_stopped_where_it_was_typed(open_window: Callable[[Path], Hands], book: Path) -> None:
    hands = open_window(book)
    session = hands.window.session
    start(hands, "First power")
    gate = hands.window.stations["Run"].gate
    typed: list[str] = []
    while not isinstance(session.view.turn, StopRuleMet):
        hands.until(lambda: session.view.turn is not None or session.view.asked is not None)
        turn, asked = session.view.turn, session.view.asked
        if asked is not None:
            panel = hands.window.stations["Run"].dashboard.your_turn
            hands.until(lambda panel=panel: hands.focus() is panel.line)
            hands.type(SICK[asked.quantity])
            hands.press(Qt.Key.Key_Return)
            if panel.problem.text():
                hands.press(Qt.Key.Key_Return)  # far from what is expected: typed all the same
            typed.append(asked.quantity)
            hands.until(lambda asked=asked: session.view.asked is not asked)
        elif turn is not None and not isinstance(turn, StopRuleMet):
            hands.until(lambda turn=turn: gate._turn is turn)
            if isinstance(turn, HandSetting) and turn.target_V is not None:
                assert "Switch off first, type later" in hands.words()
                hands.type("12")
            elif not isinstance(turn, SensesAsked):
                hands.press(Qt.Key.Key_Space)
            hands.press(Qt.Key.Key_Return, CTRL)
            hands.until(lambda turn=turn: session.view.turn is not turn)
    hands.until(lambda: "STOP RULE" in hands.words())
    assert "Input watts reached 9 W" in hands.words()
    assert not hands.button("Continue under this reason").isEnabled()
    hands.click("Go down and switch off  Ctrl+Enter")
    hands.until(lambda: session.state is State.MAKING_SAFE and "SWITCH OFF" in hands.words())
    for _ in range(3):  # source, output, load
        before = session.view.turn
        hands.until(lambda: gate._turn is session.view.turn and session.view.turn is not None)
        hands.press(Qt.Key.Key_Space)
        hands.press(Qt.Key.Key_Return, CTRL)
        hands.until(lambda before=before: session.view.turn is not before or session.state is State.SAFE)
        if session.state is State.SAFE:
            break
    hands.until(lambda: session.state is State.SAFE)
    assert "confirmed by Test engineer" in hands.words()
    assert "read back" not in hands.words(), "a hand did it"
