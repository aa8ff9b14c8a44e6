"""Counts of verdicts as buttons that filter: mark, number, word."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from zincsmith.model.finding import Verdict
from zincsmith.ui import ink
from zincsmith.ui.theme import font

WORDS = {
    Verdict.HOLDS: "hold",
    Verdict.FAILS: "fail",
    Verdict.TOO_CLOSE: "too close to call",
    Verdict.NOT_TESTED: "not tested",
    Verdict.NO_CLAIM: "no claim",
}


class VerdictButton(QPushButton):
    """One verdict; pressed again it shows all."""

    def __init__(self, verdict: Verdict) -> None:
        super().__init__()
        self.verdict, self.count = verdict, 0
        self.setCheckable(True)
        self.setFont(font(13, 600))
        self.show_count(0)

    def show_count(self, count: int) -> None:
        self.count = count
        self.setAccessibleName(f"{count} {WORDS[self.verdict]}")
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(round(35 + ink.width(f"{self.count}  {WORDS[self.verdict]}", 13, 600)), 30)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        ink.verdict_mark(p, QPointF(16, self.height() / 2), self.verdict, 14)
        box = self.rect().toRectF().adjusted(29, 0, -4, 0)
        ink.write(p, box, f"{self.count}", 13, 700)
        ink.write(p, box.adjusted(ink.width(f"{self.count} ", 13, 700) + 2, 0, 0, 0), WORDS[self.verdict], 13)


class VerdictFilter(QWidget):
    """Signal ``chosen`` after ``verdict`` changed; None shows all."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.verdict: Verdict | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        self.buttons = {verdict: VerdictButton(verdict) for verdict in Verdict}
        for made in self.buttons.values():
            made.clicked.connect(lambda _checked, one=made: self._press(one))
            row.addWidget(made)
        self.setCursor(Qt.CursorShape.ArrowCursor)

    def show_counts(self, counts: dict[Verdict, int]) -> None:
        for verdict, made in self.buttons.items():
            made.show_count(counts[verdict])

    def _press(self, pressed: VerdictButton) -> None:
        self.verdict = pressed.verdict if pressed.isChecked() else None
        for made in self.buttons.values():
            made.setChecked(made.verdict is self.verdict)
        self.chosen.emit(self.verdict)
