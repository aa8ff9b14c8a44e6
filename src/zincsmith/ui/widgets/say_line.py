"""One line for everything a person says during a run: notes, marks, and the reasons for what is done to readings."""

from __future__ import annotations

import re
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit

from zincsmith.formats.entry import parse_entry
from zincsmith.history.ended import doubt_ended
from zincsmith.model.errors import InputError
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import tip


@dataclass(frozen=True)
class Saying:
    """``do`` is what the line is for; ``point`` or ``reading`` what it is about; ``unit`` of a corrected reading."""

    do: str
    prompt: str
    point: int = 0
    reading: str = ""
    unit: str = ""
    before: str = ""  # put in front of a note


class SayLine(QLineEdit):
    """Hidden until something is to be said. Signals: ``said`` (command, text, body), ``left``."""

    said = Signal(str, str, dict)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(14))
        self.setMinimumWidth(420)
        self.setAccessibleName("What is to be said")
        self._saying: Saying | None = None
        self.returnPressed.connect(self._say)
        self.hide()

    def begin(self, saying: Saying) -> None:
        """Show the line for something; what it is about stands in it until the first key."""
        self._saying = saying
        self.clear()
        self.setPlaceholderText(saying.prompt)
        self.setAccessibleName(saying.prompt)
        self.show()
        self.setFocus()

    def leave(self) -> None:
        self._saying = None
        self.hide()
        self.left.emit()

    def _say(self) -> None:
        one, text = self._saying, self.text().strip()
        if one is None or (not text and one.do != "mark"):
            return
        if one.do in ("note", "mark"):
            self.said.emit(one.do, f"{one.before}{text}", {})
        elif one.do == "sign":
            self.said.emit("sign", "", {"by": text})
        elif one.do == "amend":
            by, colon, what = text.partition(":")
            if not colon or not by.strip() or not what.strip():
                self.setPlaceholderText("Name first, then what is added")
                self.setToolTip("Name, a colon, what is added: Elin Ward: the meter was recalibrated")
                return
            self.said.emit("amend", what.strip(), {"by": by.strip()})
        elif one.do == "end doubt":
            try:
                event = doubt_ended(one.before, text)
            except InputError as error:
                self.clear()
                self.setPlaceholderText(error.message)
                self.setToolTip(tip(error.message))
                return
            body = {"doubt": event.doubt, "how": event.how, "by": event.by}
            self.said.emit("end doubt", event.evidence, body)
        elif one.do == "correct":
            try:
                value, reason = split_correction(text, one.unit)
            except InputError as error:
                self.setPlaceholderText(error.message)
                self.setToolTip(tip(error.message))
                return
            self.said.emit("correct", value, {"reading": one.reading, "reason": reason})
        else:
            named = re.match(r"(\d+)\s*:\s*(.*)", text)
            point, reason = (int(named.group(1)), named.group(2)) if named else (one.point, text)
            self.said.emit(one.do, "", {"point": point, "reason": reason})
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
