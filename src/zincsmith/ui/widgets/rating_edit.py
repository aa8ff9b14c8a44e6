"""A line for one figure or text, whose undo gives way to the station's once its text is committed."""

from __future__ import annotations

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit


class RatingEdit(QLineEdit):
    """``mark`` shows it as wrong with a reason, or as right."""

    def mark(self, reason: str) -> None:
        if bool(self.property("wrong")) != bool(reason):
            self.setProperty("wrong", bool(reason))
            self.style().unpolish(self)
            self.style().polish(self)
        self.setAccessibleDescription(reason)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not self.isModified():
            undo = event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)
            if undo:
                event.ignore()
                return False
        return super().event(event)
