"""Paper panels, headings and labels: the plain furniture of the stations."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QKeySequence, QPainter, QPaintEvent, QShortcut
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from zincsmith.formats.decimal_marks import on_screen
from zincsmith.formats.plain_text import shown
from zincsmith.ui.theme import font

LONGEST = 4000  # characters that a label or a tip shows


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
        self.remark = cut_label(remark, 13, 400, "second")  # a long remark never widens the station
        self.head.addWidget(self.heading)
        self.head.addWidget(self.remark)
        self.head.addStretch()
        if heading:
            self.body.addLayout(self.head)


class Words(QLabel):
    """Text as it is, whatever stands in it: never markup, what would steer the line is written out, and a megabyte that
    somebody typed is cut. ``rich`` marks the exception, whose foreign parts are escaped."""

    def __init__(self, text: str, rich: bool = False) -> None:
        super().__init__()
        self._rich = rich
        self.setTextFormat(Qt.TextFormat.RichText if rich else Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str) -> None:
        super().setText(text if self._rich else on_screen(shown(text, LONGEST)))


def label(
    text: str, size: int = 13, weight: int = 400, name: str = "", wrap: bool = False, rich: bool = False
) -> QLabel:
    """A label in the house face; ``name`` second, problem or doubtink chooses its colour."""
    made = Words(text, rich)
    made.setFont(font(size, weight))
    made.setWordWrap(wrap)
    if name:
        made.setObjectName(name)
    return made


def scrolling(spacing: int = 6) -> tuple[QScrollArea, QVBoxLayout]:
    """(area, what goes into it): texts that may be longer than their room. It takes no focus."""
    area, inside = QScrollArea(), QWidget()
    area.setWidgetResizable(True)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    inside.setObjectName("inside")
    column = QVBoxLayout(inside)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(spacing)
    area.setWidget(inside)
    return area, column


class CutLabel(Words):
    """A line that gives way where there is no room for it: cut with an ellipsis, whole in its tool tip. It never pushes
    what stands beside it out of the window. ``least`` px it is given before others beside it."""

    least = 24  # an ellipsis

    def minimumSizeHint(self) -> QSize:
        return QSize(min(self.least, self.sizeHint().width()), super().minimumSizeHint().height())

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(tip(text))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        room = float(self.width())
        fitted = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, max(1, self.width()))
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(QRectF(0.0, 0.0, room, float(self.height())), Qt.AlignmentFlag.AlignVCenter, fitted)


def cut_label(text: str, size: int, weight: int = 400, name: str = "") -> CutLabel:
    made = CutLabel(text)
    made.setFont(font(size, weight))
    if name:
        made.setObjectName(name)
    return made


def tip(text: str) -> str:
    """The text for a tool tip, which would take it for markup if it looked like it."""
    return f"<qt>{escape(shown(text, LONGEST))}</qt>" if text else ""


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
    row.setSpacing(9)
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
