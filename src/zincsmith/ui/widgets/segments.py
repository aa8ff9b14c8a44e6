"""A row of joined buttons of which one is chosen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from zincsmith.ui.theme import font


class Segments(QWidget):
    """Signal ``chosen`` carries the word of the segment a person has chosen."""

    chosen = Signal(str)

    def __init__(self, name: str, words: Sequence[str], size: int = 13) -> None:
        super().__init__()
        self.setAccessibleName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for word in words:
            button = QPushButton(word)
            button.setObjectName("segment")
            button.setProperty("first", not self.buttons)  # the others share the border of their neighbour
            button.setCheckable(True)
            button.setFont(font(size))
            button.setAccessibleName(f"{name}: {word}")
            button.clicked.connect(lambda _=False, w=word: self.chosen.emit(w))
            self._group.addButton(button)
            self.buttons[word] = button
            row.addWidget(button)

    def choose(self, word: str) -> None:
        """Show one as chosen; an unknown word chooses none."""
        self._group.setExclusive(False)
        for name, button in self.buttons.items():
            button.setChecked(name == word)
        self._group.setExclusive(True)
