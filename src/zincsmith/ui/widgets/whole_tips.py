"""Whatever is cut on screen is shown whole when somebody points at it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QLabel, QToolTip, QWidget

from zincsmith.ui import ink
from zincsmith.ui.widgets.panel import tip


class WholeTips(QObject):
    """Watches the application; a tool tip of its own always comes first."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and isinstance(watched, QWidget) and not watched.toolTip():
            text = whole(watched, event.pos().x(), event.pos().y())
            if text:
                QToolTip.showText(event.globalPos(), tip(text), watched)
                return True
        return super().eventFilter(watched, event)


def whole(widget: QWidget, x: int, y: int) -> str:
    """What is cut at a place of a widget, whole; empty where nothing is."""
    if isinstance(widget, QLabel):
        cut = not widget.wordWrap() and widget.sizeHint().width() > widget.width() + 1
        return widget.text() if cut else ""
    return ink.cut_at(widget, x, y)
