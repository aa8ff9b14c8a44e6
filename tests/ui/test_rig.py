"""Rig through the wiring sheet and its keyboard: faults, edits, accuracy as printed, undo, files, kinds of unit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.conftest import ROOT, sampled
from tests.ui.conftest import Hands, reread
from tests.ui.test_nameplate import settle

from zincsmith.book.writer import BookWriter
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.rig import Lead, Rig, Shunt
from zincsmith.ui.rig.wiring_sheet import WiringSheet

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
CTRL = Qt.KeyboardModifier.ControlModifier


def open_element(hands: Hands, at: str) -> None:
    hands.window.stations["Rig"].open_element(at)
    QApplication.processEvents()


def at_rig(hands: Hands) -> Hands:
    hands.station(2)
    QApplication.processEvents()
    return hands


def in_book(book: Path) -> Rig:
    with reread(book) as reader:
        return reader.rig()


def with_rig(book: Path, rig: Rig) -> Path:
    with BookWriter(book) as writer:
        writer.revise("rig", "bench", rig, "test")
    return book


def decided(hands: Hands, claim: str) -> str:
    table = hands.table("What this rig can decide")
    return next(table.item(r, 4).text() for r in range(table.rowCount()) if table.item(r, 0).text() == claim)


def test_the_sheet_is_walked_with_the_keyboard_and_opens_what_is_chosen(open_window: Open, make_book: Make) -> None:
    hands = at_rig(open_window(make_book()))
    station = hands.window.stations["Rig"]
    sheet = hands.window.findChild(WiringSheet)
    assert sheet is not None
    sheet.setFocus()
    seen = []
    for _ in range(12):
        QTest.keyClick(sheet, Qt.Key.Key_Right)
        seen.append(station.element.heading.text())
    assert {"AC source", "Power meter", "Load", "Voltmeter", "Thermometer", "The rig as a whole"} <= set(seen)
    assert seen[0] in seen[1:], "round and round"
    before = seen[-1]
    QTest.keyClick(sheet, Qt.Key.Key_Left)
    assert station.element.heading.text() == seen[-2] != before


def test_sense_at_the_load_stops_and_moving_it_helps(open_window: Open, make_book: Make, rig: Rig) -> None:
    thin = replace(rig, sense="load", leads=(Lead("unit load", 2.0, 0.75),))
    book = with_rig(make_book(), thin)
    hands = at_rig(open_window(book))
    assert "would count as the unit's own" in hands.words()
    assert "stop" in hands.words()
    assert decided(hands, "Load regulation") == "cannot → decides"
    assert "Arming is refused" in hands.window.bench_strip.accessibleName()
    hands.station(4)
    assert not hands.button("Start").isEnabled()
    assert "would count" in hands.button("Start").toolTip() + hands.words()
    hands.station(2)
    open_element(hands, "voltmeter")
    hands.click("Both leads are at the unit now")
    settle(hands)
    assert in_book(book).sense == "unit"
    assert decided(hands, "Load regulation") == "decides"
    assert "Arming is refused" not in hands.window.bench_strip.accessibleName()
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until(lambda: decided(hands, "Load regulation") == "cannot → decides")
    hands.click("Redo")
    hands.until(lambda: decided(hands, "Load regulation") == "decides")
    settle(hands)
    assert in_book(book).sense == "unit"


def test_an_accuracy_is_typed_as_it_is_printed(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = at_rig(open_window(book))
    open_element(hands, "voltmeter")
    name = "Ranges and accuracy"
    hands.type_into(name, 0, "as printed", "good enough")
    assert "not understood" in hands.words()
    settle(hands)
    assert in_book(book).instrument("voltmeter").accuracy[0].reading_percent == 0.02
    hands.type_into(name, 0, "as printed", "0.5% + 3 counts")
    assert "full count" in hands.words()
    hands.type_into(name, 0, "counts", "6000")
    settle(hands)
    row = in_book(book).instrument("voltmeter").accuracy[0]
    assert (row.reading_percent, row.counts, row.printed) == (0.5, 6000, "0.5% + 3 counts")
    assert row.offset == pytest.approx(0.03)
    assert "0.5 % of reading + 0.03 V, that is ±0.15 V at 24 V" in hands.words(), "said back, and where it matters"
    assert decided(hands, "Output voltage") == "marginal"


def test_the_entries_of_an_instrument(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = at_rig(open_window(book))
    station = hands.window.stations["Rig"]
    open_element(hands, "power_meter")
    hands.fill("Calibrated", "spring")
    assert "such as 2026-03-04" in hands.words()
    hands.fill("Calibrated", "2020-01-01")
    settle(hands)
    assert "overdue for" in hands.words()
    hands.fill("Phase error, degrees", "0.1")
    settle(hands)
    assert "5.3 % of the watts" in hands.words()
    hands.fill("Tap resistance, Ω", "-4")
    assert "must not be below zero" in hands.words()
    tap = station.element.form.widgets["tap"]
    tap.setCurrentIndex(0)
    tap.activated.emit(0)
    settle(hands)
    assert in_book(book).instrument("power_meter").tap == ""
    assert "Which side of the meter its voltage tap is on" in hands.words()
    open_element(hands, "load")
    kind = station.element.form.widgets["dummy.kind"]
    kind.setCurrentIndex(1)
    kind.activated.emit(1)
    settle(hands)
    assert in_book(book).instrument("load").dummy.kind == "resistor"
    assert "that tolerance rules every watt" in hands.words()
    hands.fill("Measured hot, Ω", "9.63")
    settle(hands)
    assert in_book(book).instrument("load").dummy.measured_ohm == 9.63


def test_roles_leads_and_gear_come_and_go(open_window: Open, make_book: Make) -> None:
    book = make_book()
    hands = at_rig(open_window(book))
    station = hands.window.stations["Rig"]
    add = station.add
    at = add.findData("scope")
    add.setCurrentIndex(at)
    add.activated.emit(at)
    settle(hands)
    assert in_book(book).instrument("scope").how == "by hand"
    ground = station.element.channels.form.widgets["probe.ground"]
    ground.setCurrentIndex(3)
    ground.activated.emit(3)
    settle(hands)
    assert in_book(book).instrument("scope").channels[0].probe.ground == "long lead"
    assert "picks up spikes" in hands.words()
    channels = station.element.channels

    def choose(path: str, value: object) -> None:
        box = channels.form.widgets[path]
        entry = next(e for e in channels.form._entries if e.path == path)
        box.setCurrentIndex(entry.values.index(value))
        box.activated.emit(box.currentIndex())
        settle(hands)

    channels.channel.setCurrentIndex(1)
    channels.channel.activated.emit(1)
    choose("looks_at", "output_voltage")
    assert "is on another channel already" in hands.words()
    choose("looks_at", "input_voltage")
    assert "clip" in station.element.faults.text(), "a plain clip on the mains side is said at once"
    choose("probe.differential", True)
    hands.fill("At MHz, V", "0.1 600 10")
    assert "pairs of MHz and volts" in hands.words()
    hands.fill("At MHz, V", "0.1 600 10 60")
    settle(hands)
    second = in_book(book).instrument("scope").channels[1]
    assert (second.quantity, second.probe.differential) == ("input_voltage", True)
    assert second.probe.derates == ((0.1, 600.0), (10.0, 60.0))
    hands.click("Leave it free")
    settle(hands)
    assert [c.number for c in in_book(book).instrument("scope").channels] == [1]
    hands.click("Take this role off the rig")
    settle(hands)
    assert in_book(book).instrument("scope") is None
    open_element(hands, "gear")
    hands.type_into("Leads", 2, "mm²", "")
    assert "one of them" in hands.words()
    hands.type_into("Leads", 2, "AWG", "28")
    settle(hands)
    assert in_book(book).lead("unit load").awg == 28
    sheet = hands.window.findChild(WiringSheet)
    assert sheet is not None
    assert "28 AWG" in sheet.accessibleName()
    hands.type_into("Protective gear, in the order the current flows", 2, "piece", "l")
    settle(hands)
    assert in_book(book).has("line filter")


def test_a_rig_is_begun_by_hand_and_files_come_and_go(open_window: Open, tmp_path: Path, unit) -> None:  # type: ignore[no-untyped-def]
    book = tmp_path / "new.zbook"
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "test")
    hands = at_rig(open_window(book))
    hands.click("Begin")
    hands.until(lambda: hands.window.session.rig is not None and hands.window.session.client.fileno >= 0)
    settle(hands)
    assert all(i.how == "by hand" for i in in_book(book).instruments)
    station = hands.window.stations["Rig"]
    broken = tmp_path / "broken.toml"
    broken.write_text((ROOT / "examples" / "rigs" / "simulated.toml").read_text().replace("= 1.5", '= "thick"'))
    station.load_file(broken)
    assert "broken.toml: line" in hands.words()
    assert "must be a number" in hands.words()
    assert in_book(book).name == "Bench by hand"
    out = tmp_path / "out.toml"
    station.save_file(out)
    assert read_rig(out) == hands.window.session.rig


FED = ("ferrowby-px350", "quillfen-q65", "netherby-nb5", "thornwade-tw300", "corvane-cv190")


@pytest.mark.parametrize("name", sampled(FED, FED[:2]))
def test_the_sheet_shows_what_feeds_each_kind(open_window: Open, make_book: Make, name: str) -> None:
    unit = read_unit(ROOT / "examples" / "units" / f"{name}.toml")
    book = make_book()
    with BookWriter(book) as writer:
        writer.revise("unit", "HB-07", unit, "test")
    hands = at_rig(open_window(book))
    sheet = hands.window.findChild(WiringSheet)
    assert sheet is not None
    fed = unit.nameplate.inputs[0].type
    assert sheet.source_role == f"{fed}_source"
    assert sheet.grab().toImage() is not None
    words = hands.words()
    told = ("no procedure yet", "cannot", "the rig has no load at", "the rig has no DC source")
    if len(unit.nameplate.inputs) > 1:  # what feeds it is one of its inputs; the other stays open
        told = ("the range of Calderwick P2 ends at 75",)
    assert any(one in words for one in told), words
    low = f"{unit.nameplate.inputs[0].voltage_min_V:g} V"
    assert any(word.startswith(low) for word in hands.window.stations["Rig"].lines.buttons)


def test_an_instrument_is_tried_and_shown_inside_what_it_may_show(open_window: Open, make_book: Make) -> None:
    hands = at_rig(open_window(make_book()))
    hands.until(lambda: hands.window.session.allowed("try"))
    open_element(hands, "power_meter")
    trying = hands.window.stations["Rig"].element.trying
    hands.click("Try it")
    hands.until(lambda: "Answers as" in trying.said.text())
    words = trying.spans.accessibleName()
    assert "20 readings" in trying.said.text()
    assert "Input watts: mean" in words
    assert "all inside ±0.15 V" in words
    assert "±0.0004 W" in words, "0.04 % of the 1 W range, the first that is stated"
    plain = trying.spans.grab().toImage()
    one = hands.window.session.rig.instrument("power_meter")
    trying.show_tried(one, "x", {"input_power": [0.0001] * 19 + [0.2]})
    assert "1 outside ±0.0004 W" in trying.spans.accessibleName()
    assert trying.spans.grab().toImage() != plain
    open_element(hands, "thermometer")
    assert not trying.isVisible(), "nobody but a person reads it"


def test_a_scan_finds_who_answers_and_fills_the_address(open_window: Open, make_book: Make) -> None:
    """Only the host that is named is looked at; here the stand-in itself, at the port of its voltmeter."""
    hands = open_window(make_book())
    session = hands.window.session
    hands.until(lambda: session.client.fileno >= 0)
    standin = session.client._standin
    assert standin is not None
    address = standin.addresses["voltmeter"]
    _, host, port, _ = address.split("::")
    at_rig(hands)
    station = hands.window.stations["Rig"]
    open_element(hands, "voltmeter")
    hands.until(lambda: station.element.scanning.isVisible())
    scanning = station.element.scanning
    hands.line("Hosts to scan").setFocus()
    hands.type(f"{host}:port")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "a port is a number" in hands.words())
    scanning.hosts.setText(f"{host}:{port}")
    hands.press(Qt.Key.Key_Return)
    hands.until(lambda: "1 instrument answered" in hands.words())
    assert "FENNHOLLOW,M6" in scanning.answers.itemText(1)
    scanning.answers.setCurrentIndex(1)
    scanning.answers.activated.emit(1)
    hands.until(lambda: session.rig.instrument("voltmeter").address == address)
    assert session.rig.instrument("voltmeter").how == "connected"


def test_what_stands_beside_another_is_added_drawn_and_edited(open_window: Open, make_book: Make) -> None:
    """Further meters, one at a node and a base load: each has its box on the sheet and its own entries."""
    book = make_book()
    hands = at_rig(open_window(book))
    station = hands.window.stations["Rig"]
    for role in ("second_power_meter", "second_voltmeter", "ac_voltmeter", "ammeter", "node_voltmeter", "base_load",
                 "load_switch", "spot_thermometer"):  # fmt: skip
        at = station.add.findData(role)
        station.add.setCurrentIndex(at)
        station.add.activated.emit(at)
        settle(hands)
    sheet = hands.window.findChild(WiringSheet)
    assert sheet is not None
    sheet.grab()
    assert in_book(book).instrument("node_voltmeter@bulk") is not None, "at the node that the unit has"

    assert in_book(book).instrument("spot_thermometer@F1") is not None, "at the first part that the unit has"

    def typed(role: str, path: str, text: str) -> None:
        open_element(hands, role)
        entry = station.element.form.widgets[path]
        entry.setFocus()
        entry.setText(text)
        entry.editingFinished.emit()
        settle(hands)

    typed("spot_thermometer", "emissivity", "0.95")
    assert in_book(book).need("spot_thermometer@F1").emissivity == 0.95
    typed("ammeter", "shunt.ohm", "10m")
    typed("ammeter", "shunt.percent", "0.5")
    typed("node_voltmeter", "most.voltage_V", "1000")
    typed("base_load", "dummy.measured_ohm", "38.4")
    rig = in_book(book)
    assert rig.need("ammeter").shunt == Shunt(0.01, 0.5)
    assert rig.need("node_voltmeter@bulk").most == {"voltage_V": 1000.0}
    made = rig.need("base_load").dummy
    assert made is not None
    assert made.measured_ohm == 38.4
    typed("voltmeter", "visits", "+12 V, +5 V")
    assert in_book(book).of("voltmeter")[0].visits == ("+12 V", "+5 V")
