"""A bench that is set and read by hand, driven from the keyboard: the figures of a worked example come out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from tests.ui.conftest import Hands
from tests.ui.test_path import CTRL, start

from zincsmith.book.writer import BookWriter
from zincsmith.judge.judging import judge_run
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Accuracy, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import GridOptions

# Trade notes, section 3 (common practice, no source): 8.86 V x 0.7 A for 8 W in is 77.5 %.
EXAMPLE = {
    "input_voltage": "115",
    "input_current": "139m",
    "input_power": "8",
    "power_factor": "0.5",
    "output_voltage": "8.86",
    "output_current": "0.7",
}


@pytest.fixture
def book(tmp_path: Path, unit: Unit, rig: Rig) -> Path:
    """A 9 V 0.7 A unit; power meter, voltmeter and load without a cable, all of them read to 0.5 %."""
    plate = unit.nameplate
    small = replace(plate.outputs[0], voltage_V=9.0, current_A=0.7, power_W=None)
    ranges = {"power_meter": ("input_voltage", "input_current", "input_power", "power_factor"),
              "voltmeter": ("output_voltage",), "load": ("output_current",)}  # fmt: skip
    instruments = tuple(
        replace(
            i,
            how="by hand",
            phase_error_deg=None,
            accuracy=tuple(Accuracy(q, 300.0, reading_percent=0.5) for q in ranges[i.role]),
        )
        if i.role in ranges
        else i
        for i in rig.instruments
        if i.role != "thermometer"
    )
    options = GridOptions(lines=(Line(115.0, 60.0),), loads_percent=(100.0,), warm_up_s=0.0, settle_at_most_s=12.0)
    path = tmp_path / "hand.zbook"
    with BookWriter(path) as writer:
        nameplate = replace(plate, outputs=(small,), claims=(), rules=(), total_power_W=None)
        writer.revise("unit", unit.tag, replace(unit, nameplate=nameplate), "test")
        writer.revise("rig", "bench", replace(rig, instruments=instruments, leads=()), "test")
        writer.revise("plan", "plan", Plan("By hand", (options,)), "test")
    return path


def test_a_run_by_hand_gives_the_figures_of_the_example(open_window: Callable[[Path], Hands], book: Path) -> None:
    hands = open_window(book)
    session = hands.window.session
    start(hands)
    typed: list[str] = []
    while session.state not in (State.SAFE, State.NOT_CONFIRMED):
        hands.until(
            lambda: (
                session.view.turn is not None
                or session.view.asked is not None
                or session.state in (State.SAFE, State.NOT_CONFIRMED)
            )
        )
        gate, asked = session.view.turn, session.view.asked
        if asked is not None:
            panel = hands.window.stations["Run"].dashboard.your_turn
            hands.until(lambda panel=panel: hands.focus() is panel.line)
            hands.type(EXAMPLE[asked.quantity])
            hands.press(Qt.Key.Key_Return)
            if panel.problem.text():  # far from what the plate lets expect: taken all the same
                hands.press(Qt.Key.Key_Return)
            typed.append(asked.quantity)
            hands.until(lambda asked=asked: session.view.asked is not asked)
        elif gate is not None:
            hands.press(Qt.Key.Key_Space)
            hands.press(Qt.Key.Key_Return, CTRL)
            hands.until(lambda gate=gate: session.view.turn is not gate)
    hands.until(lambda: session.state is State.SAFE)
    assert sorted(typed) == sorted(EXAMPLE)
    assert session.reader is not None
    run = judge_run(session.reader)
    found = {j.finding.name: j.finding for j in run.judged if j.finding.value is not None}
    eta = found["efficiency"]
    assert eta.value == pytest.approx(8.86 * 0.7 / 8.0)
    assert round(100.0 * eta.value, 1) == 77.5
    assert eta.u == pytest.approx(eta.value * 0.005, rel=1e-3), (
        "three readings of 0.5 %, rectangular: 0.5 % x sqrt(3 / 3)"
    )
    assert found["power_factor"].value == pytest.approx(8.0 / (115.0 * 0.139))
    hands.station(5)
    hands.until(lambda: hands.window.stations["Findings"].run is not None)
    assert "typed “8.86”" in str(hands.window.stations["Findings"].working._readings)
