"""What floats: it is told, read and gone, and no page moves for it.

Its place is the strip at the top, right of the unit's plate: nothing there is pressed or typed into.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMainWindow, QWidget

from zincsmith.ui.widgets.panel import label

PLATE = 360  # of the strip: the unit is seen whatever is said
LEAST, EDGE = 48, 8
STRIP = "unitstrip"  # the name of the strip


class Floating(QFrame):
    """Lies over the strip of its host, whatever the host's layout does; without a strip at the host's top. Of two, the
    one of more ``weight`` is seen."""

    weight = 0

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        host.installEventFilter(self)
        self.hide()

    def tall(self, width: int) -> int:
        """How high it has to be at this width."""
        return self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height()

    def settle(self) -> None:
        """Take its place, above what else is there."""
        host = self.parentWidget()
        if host is None:
            return
        strip = host.findChild(QWidget, STRIP)
        room = strip.geometry().adjusted(PLATE, 0, 0, 0) if strip is not None else host.rect()
        width = room.width() - EDGE
        self.setGeometry(QRect(room.left(), room.top() + 4, width, max(LEAST, self.tall(width))))
        for one in sorted(host.findChildren(Floating), key=lambda f: f.weight):
            if one.weight >= self.weight:  # what weighs more stays on top
                one.raise_()

    def eventFilter(self, host: QObject, event: QEvent) -> bool:
        if self.isVisible() and host is self.parentWidget() and event.type() == QEvent.Type.Resize:
            self.settle()
        return False


class Message(Floating):
    """What is wrong on a page, shown with it until it is mended, or until a click takes it away. An empty text hides
    it."""

    def __init__(self, page: QWidget) -> None:
        super().__init__(page)
        self._page = page
        self.setObjectName("alarm")
        self._label = label("", 14, 400, "problem", wrap=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 12, 5)
        row.addWidget(self._label)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("A click takes this away")

    def text(self) -> str:
        return self._label.text()

    def setText(self, text: str) -> None:
        if text == self._label.text():
            return  # one that was clicked away stays away until something else is wrong
        self._label.setText(text)
        self.setAccessibleName(text)
        self._tell()

    def _tell(self) -> None:
        window = self._page.window()
        centre = window.centralWidget() if isinstance(window, QMainWindow) else None
        if centre is not None and self.parent() is not centre:
            self.setParent(centre)
            centre.installEventFilter(self)
        self.setVisible(bool(self.text()) and self._page.isVisible())
        if self.isVisible():
            self.settle()

    def eventFilter(self, host: QObject, event: QEvent) -> bool:
        if host is self._page and event.type() in (QEvent.Type.Show, QEvent.Type.Hide):
            self._tell()
        return super().eventFilter(host, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hide()
