"""Paper panels, headings and labels: the plain furniture of the stations."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from zincsmith.ui.theme import font


class Panel(QFrame):
    """A sheet of paper with a heading, a quiet remark beside it and a vertical body."""

    def __init__(self, heading: str = "", remark: str = "", name: str = "paper") -> None:
        super().__init__()
        self.setObjectName(name)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(16, 10, 16, 12)
        self.body.setSpacing(6)
        self.head = QHBoxLayout()
        self.heading = label(heading, 15, 700)
        self.remark = label(remark, 13, 400, "second")
        self.remark.setMinimumWidth(1)  # a long remark is cut, it never widens the station
        self.head.addWidget(self.heading)
        self.head.addWidget(self.remark)
        self.head.addStretch()
        if heading:
            self.body.addLayout(self.head)


def label(text: str, size: int = 13, weight: int = 400, name: str = "", wrap: bool = False) -> QLabel:
    """A label in the house face; ``name`` second, problem or doubtink chooses its colour."""
    made = QLabel(text)
    made.setFont(font(size, weight))
    made.setWordWrap(wrap)
    if name:
        made.setObjectName(name)
    return made


def button(text: str, name: str = "", size: int = 13, weight: int = 600) -> QPushButton:
    """A push button; ``main`` makes it the most visible thing."""
    made = QPushButton(text)
    made.setFont(font(size, weight))
    if name:
        made.setObjectName(name)
    return made


def key_button(text: str, act: Callable[[], object], parent: QWidget) -> QPushButton:
    """A button whose last word is its key. The key acts at once: a button's own shortcut would act a tenth of a second
    late, and what is typed meanwhile would go astray."""
    made = button(text)
    made.setStyleSheet("padding-left: 7px; padding-right: 7px")
    made.clicked.connect(lambda: act())
    shortcut = QShortcut(QKeySequence(text.rpartition(" ")[2]), parent)
    shortcut.activated.connect(lambda: act() if made.isEnabled() else None)
    return made


def heading_row(title: str) -> tuple[QHBoxLayout, QLabel]:
    """The first row of a station: its name, then whatever the station adds."""
    row = QHBoxLayout()
    row.setSpacing(16)
    name = label(title, 23, 700)
    row.addWidget(name)
    return row, name


def clear(grid: QGridLayout) -> None:
    """Empty a grid of its widgets."""
    while (item := grid.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
