"""Recorded files taken in at Findings, from an empty book to a judged run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from tests.ui.conftest import Hands

from zincsmith.book.reader import BookReader
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
    wrong.write_text("time_s,power_W\n0,1\n1,1\n")
    chosen = [str(wrong)]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: (chosen, ""))
    hands.click("Choose files…")
    hands.click("Take in")
    assert "say who" in hands.words()
    hands.fill("Who answers for it", "Elin Ward")
    hands.click("Take in")
    hands.until(lambda: "no column input_voltage_V" in hands.words())
    assert hands.line("Who answers for it").text() == "Elin Ward", "what was typed stays"
    chosen[:] = [str(file)]
    hands.click("Choose files…")
    hands.click("Take in")
    hands.until(lambda: station.run is not None and not station.intake.isVisible())
    assert "Taken in as run 1." in hands.words()
    run = station.run
    assert run is not None
    average = next(
        j for j in run.judged
        if j.finding.name == "average_active_efficiency" and j.finding.conditions.get("input_voltage_V") == 230.0
    )  # fmt: skip
    assert average.finding.value == pytest.approx(0.868, abs=1e-6)
    assert run.opened.operator == "Elin Ward"
    station.claims.rows.setFocus()
    hands.press(Qt.Key.Key_F7)
    hands.press(Qt.Key.Key_Escape)
    assert not station.intake.isVisible()
    with BookReader(path) as book:
        assert len(book.runs()) == 1
