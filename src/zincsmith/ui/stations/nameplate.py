"""Nameplate: what does it claim, and what does it look like? The label is typed as printed; all else follows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.before_power.label_doubts import label_doubts
from zincsmith.before_power.line_links import Link, links
from zincsmith.formats.label_plate import fold, merge
from zincsmith.formats.plate_check import Problem, check_unit
from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.formats.words import counted
from zincsmith.judge.reported import looked_for
from zincsmith.model.claim import StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.intake import LookOver, Part, Photograph
from zincsmith.model.reported import Reported
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.cautions import cautions_for
from zincsmith.ui.connection.session import Session
from zincsmith.ui.nameplate.claims_panel import ClaimsPanel
from zincsmith.ui.nameplate.label_lines import LabelLines
from zincsmith.ui.nameplate.look_page import VERDICTS, LookPage
from zincsmith.ui.nameplate.parts_page import PartsPage
from zincsmith.ui.nameplate.photos import PhotoStrip
from zincsmith.ui.nameplate.ratings_form import RatingsForm
from zincsmith.ui.nameplate.reported_page import ReportedPage
from zincsmith.ui.nameplate.safety_page import SafetyPage
from zincsmith.ui.nameplate.states_page import StatesPage
from zincsmith.ui.nameplate.summary import LookSummary, PartsSummary
from zincsmith.ui.nameplate.unit_choice import NEW, UnitChoice
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.floating import Message
from zincsmith.ui.widgets.pages import Pages
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.rating_edit import RatingEdit
from zincsmith.ui.widgets.rating_plate import RatingPlate
from zincsmith.ui.widgets.segments import Segments

PAGES = ("Label, claims", "Look-over", "Parts", "Terminals", "Safety", "Reports")
IDENTITY = (("maker", "Maker"), ("model", "Model"), ("tag", "Tag"), ("serial", "Serial"))
Sheet = RatingsForm | LookPage | PartsPage | StatesPage | SafetyPage | ReportedPage


class NameplateStation(Station):
    """A wrong entry stays where it was typed, with the reason; nothing else is lost by it. Every edit can be undone."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._typed: Unit | None = None
        self._wrong: dict[str, str] = {}
        self._linked_of: tuple[object, ...] = ()
        self._links: tuple[Link, ...] = ()
        self.problem = Message(self)
        self.plate, self.lines = RatingPlate(), LabelLines()
        self.claims = ClaimsPanel()
        self.look_summary, self.parts_summary = LookSummary(), PartsSummary()
        self.photos = PhotoStrip(session)
        self.undo, self.redo = button("Undo", weight=400), button("Redo", weight=400)
        self.take_file, self.give_file = button("Open…", weight=400), button("Save…", weight=400)
        self.take_file.setAccessibleName("Open a unit from a TOML file")
        self.give_file.setAccessibleName("Save the unit as a TOML file")
        self.count = label("", 13, 400, "second")
        self.count.setMinimumWidth(1)
        self.which = UnitChoice(session)
        self.which.begun.connect(self.take_focus)
        self._lay_out()
        self._connect()

    # Laying out

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Nameplate")
        self.pages = Segments("Page", PAGES, 12)
        self.pages.choose(PAGES[0])
        row.addWidget(self.pages)
        row.addWidget(self.count)
        row.addStretch()
        for one in (self.which, self.undo, self.redo, self.take_file, self.give_file):
            row.addWidget(one)
        outer.addLayout(row)
        self.stack = Pages()
        self.stack.addWidget(self._overview())
        pages: tuple[tuple[type[Sheet], Callable[..., object]], ...] = (
            (LookPage, self._take_look),
            (PartsPage, self._take_parts),
            (StatesPage, self._give),
            (SafetyPage, self._give),
            (ReportedPage, self._take_reported),
        )
        for kind, take in pages:
            self.stack.add_later(partial(self._sheet, kind, take))
        outer.addWidget(self.stack, 1)

    def _overview(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(9)
        left = QVBoxLayout()
        left.setSpacing(9)
        top = QHBoxLayout()
        top.setSpacing(9)
        top.addWidget(self._label_panel(), 6)
        self.plate_panel = Panel("Rating plate", "drawn as you type")
        self.plate_panel.body.addWidget(self.plate, 1)
        self.doubts = label("", 13, 400, "doubtink", wrap=True)
        self.plate_panel.body.addWidget(self.doubts)
        top.addWidget(self.plate_panel, 5)
        left.addLayout(top, 10)
        left.addWidget(self.claims, 11)
        self._left = left
        row.addLayout(left, 1)
        row.addLayout(self._summary())
        return page

    def _label_panel(self) -> Panel:
        panel = Panel("Type the label as it is printed")
        self.mode = Segments("Ratings as", ("Lines", "Fields"))
        self.mode.choose("Lines")
        panel.head.addWidget(self.mode)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self.identity: dict[str, RatingEdit] = {}
        for n, (key, words) in enumerate(IDENTITY):
            edit = RatingEdit()
            edit.setFont(font(14))
            edit.setAccessibleName(words)
            edit.editingFinished.connect(self._take_identity)
            name = label(words, 12, 400, "second")
            name.setBuddy(edit)
            grid.addWidget(name, n // 2, 2 * (n % 2))
            grid.addWidget(edit, n // 2, 2 * (n % 2) + 1)
            self.identity[key] = edit
        panel.body.addLayout(grid)
        self.ratings = Pages()
        self.ratings.addWidget(self.lines)
        self.ratings.add_later(lambda: self._sheet(RatingsForm, lambda unit: self._give(unit, "ratings")))
        panel.body.addWidget(self.ratings, 1)
        return panel

    def _summary(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(9)
        look = Panel("Look-over")
        look.head.addWidget(self._opener("Look it over", PAGES[1]))
        look.body.addWidget(self.look_summary, 1)
        self.verdict = Segments("Verdict", VERDICTS, 12)
        look.body.addWidget(self.verdict)
        parts = Panel("Parts", "of its rating")
        parts.head.addWidget(self._opener("Enter parts", PAGES[2]))
        parts.body.addWidget(self.parts_summary, 1)
        photos = Panel("Photographs")
        photos.body.addWidget(self.photos, 1)
        photos.setMaximumHeight(172)
        for panel, stretch in ((look, 6), (parts, 6), (photos, 0)):
            panel.setFixedWidth(346)
            column.addWidget(panel, stretch)
        return column

    def _sheet(self, kind: type[Sheet], take: Callable[..., object]) -> Sheet:
        """A page with its signals: what it edits, and what is wrong on it."""
        made = kind()
        made.edited.connect(take)
        made.wrong.connect(lambda text: self._say(kind.__name__, text))
        return made

    def _opener(self, words: str, page: str) -> QWidget:
        one = button(words, weight=400)
        one.clicked.connect(lambda: self.open_page(page))
        return one

    def _connect(self) -> None:
        self.pages.chosen.connect(self.open_page)
        self.mode.chosen.connect(self.choose_mode)
        self.lines.typed.connect(self._preview)
        self.lines.taken.connect(self._take_lines)
        self.lines.at.connect(self._light_line)
        self.claims.at.connect(lambda key: self._light(lambda _, link: key in link.claims))
        self.claims.edited.connect(self._take_plate)
        self.verdict.chosen.connect(self._take_verdict)
        self.photos.captioned.connect(self._take_photos)
        self.photos.wrong.connect(lambda text: self._say("photos", text))
        self.undo.clicked.connect(lambda: self.session.undo("unit"))
        self.redo.clicked.connect(lambda: self.session.redo("unit"))
        self.take_file.clicked.connect(self._open_file)
        self.give_file.clicked.connect(self._save_file)
        keys: tuple[tuple[str, Callable[[], object]], ...] = (
            ("Ctrl+Z", lambda: self.session.undo("unit")),
            ("Ctrl+Shift+Z", lambda: self.session.redo("unit")),
            ("Ctrl+PgDown", lambda: self._turn(1)),
            ("Ctrl+PgUp", lambda: self._turn(-1)),
        )
        for key, action in keys:
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(action)

    # Showing

    def refresh(self) -> None:
        unit, locked = self.session.unit, bool(self.session.read_only)
        can_undo, can_redo = self.session.steps("unit")
        self.undo.setEnabled(can_undo)
        self.redo.setEnabled(can_redo)
        self.give_file.setEnabled(unit is not None)
        self.take_file.setEnabled(not locked)
        self.lines.show_lines(unit.label if unit is not None else ())
        self.lines.lock(locked)
        for key, edit in self.identity.items():
            if not edit.property("wrong"):
                edit.setText(getattr(unit, key) if unit is not None else "")
                edit.setModified(False)
            edit.setReadOnly(locked)
        self._typed = None
        self.which.show_units(locked)
        self._show(unit, locked)

    def _show(self, unit: Unit | None, locked: bool) -> None:
        self.plate.show_unit(unit)
        self.claims.show_unit(self.session.unit, unit.nameplate if unit is not None else None, locked)
        doubts = label_doubts(unit) if unit is not None else []
        self._show_doubts([d.text for d in doubts if not d.at.startswith("part ")])
        self.count.setText(_counted(len(doubts), unit))
        at, form = self.stack.currentWidget(), self.ratings.currentWidget()
        if at is self.stack.widget(0):
            if isinstance(form, RatingsForm):
                form.show_unit(unit, locked)
            self.look_summary.show_unit(unit)
            self.parts_summary.show_unit(unit)
            self.photos.show_unit(unit, locked)
            self.verdict.choose(unit.look.verdict if unit is not None else "")
            self.verdict.setEnabled(unit is not None and not locked)
        elif isinstance(at, LookPage | PartsPage | StatesPage | SafetyPage):
            at.show_unit(unit, locked)
        elif isinstance(at, ReportedPage):
            at.show_unit(unit, locked, self._told_of(unit))

    def _told_of(self, unit: Unit | None) -> list[str]:
        """What the run shown says of the problems reported, where it is of this unit."""
        now = self.session.judging()
        if unit is None or now is None or now.run is None or now.run.unit.tag != unit.tag:
            return []
        return [f"{one.state}; {one.words}".rstrip("; ") for one in looked_for(replace(now.run, unit=unit))]

    def _show_doubts(self, texts: list[str]) -> None:
        more = f" ({len(texts) - 2} more)" if len(texts) > 2 else ""
        self.doubts.setText("\n".join(texts[:2]) + more)
        self.doubts.setVisible(bool(texts))

    def _say(self, sheet: str, text: str) -> None:
        """What is wrong on one sheet; it goes when that sheet is right again."""
        self._wrong[sheet] = text
        self.problem.setText(next((words for words in self._wrong.values() if words), ""))

    def take_focus_at(self, claim: StatedClaim) -> None:
        """Go on with a claim that was begun at Findings."""
        self.open_page(PAGES[0])
        self.claims.begin(claim)

    def open_page(self, page: str) -> None:
        """Show one of the pages of the station."""
        self.pages.choose(page)
        self.stack.setCurrentIndex(PAGES.index(page))
        self.refresh()

    def _turn(self, way: int) -> None:
        self.open_page(PAGES[(self.stack.currentIndex() + way) % len(PAGES)])

    def choose_mode(self, word: str) -> None:
        """Ratings as lines of the label, or as fields."""
        self.mode.choose(word)
        self.ratings.setCurrentIndex(1 if word == "Fields" else 0)
        self._show(self.session.unit, bool(self.session.read_only))
        self.plate_panel.setVisible(word == "Lines")
        self._left.setStretch(0, 10 if word == "Lines" else 14)

    def _light_line(self, n: int) -> None:
        unit = self.session.unit
        if unit is not None and n < len(unit.label):
            self._light(lambda k, _: k == n)
        else:  # nothing hangs on a line that is still empty
            self.lines.light(())
            self.plate.light(frozenset())
            self.claims.light(())

    def _light(self, touched: Callable[[int, Link], bool]) -> None:
        """What was typed once is one thing: line, plate and claims that hang together are set apart together."""
        unit = self.session.unit
        if unit is None:
            return
        of = (unit.nameplate, unit.label)
        if of != self._linked_of:
            self._linked_of, self._links = of, links(*of)
        found = [(n, link) for n, link in enumerate(self._links) if touched(n, link)]
        self.lines.light({n for n, _ in found})
        self.plate.light(frozenset[str]().union(*(link.parts for _, link in found)))
        self.claims.light(frozenset[str]().union(*(link.claims for _, link in found)))

    # Editing

    def _base(self) -> Unit:
        return self.session.unit if self.session.unit is not None else NEW

    def _labelled(self, lines: tuple[str, ...]) -> Unit:
        base = self._base()
        return replace(base, nameplate=merge(base.nameplate, base.label, lines), label=lines)

    def _preview(self, lines: tuple[str, ...]) -> None:
        """Plate and claims ahead of the book, while a line is typed."""
        unit = self._labelled(lines)
        if not check_unit(unit):
            self._typed = unit
            self.plate.show_unit(unit)
            self.claims.show_unit(None, unit.nameplate, True)
            self._show_doubts([d.text for d in label_doubts(unit)])

    def _take_lines(self, lines: tuple[str, ...]) -> None:
        unit = self._labelled(lines)
        left = [f"line {n + 1}: {text}" for n, text in fold(lines).left]
        if self._give(unit, "label") and left:
            self._say("label", f"Kept as printed, the plate has no place for it: {'; '.join(left)}.")
        if self.session.unit is not None and self.session.unit.label == lines:
            self.lines.settled(lines)

    def _take_identity(self) -> None:
        words: dict[str, Any] = {key: edit.text().strip() for key, edit in self.identity.items()}
        self.identity["tag"].mark("" if words["tag"] or self.session.unit is None else "needed")
        if not words["tag"]:
            if self.session.unit is not None:
                self._say("identity", "Tag: needed, it identifies the unit in the book.")
                return
            words["tag"] = NEW.tag
        self._say("identity", "")
        if any(text for key, text in words.items() if key != "tag") or self.session.unit is not None:
            self._give(replace(self._base(), **words), "identity")

    def _take_plate(self, plate: Nameplate, why: str) -> None:
        self._give(replace(self._base(), nameplate=plate), why)

    def _take_look(self, look: LookOver, why: str) -> None:
        self._give(replace(self._base(), look=look), why)

    def _take_verdict(self, word: str) -> None:
        base = self._base()
        self._give(replace(base, look=replace(base.look, verdict=word)), f"look-over: {word}")  # type: ignore[arg-type]
        if word != "fit to power":
            self.open_page(PAGES[1])

    def _take_parts(self, parts: tuple[Part, ...]) -> None:
        base = self._base()
        self._give(replace(base, look=replace(base.look, parts=parts)), "parts")

    def _take_reported(self, reported: tuple[Reported, ...]) -> None:
        self._give(replace(self._base(), reported=reported), "reported problems")

    def _take_photos(self, photos: tuple[Photograph, ...]) -> None:
        base = self._base()
        self._give(replace(base, look=replace(base.look, photographs=photos)), "photographs")

    def _give(self, unit: Unit, why: str) -> bool:
        """Into the book, if it makes sense; else the reason is said and what was typed stays."""
        if self.session.read_only:
            return False
        problems = check_unit(unit)
        self._say("unit", _problem_words(problems[0]) if problems else "")
        if problems:
            return False
        self._say("label", "")
        self.session.revise_unit(unit, f"{why}, at Nameplate")
        return True

    # Files

    def _open_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a unit file", "", "Units (*.toml)")
        if name:
            self.load_file(Path(name))

    def load_file(self, file: Path) -> None:
        """Take a unit file; what is wrong in it is said here and nothing changes."""
        try:
            unit = read_unit(file)
        except InputError as error:
            self._say("file", str(error))
            return
        self._say("file", "")
        self._give(unit, f"from {file.name}")

    def _save_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the unit as a file", "", "Units (*.toml)")
        if name:
            self.save_file(Path(name))

    def save_file(self, file: Path) -> None:
        """Write the unit as TOML; photographs stay in the book."""
        if self.session.unit is None:
            return
        try:
            file.write_text(unit_text(self.session.unit), encoding="utf-8")
        except OSError as error:
            self._say("file", f"{file}: cannot be written ({error.strerror}).")

    def take_focus(self) -> None:
        if self.session.unit is None or not self.session.unit.maker:
            self.identity["maker"].setFocus()
        else:
            self.lines.take_focus()


def _counted(doubts: int, unit: Unit | None) -> str:
    if unit is None:
        return "Begin with maker and model."
    cautions = sum(code not in unit.acknowledged for code in cautions_for(unit))
    parts = [counted(doubts, "doubt")] if doubts else []
    parts += [counted(cautions, "caution")] if cautions else []  # to be acknowledged at Safety
    return ", ".join(parts)


def _problem_words(problem: Problem) -> str:
    return f"{problem.message[0].upper()}{problem.message[1:]}."
