"""Compare: units of this book, and of others opened beside it, on one sheet; who is first by an open recipe.

What is judged for it is judged beside the window; nothing is kept but the recipe, which is a file of whoever wants it.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from zincsmith.formats.words import counted
from zincsmith.model.errors import ZincsmithError
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.widgets.compare_sheet import CompareSheet, letter, place_words
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, cut_label, heading_row, key_button, label

if TYPE_CHECKING:
    from zincsmith.formats.recipe_file import Recipe
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.showing.compare import Compared

WHO = (
    Column("letter", "", fixed=True, width=30),
    Column("name", "unit", fixed=True, stretch=True),
    Column("tag", "tag, run", fixed=True, width=112),
    Column("points", "points", fixed=True, right=True, width=104),
    Column("rank", "rank", fixed=True, right=True, width=48),
    Column("worth", "price, mass, size", fixed=True, width=190),
)
RECIPE = (
    Column("title", "what counts", fixed=True, stretch=True),
    Column("span", "0 to 100 points", fixed=True, width=104),
    Column("weight", "weight", "1", width=52),
    Column("turns", "turns at", fixed=True, right=True, width=58),
)
Which = tuple[Path, int | None]
RANKING = 424  # px of its panel
NOBODY = "No unit of this book has a run that ended: run a plan, or add a unit of another book."
ALONE = "One unit has nobody beside it: add another, of this book or of one that is opened beside it."


class CompareStation(Station):
    """The latest ended run of every unit of the book, with those that were added."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Compared | None = None
        self.recipe: Recipe | None = None
        self.added: list[Which] = []
        self._runs: tuple[JudgedRun, ...] = ()
        self._seen: object = None
        self._beside = Beside(self, at_once=1)
        self._lay_out()

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Compare")
        self.count = cut_label("", 13, 400, "second")
        row.addWidget(self.count, 1)
        for words, act in (
            ("Add a unit…  Ctrl+O", self.add_unit), ("Recipe…  Ctrl+R", self.open_recipe), ("Save…  Ctrl+S", self.save),
        ):  # fmt: skip
            row.addWidget(key_button(words, act, self))
        outer.addLayout(row)
        self.problem = label("", 13, 400, "problem", wrap=True)
        self.problem.hide()
        outer.addWidget(self.problem)
        self.who = EditTable("Units beside each other", WHO, adds=False)
        outer.addWidget(self.who)
        self.conditions = label("", 13, 400, "", wrap=True)
        outer.addWidget(self.conditions)
        columns = QHBoxLayout()
        columns.setSpacing(12)
        figures = Panel("Figures", "taken alike; k = 2")
        self.sheet = CompareSheet()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidget(self.sheet)
        figures.body.addWidget(area, 1)
        columns.addWidget(figures, 1)
        columns.addWidget(self._ranking())
        outer.addLayout(columns, 1)

    def _ranking(self) -> QWidget:
        panel = Panel("Ranking", "by a recipe of yours")
        panel.setFixedWidth(RANKING)
        self.named = label("", 13, 600, "", wrap=True)
        panel.body.addWidget(self.named)
        self.weights = EditTable("What counts, and how much", RECIPE, adds=False)
        self.weights.edited.connect(self._reweigh)
        panel.body.addWidget(self.weights, 1)
        self.verdict = label("", 14, 600, "", wrap=True)
        self.others = label("", 13, 400, "second", wrap=True)
        panel.body.addWidget(self.verdict)
        panel.body.addWidget(self.others)
        return panel

    # What it is about

    def refresh(self) -> None:
        reader = self.session.reader
        if reader is None:
            self._tell("The book is not open yet.")
            return
        latest: dict[str, int] = {r.unit: r.id for r in reader.runs() if r.outcome is not None}
        seen = (tuple(latest.items()), tuple(self.added))
        if seen != self._seen:
            self._seen = seen
            own = [(self.session.book_path, run) for run in latest.values()]
            self.count.setText("is judged …")
            self._beside.start(partial(_judged, [*own, *self.added]), self._take)

    def _take(self, came: tuple[tuple[JudgedRun, ...], str]) -> None:
        self._runs, problem = came
        self._compare(problem)

    def _compare(self, problem: str = "") -> None:
        from zincsmith.showing.compare import compare

        self.found = compare(self._runs, self.recipe) if self._runs else None
        self._show(problem)

    def take_focus(self) -> None:
        self.who.setFocus()

    def restyle(self) -> None:
        self._show(self.problem.text())
        super().restyle()

    # What people do

    def add_unit(self) -> None:
        """The latest run of another book."""
        name, _ = QFileDialog.getOpenFileName(self, "A book to compare with", "", "Zincsmith books (*.zbook)")
        if name and (Path(name), None) not in self.added:
            self.added.append((Path(name), None))
            self.refresh()

    def open_recipe(self) -> None:
        from zincsmith.formats.recipe_file import read_recipe

        name, _ = QFileDialog.getOpenFileName(self, "A recipe: which figures count", "", "Recipes (*.toml)")
        if not name:
            return
        try:
            self.recipe = read_recipe(Path(name))
        except ZincsmithError as error:
            self._tell(str(error))
            return
        self._compare()

    def save(self) -> None:
        """As JSON, with everything that is shown."""
        if self.found is None:
            self._tell(NOBODY)
            return
        name, _ = QFileDialog.getSaveFileName(self, "Save the comparison", "compared.json", "JSON (*.json)")
        if name:
            text = json.dumps(self.found.as_json(), indent=2, ensure_ascii=False, allow_nan=False)
            try:
                Path(name).write_text(text + "\n", "utf-8")
            except OSError as error:
                self._tell(f"It was not saved: {error.strerror}.")

    def _reweigh(self, rows: list[Row]) -> None:
        if self.recipe is None:
            return
        weights = [float(w) for row in rows if (w := row.get("weight")) is not None and w >= 0.0]
        if len(weights) < len(self.recipe.wish) or not sum(weights) > 0.0:
            self._tell("A weight is nothing or more, and one at least is more than nothing.")
            self._show_recipe()
            return
        wish = tuple(replace(w, weight=weight) for w, weight in zip(self.recipe.wish, weights, strict=True))
        self.recipe = replace(self.recipe, wish=wish)
        self._compare()

    # What is shown

    def _tell(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def _show(self, problem: str = "") -> None:
        found = self.found
        few = NOBODY if found is None else ALONE if len(found.units) < 2 else ""
        self._tell(problem)
        self.sheet.show_found(found)
        if found is None:
            self.count.setText(few)
            self.who.show_rows([], locked=True)
            self.conditions.setText("")
            self._show_recipe()
            return
        ranked = sum(p.score is not None for p in found.ranking)
        told = f"{counted(len(found.units), 'unit')}, {ranked} ranked" if found.ranking else ""
        self.count.setText(few or told or f"{counted(len(found.units), 'unit')}; open a recipe to rank them")
        places = {p.unit_tag: p for p in found.ranking}
        rows = []
        for n, who in enumerate(found.who):
            place = places.get(who.unit_tag)
            points = rank = ""
            if place is not None and place.score is not None:
                points, rank = f"{place.score:.1f} ±{2.0 * (place.u or 0.0):.1f}", place_words(place.rank)
            elif place is not None:
                points, rank = place.excluded_because, "–"
            rows.append({"letter": letter(n), "name": who.name, "tag": f"{who.unit_tag}, run {who.run}",
                         "points": points, "rank": rank, "worth": who.worth})  # fmt: skip
        self.who.show_rows(rows, locked=True)
        self.who.setFixedHeight(34 + 26 * min(6, max(1, len(rows))))
        lines = []
        for one in found.conditions:
            values = ", ".join(f"{tag} {value}" for tag, value in one.values.items())
            flatters = f"This flatters {one.flatters}: " if one.flatters else ""
            lines.append(f"{one.differs}: {values}. {flatters}{one.why}.")
        self.conditions.setText("Not alike.  " + "  ".join(lines) if lines else "Taken under the same conditions.")
        self._show_recipe()

    def _show_recipe(self) -> None:
        found, recipe = self.found, self.recipe
        if recipe is None or found is None:
            self.named.setText("")
            self.weights.show_rows([], locked=True)
            self.verdict.setText("Nothing is ranked yet.")
            self.others.setText("A recipe is a small file: figures, what earns 0 and 100 points, weights.")
            return
        self.named.setText(recipe.name)
        turn = {t.figure: t for t in found.sensitivity}
        rows = []
        for wish, one in zip(recipe.wish, found.asked, strict=True):
            at = turn[one.figure].turns_at if one.figure in turn else None
            rows.append({"title": one.title, "span": one.span,
                         "weight": wish.weight, "turns": "never" if at is None else f"{at:.3g}"})  # fmt: skip
        self.weights.show_rows(rows)
        first = [p for p in found.ranking if p.rank == 1]
        self.verdict.setText(_verdict([p.unit_tag for p in first]))
        nearest = min((t for t in found.sensitivity if t.turns_at is not None and t.weight > 0.0),
                      key=lambda t: abs((t.turns_at or 0.0) - t.weight) / t.weight, default=None)  # fmt: skip
        titles = {one.figure: one.title for one in found.asked}
        self.others.setText(
            f"{titles[nearest.figure]} would have to weigh {nearest.turns_at:.3g}, not {nearest.weight:g}, before "
            f"{nearest.winner} wins. One specimen each: how models spread is not known."
            if nearest is not None
            else "No weight of a single figure turns it. One specimen each: how models spread is not known."
        )


def _verdict(first: list[str]) -> str:
    if not first:
        return "Nobody ranks."
    if len(first) == 1:
        return f"{first[0]} wins."
    return f"{' and '.join(first)} cannot be told apart."


def _judged(which: list[Which]) -> Iterator[tuple[tuple[JudgedRun, ...], str]]:
    """In a thread: each of them judged; what cannot be is told."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run

    found: list[JudgedRun] = []
    problems: list[str] = []
    for book, run in which:
        try:
            with BookReader(book) as reader:
                found.append(judge_run(reader, run))
        except ZincsmithError as error:
            problems.append(str(error))
    yield tuple(found), "; ".join(problems)
