"""Compare in the window: three adapters of one book, ranked by a recipe that is opened, reweighed and saved by keys."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from tests.conftest import ROOT
from tests.engine.scripted import TESTER, Actor
from tests.ui.conftest import Hands

from zincsmith.bench.standin import start_standin
from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.engine.session import Session
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.intake import LookItem
from zincsmith.model.plan import Line, Plan
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.ui.stations.compare import NOBODY, CompareStation

Open = Callable[[Path], Hands]
EXAMPLES = ROOT / "examples"
NAMES = ("tarnbrook-tb2425", "ossel-od60", "wexcombe-wx24")
LINE = Line(230.0, 50.0)
PARTS = (
    GridOptions(lines=(LINE,), loads_percent=(100.0, 75.0, 50.0, 25.0, 0.0), warm_up_s=30.0, settle_at_most_s=30.0,
                settled_percent=0.5, average_s=2.0),
    StandbyOptions(lines=(LINE,), warm_up_s=60.0, block_s=20.0, at_least_s=120.0),
)  # fmt: skip
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture(scope="module")
def measured(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A book with a run of each."""
    path = tmp_path_factory.mktemp("three") / "three.zbook"
    for name in NAMES:
        file = EXAMPLES / "standins" / f"{name}.toml"
        pick_file(str(file))
        unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
        unit = replace(unit, look=replace(unit.look, items=(LookItem("case", "found"),), verdict="fit to power"))
        rig = replace(read_rig(EXAMPLES / "rigs" / "simulated.toml"), leads=())
        assert rig.standin is not None
        rig = replace(rig, standin=replace(rig.standin, file=str(file), lead_ohm=0.0, input_lead_ohm=0.0))
        running = start_standin(rig.standin)
        try:
            with BookWriter(path) as book:
                for kind, key, record in (("unit", unit.tag, unit), ("rig", "bench", rig),
                                          ("plan", "plan", Plan("Short", PARTS))):  # fmt: skip
                    book.revise(kind, key, record, "test")
                closed = Session(book, Actor()).run(unit.tag, TESTER, running.addresses)
            assert closed.outcome == "complete", closed.why
        finally:
            running.stop()
    return path


@pytest.fixture
def compared(open_window: Open, measured: Path, tmp_path: Path) -> tuple[Hands, CompareStation]:
    book = tmp_path / "three.zbook"
    shutil.copy(measured, book)
    hands = open_window(book)
    hands.press(Qt.Key.Key_6, Qt.KeyboardModifier.AltModifier)
    station = hands.window.stations["Compare"]
    assert isinstance(station, CompareStation)
    hands.until(lambda: station.found is not None)
    return hands, station


def test_units_are_ranked_by_a_recipe_that_can_be_changed(
    compared: tuple[Hands, CompareStation], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    hands, station = compared
    tags = [read_unit(EXAMPLES / "units" / f"{n}.toml").tag for n in NAMES]
    assert station.found is not None
    assert sorted(station.found.units) == sorted(tags)
    assert "open a recipe" in station.count.text()
    assert "Average active efficiency" in station.sheet.accessibleDescription()
    assert all(tag in station.sheet.accessibleDescription() for tag in tags)
    recipe = EXAMPLES / "recipes" / "valve-house.toml"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(recipe), ""))
    hands.press(Qt.Key.Key_R, CTRL)
    hands.until(lambda: "3 ranked" in station.count.text())
    assert "wins." in station.verdict.text() or "cannot be told apart" in station.verdict.text()
    before = {p.unit_tag: p.score for p in station.found.ranking}
    hands.type_into("What counts, and how much", 0, "weight", "0")
    hands.until(lambda: {p.unit_tag: p.score for p in station.found.ranking} != before)  # type: ignore[union-attr]
    hands.type_into("What counts, and how much", 0, "weight", "-3")
    hands.until(lambda: "nothing or more" in hands.words())
    out = tmp_path / "compared.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(out), ""))
    hands.press(Qt.Key.Key_S, CTRL)
    assert sorted(json.loads(out.read_text())["units"]) == sorted(tags)
    broken = tmp_path / "broken.toml"
    broken.write_text("name = 3\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(broken), ""))
    hands.press(Qt.Key.Key_R, CTRL)
    hands.until(lambda: "broken.toml" in hands.words())
    assert "3 ranked" in station.count.text(), "what was ranked stays"


def test_a_book_that_is_none_is_told_and_the_others_stay(
    compared: tuple[Hands, CompareStation], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    hands, station = compared
    other = tmp_path / "other.zbook"
    other.write_text("no book")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(other), ""))
    hands.press(Qt.Key.Key_O, CTRL)
    hands.until(lambda: "other.zbook" in station.problem.text())
    assert station.found is not None
    assert len(station.found.units) == 3


def test_without_a_run_it_says_what_to_do(open_window: Open, make_book: Callable[..., Path]) -> None:
    hands = open_window(make_book())
    hands.press(Qt.Key.Key_6, Qt.KeyboardModifier.AltModifier)
    hands.until(lambda: NOBODY in hands.words())
