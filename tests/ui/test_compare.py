"""Compare in the window: three adapters of one book, ranked by a recipe that is opened, reweighed and saved by keys."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from tests.conftest import ROOT
from tests.ui.conftest import Hands, reread
from tests.whole.test_demo_book import unpacked

from zincsmith.formats.unit_file import read_unit
from zincsmith.ui.stations.compare import NOBODY, CompareStation

Open = Callable[[Path], Hands]
EXAMPLES = ROOT / "examples"
NAMES = ("tarnbrook-tb2425", "ossel-od60", "wexcombe-wx24")
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture(scope="module")
def measured(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demonstration book: a run of each, and of units of other classes."""
    return unpacked(tmp_path_factory.mktemp("candidates") / "three.zbook")


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
    assert sorted(station.found.units) == sorted(tags), "those of its class alone"
    assert station.which.currentText() == "adapter, 24 V, up to 75 W (3)"
    assert station.which.itemText(station.which.count() - 1) == "every unit of this book (12)"
    assert "3 ranked" in station.count.text(), "by the recipe that the book keeps"
    assert "Average active efficiency" in station.sheet.accessibleDescription()
    assert all(tag in station.sheet.accessibleDescription() for tag in tags)
    recipe = tmp_path / "own.toml"
    text = (EXAMPLES / "recipes" / "valve-house.toml").read_text("utf-8")
    recipe.write_text(text.replace('name = "Valve house', 'name = "My own'), "utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(recipe), ""))
    hands.press(Qt.Key.Key_R, CTRL)
    hands.until(lambda: "My own" in hands.words())
    hands.until(lambda: (kept := reread(hands.window.session.book_path).recipe()) is not None and "My own" in kept.name)
    assert "3 ranked" in station.count.text()
    assert "wins." in station.verdict.text() or "cannot be told apart" in station.verdict.text()
    before = {p.unit_tag: p.score for p in station.found.ranking}
    hands.type_into("What counts, and how much", 0, "weight", "0")
    hands.until(lambda: {p.unit_tag: p.score for p in station.found.ranking} != before)  # type: ignore[union-attr]
    changed = {p.unit_tag: p.score for p in station.found.ranking}
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until(lambda: {p.unit_tag: p.score for p in station.found.ranking} == before)  # type: ignore[union-attr]
    hands.press(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    hands.until(lambda: {p.unit_tag: p.score for p in station.found.ranking} == changed)  # type: ignore[union-attr]
    hands.press(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "no change of this recipe to make again" in hands.words()
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
    texts = [station.which.itemText(n) for n in range(station.which.count())]
    station.which.setCurrentIndex(next(n for n, text in enumerate(texts) if "inverter" in text))
    station.which.activated.emit(station.which.currentIndex())
    hands.until(lambda: station.found is not None and station.found.units == ("HB-60",))
    assert "nobody beside it" in station.count.text()


def test_what_they_must_feed_is_opened_and_its_day_costed(
    compared: tuple[Hands, CompareStation], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    hands, station = compared
    assert "EUR a year" in station.feeds.costs.text(), "by the duty that the book keeps"
    assert "pays back after" in station.feeds.back.text()
    heavy = tmp_path / "heavy.toml"
    text = (EXAMPLES / "feedings" / "valve-controller.toml").read_text("utf-8")
    heavy.write_text(text.replace("\ncurrent_A = 2.5\n", "\ncurrent_A = 4\n").replace("Valve", "Heavy"), "utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(heavy), ""))
    hands.press(Qt.Key.Key_F, CTRL)
    hands.until(lambda: "Heavy controller" in hands.words())
    assert station.feeds.fits.text().count("it gives 2.5 A, not 4 A") == 3
    assert station.found is not None
    assert all("does not feed it" in p.excluded_because for p in station.found.ranking)
    wrong = tmp_path / "wrong.toml"
    wrong.write_text(text.replace("hours = 14", "hours = 41"), "utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(wrong), ""))
    hands.press(Qt.Key.Key_F, CTRL)
    hands.until(lambda: "24 hours" in hands.words())


def test_curves_any_two_figures_and_a_repair(compared: tuple[Hands, CompareStation], tmp_path: Path,
                                             monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    hands, station = compared
    titles = [station.over.which.itemText(n) for n in range(station.over.which.count())]
    assert any(title.startswith("Efficiency against load") for title in titles)
    station.over.which.setCurrentIndex(len(titles) - 1)
    station.over.which.activated.emit(len(titles) - 1)
    assert station.over.across.isVisible()
    assert " against " in station.over.plot.title
    texts = [station.which.itemText(n) for n in range(station.which.count())]
    at = texts.index("runs of HB-09 (2)")
    station.which.setCurrentIndex(at)
    station.which.activated.emit(at)
    hands.until(lambda: station.found is not None and len(station.found.changes) > 0)
    assert station.found is not None
    changed = {c.name: c for c in station.found.changes if c.real}
    assert changed["ripple"].after < 0.25 * changed["ripple"].before, "its capacitors were replaced"
    assert "efficiency" not in changed
    assert "changed by more than both are uncertain by" in station.verdict.text()
    out = tmp_path / "repair.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(out), ""))
    hands.press(Qt.Key.Key_S, CTRL)
    hands.until(out.exists)
    page = out.read_text("utf-8")
    assert "Before and after" in page
    assert "<svg" in page
    assert not re.search(r"(src|href)=.http|@import|url\((?!#)", page), "nothing is fetched"


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
