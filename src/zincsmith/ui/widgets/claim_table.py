"""The claims of a unit as a table."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from zincsmith.model.unit import Claim, Unit
from zincsmith.ui.theme import font, theme

HEADINGS = ("claim", "value", "condition", "source", "tested by")
KIND = {
    "output_voltage_min": "voltage",
    "load_regulation": "voltage",
    "line_regulation": "voltage",
    "input_current": "current",
    "average_active_efficiency": "efficiency",
    "no_load_power": "power",
}


class ClaimTable(QTableWidget):
    """Read-only rows; colour follows the quantity."""

    def __init__(self) -> None:
        super().__init__(0, len(HEADINGS))
        self.setHorizontalHeaderLabels(HEADINGS)
        self.setFont(font(13))
        self.horizontalHeader().setFont(font(12))
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(25)
        self.setShowGrid(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setAccessibleName("Claims")
        self.setTabKeyNavigation(False)
        header = self.horizontalHeader()
        for column, stretch in enumerate((3, 4, 4, 2, 2)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
            header.resizeSection(column, 80 * stretch)

    def show_claims(self, claims: list[Claim], unit: Unit | None) -> None:
        self.setRowCount(len(claims))
        for row, claim in enumerate(claims):
            tested = claim.procedure or "no procedure yet"
            texts = (claim.title, claim.text, claim.condition_text, claim.source, tested)
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column == 1:
                    item.setForeground(QBrush(theme().text_of(KIND.get(claim.findings[0], "plain"))))
                    item.setFont(font(13, 600))
                elif column > 2:
                    item.setForeground(QBrush(theme().color("ink2")))
                self.setItem(row, column, item)
        self._unit, self._claims = unit, claims
