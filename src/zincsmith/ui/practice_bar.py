"""The bar of a book of practice: what it is, and where what was found is stated."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.model.practice import FAULTS, Practice
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import button, key_button, label

if TYPE_CHECKING:
    from zincsmith.book.reader import BookReader

KEYS = "State what is wrong…  Ctrl+Shift+W"
ASKS = "Practice, level {level}: something may be wrong with this unit or its bench. Plan, measure, then state it."


class PracticeBar(QWidget):
    """Hidden where the book is none of practice."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.shown = session, False
        self._told = ""
        self._beside = Beside(self, at_once=1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 4)
        row = QHBoxLayout()
        self.words = label("", 13, 600, "doubtink", wrap=True)
        row.addWidget(self.words, 1)
        self.begin = key_button(KEYS, self._begin, self)
        self.begin.setMinimumHeight(26)
        row.addWidget(self.begin)
        column.addLayout(row)
        self.asked = QWidget()
        line = QHBoxLayout(self.asked)
        line.setContentsMargins(0, 0, 0, 0)
        self.fault = Choice()
        self.fault.setAccessibleName("What is wrong")
        for name, words in FAULTS.items():
            self.fault.addItem(f"{name}: {words}", name)
        self.by = self._line("Who states it")
        self.value = self._line("How much, where it has a figure", "How much")
        self.u = self._line("± how much")
        self.do = button("State it", "main")
        self.do.clicked.connect(self._state)
        for widget in (self.fault, self.by, self.value, self.u, self.do):
            line.addWidget(widget)
        column.addWidget(self.asked)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        self.asked.hide()
        self.hide()

    def _line(self, name: str, short: str = "") -> QLineEdit:
        made = QLineEdit()
        made.setFont(font(13))
        made.setPlaceholderText(short or name)
        made.setAccessibleName(name)
        made.returnPressed.connect(self._state)
        return made

    def refresh(self) -> None:
        reader = self.session.reader
        practice = reader.practice() if reader is not None else None
        self.shown = practice is not None
        self.setVisible(self.shown)
        if reader is None or practice is None:
            return
        if practice.stated:
            self._show_score(reader)
        elif not self._told:
            self.words.setText(ASKS.format(level=practice.level))

    def _show_score(self, reader: BookReader) -> None:
        from zincsmith.practice.finding_it import scored, words_of

        self.asked.hide()
        self.begin.hide()
        self.words.setText(f"Practice.  {'  '.join(words_of(scored(reader)))}")

    def _begin(self) -> None:
        self.asked.setVisible(not self.asked.isVisible())
        self.fault.setFocus()

    def _state(self) -> None:
        try:
            value = parse_entry(self.value.text(), "1") if self.value.text().strip() else None
            u = parse_entry(self.u.text(), "1") if self.u.text().strip() else None
        except InputError as error:
            self._tell(error.message)
            return
        work = partial(_stated, self.session.book_path, str(self.fault.currentData()), self.by.text(), value, u)
        self._beside.start(work, self._take)

    def _take(self, came: tuple[Practice | None, str]) -> None:
        practice, problem = came
        self._tell(problem)
        if practice is not None:
            from zincsmith.practice.finding_it import KEY

            self.session.keep("practice", KEY, practice, "what was found was stated")

    def _tell(self, text: str) -> None:
        self._told = text
        if text:
            self.words.setText(f"{text[:1].upper()}{text[1:]}.")


def _stated(
    book: Path, fault: str, by: str, value: float | None, u: float | None
) -> Iterator[tuple[Practice | None, str]]:
    """In a thread: the stand-in is a process that is asked."""
    from zincsmith.book.reader import BookReader
    from zincsmith.practice.finding_it import stated

    try:
        with BookReader(book) as reader:
            yield stated(reader, fault, by, value, u), ""
    except InputError as error:
        yield None, error.message
    except ZincsmithError as error:
        yield None, str(error)
