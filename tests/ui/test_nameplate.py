"""Nameplate through typing: the label, fields, claims, look-over, parts, photographs; undo and redo of all of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDragEnterEvent, QDropEvent, QImage
from PySide6.QtWidgets import QApplication, QCheckBox
from tests.conftest import ROOT, first, sampled
from tests.ui.conftest import Hands, reread

from zincsmith.book.writer import BookWriter
from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.model.intake import Part
from zincsmith.model.unit import OutputRating, Unit
from zincsmith.ui.nameplate.photos import PhotoStrip

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
CTRL = Qt.KeyboardModifier.ControlModifier


def claims(hands: Hands) -> list[tuple[str, str]]:
    table = hands.table("Claims")
    rows = [(table.item(r, 0), table.item(r, 1)) for r in range(table.rowCount())]
    return [(a.text(), b.text()) for a, b in rows if a is not None and b is not None]


def in_book(book: Path) -> Unit:
    with reread(book) as reader:
        return reader.unit()


def settle(hands: Hands) -> None:
    """Until the engine has written what was typed."""
    hands.until(lambda: hands.window.session._unanswered == 0)


def page(hands: Hands, name: str) -> None:
    hands.click(f"Page: {name}")
    QApplication.processEvents()


# The label


def test_a_line_of_the_label_is_read_while_it_is_typed(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    line = hands.line("Label line 2")
    line.setFocus()
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("OUTPUT 19.5V 3.34A 65W ±5% gold")
    assert ("Output voltage", "19.5 V ±5 %") in claims(hands), "shown before it is taken"
    assert "“gold” is kept as a name" in hands.words()
    assert in_book(book).nameplate.output.voltage_V == 24.0
    hands.press(Qt.Key.Key_Return)
    settle(hands)
    plate = in_book(book).nameplate
    assert (plate.output.voltage_V, plate.output.current_A, plate.output.power_W) == (19.5, 3.34, 65.0)
    assert plate.output.load_regulation_percent == 1.0, "what the lines do not speak of stays"
    assert line.text() == "OUTPUT 19.5V 3.34A 65W ±5% gold", "nothing is dropped"
    assert in_book(book).label[1] == line.text()
    assert hands.focus() is hands.line("Label line 3"), "on to the next line"
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until(lambda: hands.line("Label line 2").text() == "OUTPUT 24V DC 2.5A 60W ±2%")
    assert ("Output voltage", "24 V ±2 %") in claims(hands)


def test_what_was_typed_once_lights_up_together(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    station, table = hands.window.stations["Nameplate"], hands.table("Claims")

    def lit() -> tuple[set[int], set[str], set[str]]:
        rows = {n for n, row in enumerate(station.lines.rows) if row.property("lit")}
        names = set()
        for r in range(table.rowCount()):
            item = table.item(r, 1)
            if item is not None and item.background().style() != Qt.BrushStyle.NoBrush:
                names.add(table.item(r, 0).text())
        return rows, set(station.plate._lit), names

    hands.line("Label line 2").setFocus()
    assert lit() == ({1}, {"output 0"}, {"Output voltage", "Load regulation", "Line regulation"})
    hands.line("Label line 1").setFocus()
    assert lit() == ({0}, {"input 0"}, {"Input current"})
    hands.line("Label line 5").setFocus()
    assert lit()[1] == {"marks"}
    table.setFocus()
    table.setCurrentCell(1, 0)
    assert lit()[:2] == ({1}, {"output 0"})
    table.setCurrentCell(next(r for r, (name, _) in enumerate(claims(hands)) if name == "Hottest part"), 0)
    assert lit() == (set(), set(), set()), "nothing on the label speaks of it"


def test_a_comma_before_three_digits_is_asked_back(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    hands.line("Label line 3").setFocus()
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("no-load <= 1,200W")
    assert "1.200 or 1200" in hands.words()
    assert sum(name == "No-load power" for name, _ in claims(hands)) == 3, "of the listing and the rule; none guessed"


def test_a_label_that_makes_no_sense_is_not_taken(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    line = hands.line("Label line 2")
    line.setFocus()
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type("24V 9000A")
    hands.press(Qt.Key.Key_Return)
    assert "cannot be a rating" in hands.words()
    assert line.text() == "24V 9000A", "what was typed stays"
    settle(hands)
    assert in_book(book).nameplate.output.current_A == 2.5


def test_an_empty_book_begins_with_an_empty_plate(open_window: Open, tmp_path: Path) -> None:
    book = tmp_path / "new.zbook"
    hands = open_window(book)
    assert "Begin with maker and model" in hands.words()
    hands.fill("Maker", "Harrowgate")
    hands.fill("Model", "HG-5")
    for n, text in enumerate(("INPUT 100-240V~ 50/60Hz 0.3A", "OUTPUT 5V DC 2A"), 1):
        hands.line(f"Label line {n}").setFocus()
        hands.type(text)
        hands.press(Qt.Key.Key_Return)
    hands.fill("Tag", "T1")
    settle(hands)
    unit = in_book(book)
    assert (unit.tag, unit.maker, unit.nameplate.output.voltage_V) == ("T1", "Harrowgate", 5.0)
    assert claims(hands) == [
        ("Output voltage", "5 V as printed, no tolerance stated"), ("Input current", "≤ 0.3 A"),
    ], "nothing was stated, nothing is claimed"  # fmt: skip
    for station, words in ((3, "There is no rig yet"), (5, "No run yet"), (2, "no rig yet")):
        hands.station(station)
        hands.until(lambda words=words: words in hands.words())


# Fields


def test_fields_change_what_lines_cannot_say(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    hands.click("Ratings as: Fields")
    hands.type_into("Outputs", 0, "± %", "1,5")
    hands.until(lambda: ("Output voltage", "24 V ±1.5 %") in claims(hands))
    hands.type_into("Outputs", 0, "± %", "")
    hands.until(lambda: ("Output voltage", "24 V as printed, no tolerance stated") in claims(hands))
    hands.type_into("Outputs", 0, "W", "45")
    hands.until(lambda: any("87.73 %" in value for _, value in claims(hands)))
    hands.type_into("Inputs", 1, "input", "battery")
    assert "voltage is needed" in hands.words()
    hands.type_into("Inputs", 1, "from V", "12")
    hands.type_into("Inputs", 1, "fed with", "d")
    settle(hands)
    plate = in_book(book).nameplate
    assert (plate.output.tolerance_percent, plate.output.power_W) == (None, 45.0)
    assert [(i.name, i.type, i.voltage_V) for i in plate.inputs][1] == ("battery", "dc", (12.0, 12.0))
    hands.table("Inputs").setCurrentCell(1, 0)
    hands.press(Qt.Key.Key_Delete, CTRL)
    settle(hands)
    assert len(in_book(book).nameplate.inputs) == 1


@pytest.mark.parametrize(
    ("table", "heading", "typed", "reason"),
    first(
        2,
        ("Inputs", "from V", "300", "above the upper end"),
        ("Outputs", "A", "2.5 V", "this reading is in A"),
        ("Inputs", "Hz", "fifty", "50/60"),
        ("Outputs", "V", "0", "cannot be a rating"),
        ("Outputs", "A", "lots", "does not start with a number"),
        ("Outputs", "A", "1,200", "1.200 or 1200"),
    ),
)
def test_nonsense_is_refused_where_it_stands(
    open_window: Open, make_book: Make, table: str, heading: str, typed: str, reason: str
) -> None:
    book = make_book()
    hands = open_window(book)
    before = claims(hands)
    hands.click("Ratings as: Fields")
    hands.type_into(table, 0, heading, typed)
    assert hands.read(table, 0, heading) == typed, "what was typed stays"
    assert reason in hands.words()
    assert claims(hands) == before
    settle(hands)
    assert in_book(book).nameplate.input.voltage_V == (100.0, 240.0)


def test_undo_and_redo_of_every_edit_from_the_keyboard(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    first = in_book(book)
    hands.fill("Maker", "Harrowgate")
    settle(hands)
    hands.click("Ratings as: Fields")
    hands.type_into("Outputs", 0, "A", "3")
    settle(hands)
    page(hands, "Terminals")
    hands.type_into("Terminals", 2, "terminal", "cord screen")
    settle(hands)
    last = in_book(book)
    assert (last.maker, last.nameplate.output.current_A, len(last.terminals)) == ("Harrowgate", 3.0, 3)
    for _ in range(3):
        hands.press(Qt.Key.Key_Z, CTRL)
        settle(hands)
    assert in_book(book) == first
    assert not hands.button("Undo").isEnabled()
    for _ in range(3):
        hands.click("Redo")
        settle(hands)
    assert in_book(book) == last


# Claims


def test_a_claim_is_added_edited_and_dropped_by_hand(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    table = hands.table("Claims")
    table.setFocus()
    hands.press(Qt.Key.Key_N, CTRL)
    form = hands.window.stations["Nameplate"].claims.form
    form.figure.setCurrentIndex(form.figure.findData("hot_spot"))
    hands.press(Qt.Key.Key_Return)
    assert "State at least or at most" in hands.words()
    hands.fill("Claim: At most", "70 C")
    hands.fill("Claim: Ambient from degC", "40")
    hands.fill("Claim: For minutes (0 continuous) 1", "0")
    form.source.setCurrentText("manual")
    hands.press(Qt.Key.Key_Return)
    settle(hands)
    made = in_book(book).nameplate.claims[-1]
    assert (made.figure, made.high, made.source, made.side) == ("hot_spot", 70.0, "manual", None)
    assert (made.condition.ambient_degC, made.condition.duration_s) == ((40.0, 40.0), 0.0)
    row = next(r for r, (name, value) in enumerate(claims(hands)) if value == "≤ 70 °C")
    table.setCurrentCell(row, 0)
    table.setFocus()
    hands.press(Qt.Key.Key_E, CTRL)
    hands.fill("Claim: At most", "65")
    form.side.setCurrentText("input")
    hands.press(Qt.Key.Key_Return)
    settle(hands)
    assert (in_book(book).nameplate.claims[-1].high, in_book(book).nameplate.claims[-1].side) == (65.0, "input")
    table.setCurrentCell(0, 0)
    hands.press(Qt.Key.Key_Delete, CTRL)
    settle(hands)
    assert in_book(book).nameplate.dropped == ("output_voltage",)
    assert table.item(0, 4).text() == "dropped", "it stays legible"
    hands.press(Qt.Key.Key_Delete, CTRL)
    settle(hands)
    assert in_book(book).nameplate.dropped == ()


def test_sources_that_differ_are_shown_and_one_is_chosen(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    table = hands.table("Claims")
    at = next(r for r, one in enumerate(claims(hands)) if one == ("No-load power", "≤ 0.21 W"))
    table.setCurrentCell(at, 0)
    assert "Sources differ: label says ≤ 0.21 W; listing says ≤ 0.1 W" in hands.words()
    hands.click("Judge by: listing")
    settle(hands)
    plate = in_book(book).nameplate
    assert plate.dropped == ("no_load_power",)
    assert next(c for c in plate.claims if c.source == "listing").kept
    assert "Required by the customer, apart from the nameplate" in [
        table.item(r, 0).text() for r in range(table.rowCount())
    ]


def test_the_rule_and_class_are_chosen_explicitly(open_window: Open, make_book: Make) -> None:
    hands = open_window(make_book())
    choice = hands.window.stations["Nameplate"].claims.rule
    assert "24 V is not below 6 V" in hands.words(), "the class is explained"
    choice.setFocus()

    def pick(words: str) -> None:
        at = next(k for k in range(1, choice.count()) if words in choice.itemText(k))
        choice.setCurrentIndex(at)
        choice.activated.emit(at)

    def said(value: str) -> bool:
        return any(v.startswith(value) for _, v in claims(hands))

    assert choice.currentText() == "Level VI", "what is in force stands in the line"
    pick("held to")  # the one it is held to once more: no longer
    hands.until(lambda: not said("≥ 88 %"))
    assert "Would be “ac-dc basic”" in hands.words()
    assert choice.currentText() == "no published rule"
    pick("Level VI: several output voltages")
    hands.until(lambda: said("≥ 86 %"))
    assert "The plate suggests “ac-dc basic”" in hands.words()
    pick("Level VI: AC-DC, one output voltage, 6 V")  # another class of the same rule: instead
    hands.until(lambda: said("≥ 88 %") and not said("≥ 86 %"))
    pick("CoC tier 2: one output voltage, 6 V")  # a second rule: besides
    hands.until(lambda: said("≥ 89 %") and said("≥ 79 %") and said("≥ 88 %"))
    assert choice.currentText() == "Level VI; CoC tier 2"


# Looking it over


def test_the_look_over_blocks_the_plan_until_somebody_answers_for_it(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    page(hands, "Look-over")
    hands.type_into("Outside", 1, "seen", "f")
    settle(hands)
    seen = {i.what: i.seen for i in in_book(book).look.items}
    assert seen["Safety mark"] == "found"
    hands.fill("Mass without cord, g", "214")
    hands.fill("Size, mm", "100 x 50")
    assert "type three lengths" in hands.words()
    hands.fill("Size, mm", "100 x 50 x 30")
    hands.click("Verdict of the look-over: not worth powering")
    settle(hands)
    assert in_book(book).look.physical.size_mm == (100.0, 50.0, 30.0)
    hands.station(3)
    assert "not worth powering" in hands.words()
    hands.station(4)
    assert not hands.button("Start").isEnabled()
    hands.station(1)
    hands.fill("Powered all the same because", "wanted as a bad example")
    hands.fill("Decided by", "Test engineer")
    settle(hands)
    hands.station(3)
    assert "not worth powering" not in hands.words()
    hands.station(4)
    assert hands.button("Start").isEnabled()


def test_parts_terminals_configurations_and_safety_records(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    page(hands, "Parts")
    row = hands.table("Parts").rowCount() - 1
    hands.type_into("Parts", row, "part", "C9")
    hands.type_into("Parts", row, "what", "o")
    hands.type_into("Parts", row, "rated V", "16")
    settle(hands)
    assert in_book(book).look.parts[-1].rated_V == 16.0
    assert hands.read("Parts", row, "of rating") == "153 %"
    assert "too small" in hands.read("Parts", row, "worked out from")
    hands.type_into("Parts", row, "drops", "35")
    settle(hands)
    assert "neither volts" in hands.words()
    assert in_book(book).look.parts[-1].ohm is None
    hands.type_into("Parts", row, "drops", "35 mohm")
    settle(hands)
    assert (in_book(book).look.parts[-1].ohm, in_book(book).look.parts[-1].drop_V) == (0.035, None)
    assert hands.read("Parts", row, "drops") == "0.035 Ω"
    page(hands, "Terminals")
    hands.type_into("Terminals", 0, "identity and polarity", "a")
    hands.type_into("Configurations", 1, "in force", "y")
    settle(hands)
    unit = in_book(book)
    assert (unit.terminals[0].checked, unit.configuration) == ("assumed", "case open")
    assert "case open" in hands.window.unit_strip.accessibleName(), "the strip says it on every station"
    before = len(unit.to_restore)
    hands.type_into("To restore", 0, "ticked off", "y")
    settle(hands)
    assert len(in_book(book).to_restore) == before - 1
    page(hands, "Safety")
    assert "Only by a qualified person" in hands.words()
    row = hands.table("Safety records").rowCount() - 1
    hands.type_into("Safety records", row, "test", "i")
    hands.type_into("Safety records", row, "read", "1.5")
    hands.type_into("Safety records", row, "done by", "Elin Ward")
    settle(hands)
    record = in_book(book).safety[-1]
    assert (record.test, record.value, record.low, record.by) == ("insulation resistance", 1.5e6, 2e6, "Elin Ward")
    assert hands.read("Safety records", row, "against the limit") == "OUTSIDE"
    hands.type_into("Safety records", row, "at least", "1")
    settle(hands)
    assert hands.read("Safety records", row, "against the limit") == "within", "limits can be edited"
    box = next(b for b in hands.window.findChildren(QCheckBox) if "isolated source" in b.accessibleName())
    box.setFocus()
    hands.press(Qt.Key.Key_Space)
    settle(hands)
    assert in_book(book).acknowledged == (*unit.acknowledged, "isolation")


def drop(strip: PhotoStrip, *files: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
    kinds = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enter = QDragEnterEvent(QPointF(5, 5).toPoint(), *kinds)
    QApplication.sendEvent(strip, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(strip, QDropEvent(QPointF(5, 5), *kinds))


def test_photographs_are_dropped_captioned_and_stored_once(open_window: Open, make_book: Make, tmp_path: Path) -> None:
    book = make_book()
    hands = open_window(book)
    image = QImage(320, 200, QImage.Format.Format_RGB32)
    image.fill(QColor("steelblue"))
    picture, rubbish = tmp_path / "board, top.png", tmp_path / "rubbish.jpg"
    image.save(str(picture))
    rubbish.write_bytes(b"MZ" + b"\x00" * 100)
    strip = hands.window.stations["Nameplate"].photos
    drop(strip, rubbish)
    hands.until(lambda: "no photograph" in hands.words())
    drop(strip, picture)
    hands.until(lambda: strip.list.count() == 1)
    drop(strip, picture)
    settle(hands)
    hands.fill("Caption of the photograph", "board from above")
    settle(hands)
    photos = in_book(book).look.photographs
    assert [(p.caption, p.width, p.height) for p in photos] == [("board from above", 320, 200)]
    with reread(book) as reader:
        stored = QImage.fromData(reader.photo(photos[0].sha256))
    assert (stored.width(), stored.height()) == (320, 200)
    assert not list(tmp_path.glob(".*.photo")), "nothing lies about"
    hands.click("Remove the photograph")
    settle(hands)
    assert in_book(book).look.photographs == ()
    hands.click("Undo")
    hands.until(lambda: strip.list.count() == 1)


# Several units


def choose(hands: Hands, words: str) -> None:
    which = hands.window.stations["Nameplate"].which
    at = which.findText(words)
    assert at >= 0, [which.itemText(k) for k in range(which.count())]
    which.setCurrentIndex(at)
    which.activated.emit(at)
    settle(hands)


def test_several_units_share_a_book_and_one_is_on_the_bench(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    first = in_book(book)
    choose(hands, "next specimen of this model")
    hands.fill("Serial", "4417-0383")
    settle(hands)
    second = in_book(book)
    assert (second.tag, second.serial, second.nameplate) == ("HB-08", "4417-0383", first.nameplate)
    assert second.look.verdict == "", "nobody has looked at it yet"
    assert {t.checked for t in second.terminals} == {"not checked"}
    choose(hands, "a new unit")
    assert hands.focus() is hands.line("Maker")
    hands.type("Harrowgate")
    hands.press(Qt.Key.Key_Tab)
    settle(hands)
    assert (in_book(book).tag, in_book(book).maker) == ("unit 1", "Harrowgate")
    with reread(book) as reader:
        assert [(r.model, r.tag) for r in reader.units()] == [
            ("", "unit 1"),
            ("TB-2425", "HB-07"),
            ("TB-2425", "HB-08"),
        ]
    choose(hands, "HB-07  TB-2425")
    assert in_book(book) == first, "the other units' edits are their own"
    assert hands.line("Serial").text() == first.serial
    hands.fill("Serial", "changed")
    settle(hands)
    with reread(book) as reader:
        assert (reader.unit("HB-07").serial, reader.unit("HB-08").serial) == ("changed", "4417-0383")
    choose(hands, "HB-08  TB-2425")
    choose(hands, "next specimen of this model")
    assert in_book(book).tag == "HB-09"


# Files and other kinds


def test_a_broken_file_changes_nothing_and_a_good_one_comes_in(
    open_window: Open, make_book: Make, tmp_path: Path, unit: Unit
) -> None:
    book = make_book()
    hands = open_window(book)
    station = hands.window.stations["Nameplate"]
    broken = tmp_path / "broken.toml"
    broken.write_text(unit_text(unit).replace("voltage_V = 24", 'voltage_V = "much"'))
    station.load_file(broken)
    assert "broken.toml: line" in hands.words()
    assert "output.voltage_V: must be a number" in hands.words()
    settle(hands)
    assert in_book(book) == unit
    station.load_file(ROOT / "examples" / "units" / "quillfen-q65.toml")
    settle(hands)
    assert in_book(book).kind == "usb adapter"
    out = tmp_path / "out.toml"
    station.save_file(out)
    assert read_unit(out) == in_book(book)


KINDS = sorted(f.stem for f in (ROOT / "examples" / "units").glob("*.toml"))
SHORT = {"ferrowby-px350", "tarnbrook-tb2425", "corvane-cv190"}  # most outputs, most parts, two inputs


def test_what_was_reported_is_typed_into_a_table_of_its_own(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = open_window(book)
    page(hands, "Reports")
    hands.type_into("Reported problems", 0, "what was reported", "hums")
    hands.type_into("Reported problems", 0, "from", "60m")
    settle(hands)
    assert "choose the figure" in hands.words().lower()
    hands.type_into("Reported problems", 0, "the figure that shows it", "ripple")
    settle(hands)
    (one,) = in_book(book).reported
    assert (one.what, one.figure, one.low) == ("hums", "ripple", 0.06)
    assert hands.read("Reported problems", 0, "from") == "0.06 V"


@pytest.mark.parametrize("name", sampled(KINDS, SHORT))
def test_every_kind_of_unit_fits_on_every_page(open_window: Open, make_book: Make, name: str) -> None:
    book = make_book()
    with BookWriter(book) as writer:
        writer.revise("unit", "HB-07", read_unit(ROOT / "examples" / "units" / f"{name}.toml"), "test")
    hands = open_window(book)
    for one in ("Label, claims", "Look-over", "Parts", "Terminals", "Safety", "Reports"):
        page(hands, one)
        area = hands.window.stack.currentWidget()
        for _ in range(5):
            QApplication.processEvents()
        assert (area.horizontalScrollBar().maximum(), area.verticalScrollBar().maximum()) == (0, 0), one
    hands.station(2)
    for _ in range(5):
        QApplication.processEvents()
    area = hands.window.stack.currentWidget()
    assert (area.horizontalScrollBar().maximum(), area.verticalScrollBar().maximum()) == (0, 0)


def test_twelve_ports_a_hundred_parts_and_long_names(open_window: Open, make_book: Make, unit: Unit) -> None:
    ports = tuple(
        OutputRating(5.0 + n, 1.0, name=f"port {n} of the long kind", tolerance_percent=5.0) for n in range(12)
    )
    parts = tuple(Part(f"C{n}", "output capacitor", "470 uF 25 V", 25.0, count=2) for n in range(100))
    plate = replace(unit.nameplate, outputs=ports)
    big = replace(unit, maker="M" * 80, model="X" * 80, nameplate=plate, look=replace(unit.look, parts=parts), label=())
    book = make_book()
    with BookWriter(book) as writer:
        writer.revise("unit", "HB-07", big, "test")
    hands = open_window(book)
    hands.click("Ratings as: Fields")
    assert hands.table("Outputs").rowCount() == 13
    assert sum(name.startswith("Output voltage, port") for name, _ in claims(hands)) == 12
    page(hands, "Parts")
    assert hands.table("Parts").rowCount() == 101
    area = hands.window.stack.currentWidget()
    assert area.horizontalScrollBar().maximum() == 0
    hands.type_into("Parts", 99, "note", "looks new")
    settle(hands)
    assert in_book(book).look.parts[99].note == "looks new"
