"""The claims of a unit as a table."""

from __future__ import annotations

from PySide6.QtGui import QBrush
from PySide6.QtWidgets import QHeaderView, QTableWidgetItem

from zincsmith.model.claim import Claim
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.plain_table import PlainTable

HEADINGS = ("claim", "value", "condition", "source", "tested by")
KIND = {
    "output_voltage_min": "voltage",
    "load_regulation": "voltage",
    "line_regulation": "voltage",
    "input_current": "current",
    "average_active_efficiency": "efficiency",
    "no_load_power": "power",
}


class ClaimTable(PlainTable):
    """Read-only rows; colour follows the quantity."""

    def __init__(self) -> None:
        super().__init__("Claims", HEADINGS, 22)
        for column in range(len(HEADINGS)):
            self.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)

    def show_claims(self, claims: list[Claim]) -> None:
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
