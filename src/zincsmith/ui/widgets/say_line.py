"""One line for everything a person says during a run: notes, marks, and the reasons for what is done to readings."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit

from zincsmith.formats.entry import parse_entry
from zincsmith.model.commands import Command
from zincsmith.model.errors import InputError
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import label


@dataclass(frozen=True)
class Saying:
    """``command`` makes a command of what was typed; InputError says what is wrong with it. ``empty``: nothing need
    be typed."""

    prompt: str
    command: Callable[[str], Command]
    empty: bool = False


class SayLine(QLineEdit):
    """Hidden until something is to be said; ``problem`` goes below it. Signals: ``said`` (the command), ``left``."""

    said = Signal(Command)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(14))
        self.setMinimumWidth(420)
        self.setAccessibleName("What is to be said")
        self.problem = label("", 13, 400, "problem", wrap=True)
        self.problem.hide()
        self._saying: Saying | None = None
        self.returnPressed.connect(self._say)
        self.hide()

    def begin(self, saying: Saying) -> None:
        """Show the line for something; what it is about stands in it until the first key."""
        self._saying = saying
        self.clear()
        self._show_problem("")
        self.setPlaceholderText(saying.prompt)
        self.setAccessibleName(saying.prompt)
        self.show()
        self.setFocus()

    def leave(self) -> None:
        self._saying = None
        self._show_problem("")
        self.hide()
        self.left.emit()

    def _show_problem(self, words: str) -> None:
        self.problem.setText(words)
        self.problem.setVisible(bool(words))

    def _say(self) -> None:
        one, text = self._saying, self.text().strip()
        if one is None or (not text and not one.empty):
            return
        try:
            command = one.command(text)
        except InputError as error:  # what was typed stays
            self._show_problem(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.said.emit(command)
        self.leave()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
            return
        super().keyPressEvent(event)


def split_correction(text: str, unit: str) -> tuple[str, str]:
    """``45.1 digits swapped`` as value and reason: the longest beginning that is a reading. InputError without."""
    words = text.split()
    for n in range(min(len(words), 3), 0, -1):
        value = " ".join(words[:n])
        try:
            parse_entry(value, unit)
        except InputError:
            continue
        reason = " ".join(words[n:])
        if not reason:
            raise InputError("say why behind the value: 45.1 digits swapped")
        return value, reason
    raise InputError("begin with the value, then say why: 45.1 digits swapped")


def split_point(text: str, point: int) -> tuple[int, str]:
    """``3: mains dip`` as the point that is named and the reason; ``point`` where none is."""
    named = re.match(r"(\d+)\s*:\s*(.*)", text)
    return (int(named.group(1)), named.group(2)) if named else (point, text)


def split_name(text: str) -> tuple[str, str]:
    """``Elin Ward: the meter was recalibrated`` as who says it and what. InputError without either."""
    by, _, what = (part.strip() for part in text.partition(":"))
    if not by or not what:
        raise InputError("name, a colon, what is added: Elin Ward: the meter was recalibrated")
    return by, what
