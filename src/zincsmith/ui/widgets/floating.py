"""What floats over a page: it is told, read and gone, and nothing on the page moves for it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QWidget

from zincsmith.ui.widgets.panel import label

EDGE, WIDEST = 16, 760


class Floating(QFrame):
    """Stays where ``place`` puts it in its host, above everything else there, whatever the host's layout does."""

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        host.installEventFilter(self)
        self.hide()

    def place(self, room: QRect) -> QRect:
        """Where it lies in the room of its host: at the foot, as wide as it needs."""
        width = min(WIDEST, room.width() - 2 * EDGE)
        height = self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height()
        return QRect(EDGE, room.height() - height - EDGE, width, height)

    def settle(self) -> None:
        """Take its place, above what else is there."""
        host = self.parentWidget()
        if host is not None:
            self.setGeometry(self.place(host.rect()))
            self.raise_()

    def eventFilter(self, host: QObject, event: QEvent) -> bool:
        if self.isVisible() and host is self.parentWidget() and event.type() in (QEvent.Type.Resize, QEvent.Type.Show):
            self.settle()
        return False


class Message(Floating):
    """What is wrong, until it is mended, or until a click on it takes it away. An empty text hides it."""

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        self.setObjectName("alarm")
        self._label = label("", 14, 400, "problem", wrap=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 7, 12, 7)
        row.addWidget(self._label)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def text(self) -> str:
        return self._label.text()

    def setText(self, text: str) -> None:
        if text == self._label.text():
            return  # one that was clicked away stays away until something else is wrong
        self._label.setText(text)
        self.setAccessibleName(text)
        if text:
            self._above_what_scrolls()
        self.setVisible(bool(text))
        if text:
            self.settle()

    def _above_what_scrolls(self) -> None:
        """Where the page is scrolled, it stands over what is seen of it and does not move along."""
        above: QObject | None = self.parent()
        while above is not None and not isinstance(above, QScrollArea):
            above = above.parent()
        if isinstance(above, QScrollArea) and self.parent() is not above.viewport():
            self.setParent(above.viewport())
            above.viewport().installEventFilter(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hide()
