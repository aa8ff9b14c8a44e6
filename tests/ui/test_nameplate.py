"""Nameplate through typing: claims follow, nonsense stays where it stands, undo and redo."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTableWidget
from tests.ui.conftest import Hands, reread

Open = Callable[[Path], Hands]
Make = Callable[..., Path]


def claims(hands: Hands) -> list[tuple[str, str]]:
    table = next(t for t in hands.window.findChildren(QTableWidget) if t.accessibleName() == "Claims" and t.isVisible())
    return [(table.item(r, 0).text(), table.item(r, 1).text()) for r in range(table.rowCount())]


def test_claims_follow_the_ratings(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    assert ("Output voltage", "24 V ±2 %") in claims(hands)
    hands.fill("Tolerance ± %", "1,5")
    hands.until(lambda: ("Output voltage", "24 V ±1.5 %") in claims(hands))
    hands.fill("Output power W", "45")
    hands.until(lambda: any("87.73 %" in value for _, value in claims(hands)))
    hands.fill("Tolerance ± %", "")
    hands.until(lambda: not any(name == "Output voltage" for name, _ in claims(hands)))
    with reread(book) as reader:
        assert reader.unit().nameplate.output.tolerance_percent is None
        assert reader.unit().nameplate.output.power_W == 45.0


@pytest.mark.parametrize(
    ("name", "typed", "reason"),
    [
        ("Input from V", "300", "above the upper end"),
        ("Output V", "0", "cannot be a rating"),
        ("Output V", "1e99", "beyond anything"),
        ("Output current A", "lots", "does not start with a number"),
        ("Output current A", "2.5 V", "this reading is in A"),
        ("Maker", "", "needed"),
        ("Frequencies Hz", "fifty", "50/60"),
        ("No-load power ≤ W", "1,200", "1.200 or 1200"),
    ],
)
def test_nonsense_is_refused_where_it_stands(
    open_window: Open, make_book: Make, name: str, typed: str, reason: str
) -> None:
    book = make_book()
    hands = open_window(book)
    before = claims(hands)
    hands.fill(name, typed)
    edit = hands.line(name)
    assert edit.text() == typed, "what was typed stays"
    assert edit.property("wrong") is True
    assert reason in hands.words()
    assert claims(hands) == before
    hands.fill("Serial", "X1")
    assert edit.text() == typed
    with reread(book) as reader:
        assert reader.unit().serial == "4417-0382", "nothing is committed while a field is wrong"
        assert reader.unit().nameplate.input.voltage_min_V == 100.0


def test_undo_and_redo_from_the_keyboard(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    hands.fill("Maker", "Harrowgate")
    hands.until(lambda: hands.button("Undo").isEnabled())
    hands.fill("Output current A", "3")
    hands.until(lambda: any("0 to 3 A" in row for row in [_condition(hands)]))
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: hands.line("Output current A").text() == "2.5")
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: hands.line("Maker").text() == "Tarnbrook")
    assert not hands.button("Undo").isEnabled()
    hands.click("Redo")
    hands.until(lambda: hands.line("Maker").text() == "Harrowgate")
    with reread(book) as reader:
        assert reader.unit().maker == "Harrowgate"


def _condition(hands: Hands) -> str:
    table = next(t for t in hands.window.findChildren(QTableWidget) if t.accessibleName() == "Claims" and t.isVisible())
    return table.item(0, 2).text()


def test_the_rule_and_class_are_chosen_explicitly(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    station = hands.window.stations["Nameplate"]
    choice = station.rule
    choice.setFocus()
    choice.setCurrentIndex(0)
    choice.activated.emit(0)
    hands.until(lambda: not any("Level VI" in value for _, value in claims(hands)))
    at = next(k for k in range(choice.count()) if "several output voltages" in choice.itemText(k))
    choice.setCurrentIndex(at)
    choice.activated.emit(at)
    hands.until(lambda: any("≥ 86 % (Level VI, multiple voltage)" in value for _, value in claims(hands)))


def test_a_new_book_begins_with_an_empty_plate(open_window: Open, tmp_path: Path) -> None:
    book = tmp_path / "new.zbook"
    hands = open_window(book)
    assert "Type maker, model, tag" in hands.words()
    for name, text in (
        ("Maker", "Harrowgate"),
        ("Model", "HG-5"),
        ("Tag", "T1"),
        ("Input from V", "100"),
        ("Input to V", "240"),
        ("Frequencies Hz", "50/60"),
        ("Output V", "5"),
        ("Output current A", "2"),
    ):
        hands.fill(name, text)
    hands.until(lambda: hands.window.session.unit is not None)
    assert claims(hands) == [], "nothing was stated, nothing is claimed"
    hands.station(3)
    assert "There is no rig yet" in hands.words()
    hands.station(4)
    assert not hands.button("Start").isEnabled()
    hands.station(5)
    assert "No run yet" in hands.words()
    hands.station(2)
    assert "no rig yet" in hands.words()


def test_a_label_line_fills_the_fields_and_what_is_not_read_stays(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    line = hands.line("Line of the label")
    line.setFocus()
    hands.type("OUTPUT 19.5V 3.34A 65W +/-5% IP20 gold")
    assert "OUTPUT 19.5V DC 3.34A 65W" in hands.words()
    assert "<u>gold</u>" in hands.words()
    before = claims(hands)
    assert ("Output voltage", "24 V ±2 %") in before, "nothing is taken before Enter"
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: ("Output voltage", "19.5 V ±5 %") in claims(hands))
    assert line.text() == "gold"
    assert hands.line("Output current A").text() == "3.34"
    with reread(book) as reader:
        plate = reader.unit().nameplate
        assert (plate.output.voltage_V, plate.output.power_W) == (19.5, 65.0)
        assert plate.marks[-1] == "IP20"
        assert plate.input.voltage_max_V == 240.0, "what the line does not speak of stays"
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type("INPUT 300-100V~ 2A")
    hands.press(Qt.Key.Key_Return)
    assert line.text() == "INPUT 300-100V~ 2A", "nothing of it made sense"
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type("5V 3A / 9V 3A")
    assert "no field yet" in hands.words()


def test_a_label_that_makes_no_sense_is_marked_at_its_field(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    hands.line("Line of the label").setFocus()
    hands.type("24V 9000A")
    hands.press(Qt.Key.Key_Return)
    assert hands.line("Output current A").property("wrong") is True
    assert "cannot be a rating" in hands.words()
    with reread(book) as reader:
        assert reader.unit().nameplate.output.current_A == 2.5
