"""A stack of pages that asks only for the room its open page needs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QStackedWidget, QWidget


class Pages(QStackedWidget):
    """Unlike a plain stack, hidden pages do not widen it, and a page can be made when it is first opened."""

    def __init__(self) -> None:
        super().__init__()
        self._later: dict[int, Callable[[], QWidget]] = {}

    def add_later(self, make: Callable[[], QWidget]) -> None:
        """A page that is made when it is first opened."""
        self._later[self.addWidget(QWidget(self))] = make

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint() if page is not None else super().minimumSizeHint()

    def setCurrentIndex(self, index: int) -> None:
        make = self._later.pop(index, None)
        if make is not None:
            if (empty := self.widget(index)) is not None:
                self.removeWidget(empty)
            self.insertWidget(index, make())
        super().setCurrentIndex(index)
        self.updateGeometry()

    def setCurrentWidget(self, page: QWidget) -> None:
        super().setCurrentWidget(page)
        self.updateGeometry()
