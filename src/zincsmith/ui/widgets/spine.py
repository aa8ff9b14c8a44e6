"""The spine: the stations in the order of the work, each with a mark of its state."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import theme

MARKS = ("empty", "under way", "complete", "attention")
WIDTH = 128


class StationButton(QAbstractButton):
    """One station. ``mark`` is empty, under way, complete or attention."""

    def __init__(self, number: int, title: str) -> None:
        super().__init__()
        self.title, self.mark = title, "empty"
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setAccessibleName(f"{title}, Alt+{number}")
        self.setToolTip(f"Alt+{number}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def set_mark(self, mark: str) -> None:
        if mark != self.mark:
            self.mark = mark
            self.setAccessibleDescription(mark)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 48)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        chosen = self.isChecked()
        rect = QRectF(self.rect())
        if chosen:
            p.fillRect(rect, t.color("ground"))
        color = t.color("ink") if chosen else t.color("spine_ink")
        self._paint_mark(p, QRectF(16, rect.center().y() - 6, 12, 12), color)
        ink.write(p, QRectF(40, 0, rect.width() - 44, rect.height()), self.title, 15, 600 if chosen else 400, color)
        if self.hasFocus():
            p.setPen(QPen(color, 1.0, Qt.PenStyle.DotLine))
            p.drawRect(rect.adjusted(3, 3, -4, -4))

    def _paint_mark(self, p: QPainter, box: QRectF, color: QColor) -> None:
        if self.mark == "attention":
            p.fillRect(box, theme().color("alarm") if self.isChecked() else QColor("#d2503d"))
            p.fillRect(QRectF(box.center().x() - 1, box.top() + 2, 2, 5), QColor("#ffffff"))
            p.fillRect(QRectF(box.center().x() - 1, box.top() + 8.5, 2, 2), QColor("#ffffff"))
            return
        p.setPen(QPen(color, 1.5))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
        if self.mark == "complete":
            p.fillRect(box, color)
        elif self.mark == "under way":
            p.fillRect(QRectF(box.left(), box.center().y(), box.width(), box.height() / 2), color)


class Spine(QWidget):
    """Signal ``chosen`` carries the station's title."""

    chosen = Signal(str)

    def __init__(self, stations: list[tuple[int, str]]) -> None:
        super().__init__()
        self.setFixedWidth(WIDTH)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 60, 0, 0)
        layout.setSpacing(4)
        self.buttons: dict[str, StationButton] = {}
        for number, title in stations:
            button = StationButton(number, title)
            button.clicked.connect(lambda _=False, name=title: self.chosen.emit(name))
            layout.addWidget(button)
            self.buttons[title] = button
        layout.addStretch()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme().color("spine"))
        ink.write(p, QRectF(16, 10, WIDTH - 20, 36), "Zincsmith", 20, 600, theme().color("spine_ink"))
        p.setPen(theme().color("line"))
        if theme().name == "dark":
            p.drawLine(QPointF(WIDTH - 0.5, 0), QPointF(WIDTH - 0.5, self.height()))
