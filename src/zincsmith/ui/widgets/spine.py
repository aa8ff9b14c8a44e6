"""The spine: the stations in the order of the work, each with a mark of its state."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import theme

ROOMY = 1200  # wide enough for names beside the marks
MARKS = ("empty", "under way", "complete", "attention")
WIDTH, NARROW = 128, 62  # on a small screen the names stand under the marks


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
        return QSize(NARROW, 48)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        chosen = self.isChecked()
        rect = QRectF(self.rect())
        if chosen:
            p.fillRect(rect, t.color("ground"))
        color = t.color("ink") if chosen else t.color("spine_ink")
        weight = 600 if chosen else 400
        if rect.width() < WIDTH:
            self._paint_mark(p, QRectF(rect.center().x() - 6, 8, 12, 12), color)
            ink.write(p, QRectF(0, 23, rect.width(), 18), self.title, 12, weight, color, ink.CENTRE)
        else:
            self._paint_mark(p, QRectF(16, rect.center().y() - 6, 12, 12), color)
            ink.write(p, QRectF(40, 0, rect.width() - 44, rect.height()), self.title, 15, weight, color)
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

    def fit(self, window_width: int) -> None:
        """Narrow where the window has no room to spare."""
        self.setFixedWidth(NARROW if window_width < ROOMY else WIDTH)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme().color("spine"))
        narrow = self.width() < WIDTH
        name = QRectF(0, 10, self.width(), 36) if narrow else QRectF(16, 10, WIDTH - 20, 36)
        align = ink.CENTRE if narrow else ink.LEFT
        ink.write(p, name, "Zincsmith", 13 if narrow else 20, 600, theme().color("spine_ink"), align)
        p.setPen(theme().color("line"))
        if theme().name == "dark":
            p.drawLine(QPointF(self.width() - 0.5, 0), QPointF(self.width() - 0.5, self.height()))
