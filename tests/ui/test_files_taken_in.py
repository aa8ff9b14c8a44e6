"""Recorded files taken in at Findings, from an empty book to a judged run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from tests.ui.conftest import Hands

from zincsmith.book.reader import BookReader
from zincsmith.model.reading import WRITTEN
from zincsmith.showing.reading_words import reading_words
from zincsmith.ui.stations.findings import FindingsStation

Open = Callable[[Path], Hands]
Make = Callable[..., Path]
# 24 V out, 2.5 A: efficiencies of 88.2, 88.0, 87.0 and 84.0 % at 100, 75, 50 and 25 % load; mean 86.8 %.
ROWS = [(100.0, 24.0, 2.5, 0.882), (75.0, 24.0, 1.875, 0.880), (50.0, 24.0, 1.25, 0.870), (25.0, 24.0, 0.625, 0.840)]


def test_files_are_taken_in_from_the_keyboard_and_what_is_wrong_is_said(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "sweep.csv"
    heads = "load_percent,input_voltage_V,input_power_W,output_voltage_V,output_current_A\n"
    file.write_text(heads + "".join(f"{p},230.2,{v * i / e:.6f},{v},{i}\n" for p, v, i, e in ROWS))
    path = make_book()
    hands = open_window(path)
    hands.station(5)
    station = hands.window.stations["Findings"]
    assert isinstance(station, FindingsStation)
    hands.until(lambda: "take in recorded files with F7" in hands.words())
    hands.until(lambda: hands.window.session.allowed("take in"))
    hands.press(Qt.Key.Key_F7)
    hands.until(lambda: station.intake.isVisible())
    hands.click("Take in")
    assert "Choose a file first" in hands.words()
    wrong = tmp_path / "wrong.csv"
    wrong.write_text("time_s,reading\n0,1\n1,1\n")
    chosen = [str(wrong)]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: (chosen, ""))
    hands.click("Choose files…")
    hands.until(lambda: station.intake.take.isEnabled())
    hands.click("Take in")
    assert "say who" in hands.words()
    hands.fill("Who answers for it", "Elin Ward")
    hands.click("Take in")
    hands.until(lambda: "no column input_voltage_V" in hands.words())
    assert hands.line("Who answers for it").text() == "Elin Ward", "what was typed stays"
    chosen[:] = [str(file)]
    hands.click("Choose files…")
    hands.until(lambda: station.intake.take.isEnabled())
    hands.click("Take in")
    hands.until(lambda: station.run is not None and not station.intake.isVisible())
    assert "Taken in as run 1." in hands.words()
    run = station.run
    assert run is not None
    average = next(
        j for j in run.judged
        if j.finding.name == "average_active_efficiency" and j.finding.at.feed.voltage_V == 230.0
    )  # fmt: skip
    assert average.finding.value == pytest.approx(0.868, abs=1e-6)
    assert run.opened.operator == "Elin Ward"
    station.claims.rows.setFocus()
    hands.press(Qt.Key.Key_F7)
    hands.press(Qt.Key.Key_Escape)
    assert not station.intake.isVisible()
    with BookReader(path) as book:
        assert len(book.runs()) == 1


def test_columns_that_are_called_otherwise_are_said_in_the_window(
    open_window: Open, make_book: Make, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two loggers with heads of their own: one is guessed, of the other a person says which column the watts are."""
    mine, other = tmp_path / "idle.csv", tmp_path / "other.csv"
    mine.write_text("time;P\n" + "".join(f"{n};0,17{n % 3}\n" for n in range(1000)))
    other.write_text(
        "# logger 4\nt [s],channel 1 [mW],volts\n" + "".join(f"{n}.0,2{n % 2}5,230.1\n" for n in range(1000))
    )
    hands = open_window(make_book())
    hands.station(5)
    station = hands.window.stations["Findings"]
    assert isinstance(station, FindingsStation)
    hands.until(lambda: hands.window.session.allowed("take in"))
    chosen: list[str] = []
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: (chosen, ""))
    for file, line in ((mine, "115 60"), (other, "230 50")):
        chosen[:] = [str(file)]
        hands.press(Qt.Key.Key_F7)
        hands.until(lambda: station.intake.isVisible())
        hands.click("Choose files…")
        hands.until(lambda: station.intake.take.isEnabled())
        if file is other:
            pick = station.intake._picks["power_W"]
            assert pick.currentText() == "not in the file"
            pick.setFocus()
            hands.type("chan")
        assert station.intake.holds.currentData() == "standby"
        hands.fill("Line, V Hz", line)
        hands.fill("Who answers for it", "Elin Ward")
        hands.click("Take in")
        hands.until(lambda: not station.intake.isVisible())
    hands.until(lambda: station.run is not None and station.run.row.id == 2)
    assert station.run is not None
    found = {j.finding.at.feed.voltage_V: j.finding.value for j in station.run.judged
             if j.finding.name == "no_load_power" and j.finding.value is not None}  # fmt: skip
    assert found[230.0] == pytest.approx(0.210, rel=0.01)
    assert found[115.0] == pytest.approx(0.171, rel=0.01)


def test_loose_readings_are_written_down_and_judged(open_window: Open, make_book: Make) -> None:
    """Three readings from a notebook, with no file: evidence of a kind of their own, judged against the claims."""
    path = make_book()
    hands = open_window(path)
    hands.station(5)
    station = hands.window.stations["Findings"]
    assert isinstance(station, FindingsStation)
    hands.until(lambda: hands.window.session.allowed("take in"))
    hands.press(Qt.Key.Key_F7)
    hands.until(lambda: station.intake.isVisible())
    station.intake.holds.setCurrentIndex(station.intake.holds.findData("typed"))
    station.intake._fit()
    hands.fill("Who answers for it", "Elin Ward")
    hands.click("Take in")
    assert "Write down at least one row" in hands.words()
    for row, values in enumerate((("100", "230", "68,1", "23.95"), ("0", "230", "0.3", "24.01"))):
        for heading, text in zip(("load / %", "Vin / V", "Pin / W", "V / V"), values, strict=True):
            hands.type_into("Readings written down", row, heading, text)
    hands.type_into("Readings written down", 0, "Pin / W", "1,000")
    assert "Type it without a comma" in hands.words(), "one or a thousand: asked back"
    hands.type_into("Readings written down", 0, "Pin / W", "68,1")
    hands.click("Take in")
    hands.until(lambda: station.run is not None and not station.intake.isVisible())
    run = station.run
    assert run is not None
    readings = {(p.at.load_percent, r.quantity): r for p in run.evidence.points for r in p.readings}
    assert readings[100.0, "input_power"].value == 68.1
    assert {r.how for r in readings.values()} == {WRITTEN}
    assert (100.0, "output_current") not in readings, "what nobody read is not made up"
    by = {j.finding.name: j for j in run.judged if j.finding.value is not None}
    regulation = by["load_regulation"]
    assert regulation.finding.value == pytest.approx(0.06 / 24.0)
    assert regulation.claim is not None
    says = reading_words(run)[readings[100.0, "input_power"].id]
    assert "written down as 68.1" in says[2]
    assert "efficiency" not in by
