"""The options of one part of a plan, with the choices that people make; a wrong entry is refused where it stands."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from zincsmith.model.errors import InputError
from zincsmith.model.plan import Options
from zincsmith.procedures.catalogue import planned
from zincsmith.procedures.fields import Choosing, Field, Typing
from zincsmith.procedures.planning import Planned
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import clear, label, tip
from zincsmith.ui.widgets.rating_edit import RatingEdit

# What a number is in that nobody offered, by how the name of its field ends.
UNITS = {"_s": " s", "_min": " min", "minutes": " min", "hours": " h", "_percent": " %", "_V": " V", "_A": " A",
         "_W": " W", "_Hz": " Hz", "hertz": " Hz", "_MHz": " MHz", "_degC": " °C"}  # fmt: skip


def form_of(part: Options) -> tuple[Field, ...]:
    """What people choose and type of a part; nothing of one whose procedure is not installed."""
    return part.form if isinstance(part, Planned) else ()


class OptionsForm(QWidget):
    """Signal ``changed`` carries the part with one option changed."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(3)
        self._grid.setHorizontalSpacing(10)
        self._grid.setColumnStretch(1, 1)
        column.addLayout(self._grid)
        self.problem = label("", 13, 400, "problem", wrap=True)
        column.addWidget(self.problem)
        column.addStretch()
        self._part: Options | None = None
        self._edits: dict[str, QWidget] = {}

    def show_part(self, part: Options, locked: bool) -> None:
        same = type(part) is type(self._part)
        changed, self._part = part != self._part, part
        if same:  # in place: whoever is in a line stays there
            for one in form_of(part) if changed else ():
                self._update(one, part)
            for edit in self._edits.values():
                edit.setEnabled(not locked)
            return
        self.problem.setText("")
        self._edits.clear()
        clear(self._grid)
        for row, one in enumerate(form_of(part)):
            name = label(one.words, 13, 400, "second")
            edit = self._chooser(one, part) if isinstance(one, Choosing) else self._line(one, part)
            edit.setAccessibleName(one.words)
            edit.setEnabled(not locked)
            edit.setFont(font(13, 600))
            name.setBuddy(edit)
            self._edits[one.field] = edit
            self._grid.addWidget(name, row, 0)
            self._grid.addWidget(edit, row, 1)

    def _chooser(self, one: Choosing, part: Options) -> QWidget:
        choice = Choice()
        self._fill(choice, one, part)
        choice.activated.connect(lambda at, f=one.field: self._set(f, choice.itemData(at)))
        return choice

    @staticmethod
    def _fill(choice: Choice, one: Choosing, part: Options) -> None:
        """The choices, with the value in force in front where it is none of them."""
        now = one.of(part)
        known = [value for _, value in one.choices]
        unit = next((words for end, words in UNITS.items() if one.field.endswith(end)), "")
        shown = (
            "as the plan says" if isinstance(now, tuple) else f"{now:g}{unit}" if isinstance(now, float) else str(now)
        )
        choices = one.choices if now in known else ((shown, now), *one.choices)
        choice.clear()
        for words, value in choices:
            choice.addItem(words, value)
        choice.setCurrentIndex([value for _, value in choices].index(now))

    def _update(self, one: Choosing | Typing, part: Options) -> None:
        edit = self._edits[one.field]
        if isinstance(one, Choosing) and isinstance(edit, Choice):
            self._fill(edit, one, part)
        elif isinstance(one, Typing) and isinstance(edit, QLineEdit):
            words = one.show(getattr(part, one.field))
            if edit.text() != words and not edit.isModified():
                edit.setText(words)
                edit.setCursorPosition(0)

    def _line(self, one: Typing, part: Options) -> QWidget:
        edit = RatingEdit(one.show(getattr(part, one.field)))
        edit.setCursorPosition(0)
        edit.setToolTip(tip(edit.text()))
        edit.editingFinished.connect(lambda: self._read(one, edit))
        return edit

    def _read(self, one: Typing, edit: QLineEdit) -> None:
        if self._part is None or self._edits.get(one.field) is not edit:  # a line of a part that is not shown any more
            return
        if edit.text() == one.show(getattr(self._part, one.field)):
            edit.setModified(False)
            return
        try:
            value = one.read(edit.text())
        except InputError as error:
            self.problem.setText(f"{one.words}: {error.message}.")
            return
        edit.setModified(False)
        self._set(one.field, value)

    def _set(self, field: str, value: Any) -> None:
        if self._part is None:
            return
        fields = field.split()
        part = replace(self._part, **dict(zip(fields, value if len(fields) > 1 else (value,), strict=True)))
        try:
            planned(part).check()
        except InputError as error:
            self.problem.setText(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.problem.setText("")
        self.changed.emit(part)
