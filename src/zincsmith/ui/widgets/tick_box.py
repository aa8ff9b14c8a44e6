"""A box to tick, with a tick in it."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QStyle, QStyleOptionButton

from zincsmith.ui import ink


class TickBox(QCheckBox):
    """The style sheet draws the square; this draws the tick that follows the theme."""

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.isChecked():
            return
        option = QStyleOptionButton()
        self.initStyleOption(option)
        box = self.style().subElementRect(QStyle.SubElement.SE_CheckBoxIndicator, option, self)
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink.tick_mark(p, QPointF(box.center()) + QPointF(0.5, 0.5), 15)
