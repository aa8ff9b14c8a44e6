"""Whatever is cut on screen is shown whole when somebody points at it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QLabel, QToolTip, QWidget

from zincsmith.ui import ink
from zincsmith.ui.widgets.panel import tip


class WholeTips(QObject):
    """Watches one window. What is asked of a widget without a tool tip of its own comes up to its window; a filter over
    the whole application would be asked about every event of every widget, which costs a tenth of the start."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and isinstance(watched, QWidget):
            under = watched.childAt(event.pos())
            if under is not None:
                at = under.mapFrom(watched, event.pos())
                text = whole(under, at.x(), at.y())
                if text:
                    QToolTip.showText(event.globalPos(), tip(text), under)
                    return True
        return False


def whole(widget: QWidget, x: int, y: int) -> str:
    """What is cut at a place of a widget, whole; empty where nothing is."""
    if isinstance(widget, QLabel):
        cut = not widget.wordWrap() and widget.sizeHint().width() > widget.width() + 1
        return widget.text() if cut else ""
    return ink.cut_at(widget, x, y)
