"""Workshop in the window, by keys: boxes in the drawing, what a unit says, nonsense, the log, and a plan of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit
from tests.ui.conftest import Hands, reread

from zincsmith.model.events import Noted
from zincsmith.procedures.planning import Planned
from zincsmith.ui.stations.workshop import WorkshopStation
from zincsmith.workshop.catalogue import names, sum_of

Open = Callable[[Path], Hands]
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def opened(open_window: Open, make_book: Callable[..., Path]) -> tuple[Hands, WorkshopStation]:
    hands = open_window(make_book(by_hand=False))
    hands.press(Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    station = hands.window.stations["Workshop"]
    assert isinstance(station, WorkshopStation)
    return hands, station


def typed(hands: Hands, text: str) -> None:
    """Into the box that has the focus, left with Enter."""
    box = QApplication.focusWidget()
    assert isinstance(box, QLineEdit)
    box.selectAll()
    hands.type(text)
    hands.press(Qt.Key.Key_Return)


def test_a_divider_is_worked_out_by_keys_and_kept_in_the_log(opened: tuple[Hands, WorkshopStation]) -> None:
    hands, station = opened
    assert (station.result.text(), station.value.text(), station.unit.text()) == ("Output", "5.123", "V")
    assert "in a hundred sets of parts" in station.span.text()
    hands.press(Qt.Key.Key_Tab)  # the reference's tolerance
    hands.press(Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is station.drawing.places["upper"].value
    typed(hands, "27k")
    assert station.drawing.places["upper"].value.text() == "27 kΩ"
    assert station.value.text() == "3.208"
    typed(hands, "a lot")
    assert station.value.text() == "–"
    assert "does not start with a number" in station.problem.text()
    assert station.drawing.places["upper"].value.property("wrong")
    hands.press(Qt.Key.Key_L, CTRL)
    assert "no result to keep" in station.problem.text()
    typed(hands, "27k")
    assert not station.problem.text()
    hands.press(Qt.Key.Key_L, CTRL)
    path = hands.window.session.book_path

    def noted() -> list[str]:
        with reread(path) as book:
            return [w.event.text for w in book.events(kinds=(Noted,)) if isinstance(w.event, Noted)]

    hands.until(noted)
    (text,) = noted()
    assert text.startswith("Worked out, not measured: Feedback divider.")
    assert "Output 3.2083 V (" in text


def test_what_was_said_of_a_sum_is_still_there_when_it_is_opened_again(opened: tuple[Hands, WorkshopStation]) -> None:
    hands, station = opened
    station.shelf.tiles["discharge"].setFocus()
    hands.press(Qt.Key.Key_Return)
    assert station.sum.name == "discharge"
    station.drawing.places["resistor"].value.setFocus()
    typed(hands, "1k")
    once = station.value.text()
    station.shelf.tiles["heat"].setFocus()
    hands.press(Qt.Key.Key_Return)
    station.shelf.tiles["discharge"].setFocus()
    hands.press(Qt.Key.Key_Return)
    assert station.value.text() == once
    assert station.drawing.places["resistor"].value.text() == "1 kΩ"


def test_what_was_said_is_taken_back_step_by_step_and_said_again(opened: tuple[Hands, WorkshopStation]) -> None:
    """Sum by sum; what cannot be is no step, and what is typed but not given yet is the box's own to take back."""
    hands, station = opened
    begun = station.value.text()
    station.drawing.places["upper"].value.setFocus()
    typed(hands, "27k")
    once = station.value.text()
    typed(hands, "a lot")
    typed(hands, "33k")
    twice = station.value.text()
    assert len({begun, once, twice}) == 3

    def step(back: bool) -> str:
        hands.press(Qt.Key.Key_Z, CTRL if back else CTRL | Qt.KeyboardModifier.ShiftModifier)
        return station.value.text()

    assert [step(True), step(True), step(False), step(False), step(True)] == [once, begun, once, twice, once]
    assert station.drawing.places["upper"].value.text() == "27 kΩ"
    hands.type("9")
    hands.press(Qt.Key.Key_Z, CTRL)
    assert (station.drawing.places["upper"].value.text(), station.value.text()) == ("27 kΩ", once)
    station.open_sum("heat")
    hands.press(Qt.Key.Key_Z, CTRL)
    assert "Nothing to take back of this sum" in station.problem.text()
    hands.press(Qt.Key.Key_T, CTRL)
    station.open_sum("divider")
    assert (step(True), step(False)) == (begun, once), "other sums have steps of their own"
    station.drawing.places["upper"].value.setFocus()
    typed(hands, "12k")
    step(False)
    assert "Nothing to say again" in station.problem.text(), "what is said anew goes on from here"


def test_every_sum_opens_and_shows_its_result(opened: tuple[Hands, WorkshopStation]) -> None:
    _, station = opened
    for name in names():
        station.open_sum(name)
        assert station.found is not None, name
        assert station.value.text() not in ("", "–"), name
        assert not station.problem.text(), name
        assert set(station.drawing.places) == {i.key for i in sum_of(name).inputs}
        assert not station.drawing.grab().isNull()


def test_a_sum_takes_from_the_unit_and_becomes_a_plan(opened: tuple[Hands, WorkshopStation]) -> None:
    hands, station = opened
    hands.press(Qt.Key.Key_T, CTRL)
    assert station.drawing.places["wanted"].value.text() == "24 V"
    assert "output voltage" in station.beside.claim.text(), "5.1 V of its defaults on the ruler of 24 V"
    assert "would not hold (hollow)" in station.beside.words.text()
    assert "would not hold" in station.beside.ruler.accessibleDescription()
    station.shelf.tiles["decibel"].setFocus()
    hands.press(Qt.Key.Key_Return)
    hands.press(Qt.Key.Key_T, CTRL)
    assert "Nothing for this sum" in station.problem.text()
    assert not station.plan_it.isEnabled()
    assert not station.beside.isVisible(), "nobody claims decibels"
    station.open_sum("divider")
    hands.press(Qt.Key.Key_Return, CTRL)
    plan = hands.window.session.plan
    assert not station.problem.text()
    assert plan.name == "Feedback divider: foreseen, then measured"
    grids = [p for p in plan.parts if p.procedure == "static_grid"]
    assert len(grids) == 2, "as it is, and with what the sum is about"
    (change,) = [p for p in plan.parts if isinstance(p, Planned) and p.becomes]
    assert change.becomes == "with feedback divider"
    assert "worked out: output 5.1233 V (" in change.changes  # type: ignore[attr-defined]
    assert hands.window.current is hands.window.stations["Plan"]
