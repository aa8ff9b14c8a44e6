"""A read-only table in the house's hairlines: what is only a list."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QTableWidget

from zincsmith.ui.theme import font
from zincsmith.ui.widgets.shown_items import ShownItems


class PlainTable(QTableWidget):
    """Rows can be chosen, not edited; Tab leaves it."""

    def __init__(self, name: str, headings: Sequence[str], row_height: int) -> None:
        super().__init__(0, len(headings))
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(list(headings))
        self.setFont(font(13))
        self.horizontalHeader().setFont(font(12))
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(row_height)
        self.setShowGrid(False)
        self.setWordWrap(False)  # a row is one line: what is cut shows that it is
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        self.setItemDelegate(ShownItems(self))
        self._shares: tuple[int, ...] = ()

    def share(self, shares: Sequence[int]) -> None:
        """Give each column its share of the width, kept when the table is resized."""
        self._shares = tuple(shares)
        self.horizontalHeader().setStretchLastSection(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        room = self.viewport().width()
        for column, part in enumerate(self._shares[:-1]):
            self.setColumnWidth(column, room * part // sum(self._shares))
