"""Compare: units of this book, and of others opened beside it, on one sheet; who is first by an open recipe.

What is judged for it is judged beside the window; nothing is kept but the recipe, which is a file of whoever wants it.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from zincsmith.formats.words import UNIT_WORDS, counted
from zincsmith.model.errors import ZincsmithError
from zincsmith.ui.beside import Beside
from zincsmith.ui.compare.duty import WhatItFeeds
from zincsmith.ui.compare.laid_over import LaidOver
from zincsmith.ui.connection.session import Session
from zincsmith.ui.leaving.paper import Paper
from zincsmith.ui.station import Station
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.compare_sheet import CompareSheet, letter, place_words
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, cut_label, heading_row, key_button, label

if TYPE_CHECKING:
    from zincsmith.book.reader import BookReader, RunRow
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.model.feeding import Feeding
    from zincsmith.model.recipe import Recipe
    from zincsmith.procedures.base import Curves
    from zincsmith.showing.compare import Compared

WHO = (
    Column("letter", "", fixed=True, width=30),
    Column("name", "unit", fixed=True, stretch=True),
    Column("tag", "tag, run", fixed=True, width=112),
    Column("points", "points", fixed=True, right=True, width=104),
    Column("rank", "rank", fixed=True, right=True, width=48),
    Column("worth", "price, mass, size, what is heard", fixed=True, width=400),
)
RECIPE = (
    Column("title", "what counts", fixed=True, stretch=True),
    Column("span", "0 to 100 points", fixed=True, width=104),
    Column("weight", "weight", "1", width=52),
    Column("turns", "turns at", fixed=True, right=True, width=58),
)
Which = tuple[Path, int | None]
EVERYTHING, RUNS_OF = "every unit of this book", "runs of "
MOST_CHANGES = 4
BY_RECIPE = "by a recipe of yours"
RANKING = 424  # px of its panel
FEEDS = 226  # px: the day, what it costs, and some lines of pay-back
NOBODY = "No unit of this book has a run that ended: run a plan, or add a unit of another book."
ALONE = "One unit has nobody beside it: add another, of this book or of one that is opened beside it."


class CompareStation(Station):
    """The latest ended run of every unit of the book, with those that were added."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Compared | None = None
        self.recipe: Recipe | None = None
        self.feeding: Feeding | None = None
        self._curves: Sequence[Curves] = ()
        self.added: list[Which] = []
        self._runs: tuple[JudgedRun, ...] = ()
        self._seen: object = None
        self.looked_at: str | None = None  # a class; empty: every unit
        self._beside = Beside(self, at_once=1)
        self._stepped_from: int | None = None  # the revision of the recipe before an undo that is under way
        self.paper = Paper(self)
        self.paper.said.connect(self._tell)
        for key, act in (
            ("Ctrl+P", self.print_it), ("Ctrl+Z", lambda: self._step(True)), ("Ctrl+Shift+Z", lambda: self._step(False))
        ):  # fmt: skip
            QShortcut(QKeySequence(key), self, act, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self._lay_out()

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Compare")
        self.which = Deed()
        self.which.setAccessibleName("Which units of this book")
        self.which.activated.connect(self._choose)
        row.addWidget(self.which)
        self.count = cut_label("", 13, 400, "second")
        row.addWidget(self.count, 1)
        for words, act in (
            ("Add a unit…  Ctrl+O", self.add_unit), ("Feeds…  Ctrl+F", self.open_feeding),
            ("Recipe…  Ctrl+R", self.open_recipe), ("Save…  Ctrl+S", self.save),
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
        upper, lower = QHBoxLayout(), QHBoxLayout()
        upper.setSpacing(12)
        lower.setSpacing(12)
        figures = Panel("Figures", "taken alike; k = 2")
        self.sheet = CompareSheet()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidget(self.sheet)
        figures.body.addWidget(area, 1)
        upper.addWidget(figures, 1)
        upper.addWidget(self._ranking())
        outer.addLayout(upper, 3)
        self.over, self.feeds = LaidOver(), WhatItFeeds()
        self.feeds.setFixedWidth(RANKING)
        self.feeds.setMinimumHeight(FEEDS)
        lower.addWidget(self.over, 1)
        lower.addWidget(self.feeds)
        outer.addLayout(lower, 2)

    def _ranking(self) -> QWidget:
        panel = self.place = Panel("Ranking", BY_RECIPE)
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
        self._remember(reader)
        ended = [r for r in reader.runs() if r.outcome is not None]
        rows = {r.unit: r for r in ended}
        several = {unit: n for unit, n in Counter(r.unit for r in ended).items() if n > 1}
        which = [row.id for row in rows.values() if self._in_class(row, reader)]
        if self.looked_at is not None and self.looked_at.startswith(RUNS_OF):
            which = [r.id for r in ended if r.unit == self.looked_at.removeprefix(RUNS_OF)]
        self._offer_classes(rows, several, reader)
        seen = (tuple(which), tuple(self.added))
        if seen != self._seen:
            self._seen = seen
            own = [(self.session.book_path, run) for run in which]
            self.count.setText("is judged …")
            self._beside.start(partial(_judged, [*own, *self.added]), self._take)

    def _remember(self, reader: BookReader) -> None:
        """The recipe and the duty that were used in this book last."""
        if self.recipe is None:
            self.recipe = reader.recipe()
        if self.feeding is None:
            self.feeding = reader.feeding()
        if self._stepped_from is not None and self.recipe is not None:
            now = reader.revision("recipe", self.recipe.name)
            if now is not None and now[0] != self._stepped_from:
                self._stepped_from, self.recipe = None, reader.recipe()
                self._compare()

    def _in_class(self, row: RunRow, reader: BookReader) -> bool:
        """Whether a run is of what is looked at: at first of the class of the unit that the window has."""
        from zincsmith.showing.compare import class_of

        if self.looked_at is None and self.session.unit is not None:
            self.looked_at = class_of(self.session.unit)
        return not self.looked_at or class_of(reader.unit(row.unit, row.unit_n)) == self.looked_at

    def _offer_classes(self, rows: Mapping[str, RunRow], several: Mapping[str, int], reader: BookReader) -> None:
        """The classes that there are runs of, with how many units each; units that have runs to be compared among
        themselves."""
        from zincsmith.showing.compare import class_of

        counts = Counter(class_of(reader.unit(row.unit, row.unit_n)) for row in rows.values())
        offered = [*sorted(counts.items()), *((f"{RUNS_OF}{unit}", n) for unit, n in sorted(several.items())),
                   (EVERYTHING, counts.total())]  # fmt: skip
        texts = [f"{name} ({count})" for name, count in offered]
        if texts != [self.which.itemText(n) for n in range(self.which.count())]:
            self.which.clear()
            for text, (name, _) in zip(texts, offered, strict=True):
                self.which.addItem(text, "" if name == EVERYTHING else name)
        self.which.setCurrentIndex(max(0, self.which.findData(self.looked_at or "")))

    def _choose(self, _at: int) -> None:
        self.looked_at = str(self.which.currentData())
        self.refresh()

    def _take(self, came: tuple[tuple[JudgedRun, ...], Sequence[Curves], str]) -> None:
        self._runs, self._curves, problem = came
        self._compare(problem)

    def _compare(self, problem: str = "") -> None:
        from zincsmith.showing.compare import compare

        self.found = compare(self._runs, self.recipe, self.feeding) if self._runs else None
        self._show(problem)

    def take_focus(self) -> None:
        self.who.setFocus()

    def restyle(self) -> None:
        self.over.restyle()
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
        self.session.keep("recipe", self.recipe.name, self.recipe, "a recipe opened")
        self._compare()

    def open_feeding(self) -> None:
        from zincsmith.formats.feeding_file import read_feeding

        name, _ = QFileDialog.getOpenFileName(self, "What it must feed", "", "What it must feed (*.toml)")
        if not name:
            return
        try:
            self.feeding = read_feeding(Path(name))
        except ZincsmithError as error:
            self._tell(str(error))
            return
        self.session.keep("feeding", self.feeding.name, self.feeding, "what units must feed")
        self._compare()

    def save(self) -> None:
        """A report of its own, or JSON with everything that is shown."""
        if self.found is None:
            self._tell(NOBODY)
            return
        kinds = "Report (*.html);;Report as PDF (*.pdf);;JSON (*.json)"
        name, _ = QFileDialog.getSaveFileName(self, "Save the comparison", "compared.html", kinds)
        if name and Path(name).suffix.lower() in (".html", ".pdf"):
            self._save_report(Path(name))
        elif name:
            text = json.dumps(self.found.as_json(), indent=2, ensure_ascii=False, allow_nan=False)
            try:
                Path(name).write_text(text + "\n", "utf-8")
            except OSError as error:
                self._tell(f"It was not saved: {error.strerror}.")

    def _save_report(self, out: Path) -> None:
        """Beside the window: setting pages takes its time."""
        found, runs, recipe, feeding = self.found, self._runs, self.recipe, self.feeding
        if found is not None:
            self.count.setText("is written …")
            self._beside.start(lambda: _reported(found, runs, recipe, feeding, out), self._written)

    def print_it(self) -> None:
        """The comparison on paper."""
        found, runs, recipe, feeding = self.found, self._runs, self.recipe, self.feeding
        if found is None:
            self._tell("There is nothing to print: add units first.")
            return

        def as_html() -> str:
            from zincsmith.report.compared import rendered

            return rendered(found, runs, recipe, feeding)

        self.paper.ask(as_html, "Comparison")

    def _written(self, problem: str) -> None:
        self._show(problem)

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
        self.session.keep("recipe", self.recipe.name, self.recipe, "weights changed")
        self._compare()

    def _step(self, back: bool) -> None:
        """A change of the recipe taken back, or made again; it is shown once the book has it."""
        reader = self.session.reader
        if reader is None or self.recipe is None or self.session.read_only:
            return
        now = reader.revision("recipe", self.recipe.name)
        if now is None or not now[1 if back else 2]:
            self._tell(f"There is no change of this recipe to {'take back' if back else 'make again'}.")
            return
        self._stepped_from = now[0]
        (self.session.undo if back else self.session.redo)("recipe", self.recipe.name)

    # What is shown

    def _tell(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def _show(self, problem: str = "") -> None:
        found = self.found
        few = NOBODY if found is None else ALONE if len(found.units) < 2 else ""
        self._tell(problem)
        self.sheet.show_found(found)
        letters = {tag: letter(n) for n, tag in enumerate(found.units)} if found is not None else {}
        self.over.show_found(self._curves, found.figures if found is not None else (), letters)
        self.feeds.show_found(self.feeding, found, letters)
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
            hangs = "" if one.hangs is None else " The order hangs on it." if one.hangs else " No rank hangs on it."
            why = one.why if flatters else f"{one.why[:1].upper()}{one.why[1:]}"
            lines.append(f"{one.differs}: {values}. {flatters}{why}.{hangs}")
        self.conditions.setText("Not alike.  " + "  ".join(lines) if lines else "Taken under the same conditions.")
        self._show_recipe()

    def _show_alone(self, found: Compared) -> bool:
        """One unit before and after, or specimens of few models: what is said of them in place of a ranking."""
        if found.changes:
            real = sorted((c for c in found.changes if c.real), key=lambda c: -abs(c.change) / c.u)
            self.place.heading.setText("Before and after")
            self.place.remark.setText(f"A {found.units[0]}, B {found.units[1]}")
            self.named.setText("")
            self.verdict.setText(f"{counted(len(real), 'figure')} changed by more than both are uncertain by.")
            told = [f"{c.title}, {c.where}: {c.before:.4g} to {c.after:.4g} {UNIT_WORDS.get(c.unit, c.unit)}".rstrip()
                    for c in real[:MOST_CHANGES]]  # fmt: skip
            self.others.setText(".  ".join(told))
        elif found.spreads:
            apart = [s for s in found.spreads if s.told_apart]
            self.place.heading.setText("Specimens")
            self.place.remark.setText("")
            self.named.setText(f"{counted(len(found.units), 'specimen')} of "
                               f"{counted(len({m for s in found.spreads for m in s.models}), 'model')}")  # fmt: skip
            self.verdict.setText(f"Models differ by more than their specimens in {counted(len(apart), 'figure')}.")
            first = found.spreads[0]
            told = [f"{m}: {one.low:.4g} to {one.high:.4g} {UNIT_WORDS.get(first.unit, first.unit)}".rstrip()
                    for m, one in first.models.items() if one.low is not None and one.high is not None]  # fmt: skip
            self.others.setText(
                f"{first.title}, {first.where}; 95 % of all that are made, 95 % sure: {'; '.join(told)}"
            )
        return bool(found.changes or found.spreads)

    def _show_recipe(self) -> None:
        found, recipe = self.found, self.recipe
        self.place.heading.setText("Ranking")
        self.place.remark.setText(BY_RECIPE)
        if found is not None and self._show_alone(found):
            self.weights.show_rows([], locked=True)
            return
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


def _reported(
    found: Compared, runs: Sequence[JudgedRun], recipe: Recipe | None, feeding: Feeding | None, out: Path
) -> Iterator[str]:
    """In a thread: why it was not written; empty where it was."""
    from zincsmith.report.compared import rendered
    from zincsmith.report.pages import write_pages

    try:
        write_pages(rendered(found, runs, recipe, feeding), out)
    except ZincsmithError as error:
        yield str(error)
        return
    yield ""


def _judged(which: list[Which]) -> Iterator[tuple[tuple[JudgedRun, ...], Sequence[Curves], str]]:
    """In a thread: each of them judged, and their curves; what cannot be is told."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run
    from zincsmith.showing.compare import labels_of
    from zincsmith.showing.laid_over import laid_over

    found: list[JudgedRun] = []
    problems: list[str] = []
    for book, run in which:
        try:
            with BookReader(book) as reader:
                found.append(judge_run(reader, run))
        except ZincsmithError as error:
            problems.append(str(error))
    yield tuple(found), laid_over(found, labels_of(found)), "; ".join(problems)
