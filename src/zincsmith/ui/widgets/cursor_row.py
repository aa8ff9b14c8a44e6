"""What lies between the cursors, kept as a figure of the person who placed them."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.model.capture import Cursors, Measure
from zincsmith.model.commands import ReadCursors
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import label
from zincsmith.ui.widgets.say_line import Saying, SayLine, split_name

PROMPT = "Keep it: your name: why there. Enter keeps it, Esc leaves"
ITSELF = "by itself"


class CursorRow(QWidget):
    """Hidden until asked for. Signals: ``said`` (the command), ``left``."""

    said = Signal(ReadCursors)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._offers: list[tuple[Measure, str, str, str]] = []
        self._of: tuple[int, int, int, int] = (0, 0, 0, 0)
        self._at: tuple[float, float, float] = (0.0, 0.0, 0.0)
        self._beside: Sequence[tuple[str, str, str]] = ()
        self.measure, self.beside, self.line = Choice(), Choice(), SayLine()
        self.measure.setAccessibleName("What lies between the cursors")
        self.beside.setAccessibleName("The finding that it stands beside")
        self.line.setMinimumWidth(200)
        for one in (self.measure, self.beside):
            one.setFont(font(13))
            one.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.measure.currentIndexChanged.connect(lambda _: self._offer_beside())
        self.line.said.connect(self.said)
        self.line.left.connect(self._leave)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        row = QHBoxLayout()
        for widget in (label("Keep", 13, 600), self.measure, label("beside", 13), self.beside):
            row.addWidget(widget)
        row.addWidget(self.line, 1)
        layout.addLayout(row)
        layout.addWidget(self.line.problem)
        self.hide()

    def begin(self, of: tuple[int, int, int, int], beside: Sequence[tuple[str, str, str]]) -> None:
        """``of``: run, point, take and capture; ``beside``: (name, title, unit) of the findings it may stand beside."""
        self._of, self._beside = of, beside
        self.show()
        self._offer_beside()
        self.line.begin(Saying(PROMPT, self._command))

    def show_offers(self, offers: list[tuple[Measure, str, str, str]], at: tuple[float, float, float]) -> None:
        """(measure, channel, unit, words) of everything that lies between the cursors; ``at``: where they stand and how
        finely, s. What was chosen stays."""
        chosen = max(0, self.measure.currentIndex())
        self._offers, self._at = offers, at
        self.measure.blockSignals(True)
        if self.measure.count() == len(offers):
            for n, (*_, words) in enumerate(offers):
                self.measure.setItemText(n, words)
        else:
            self.measure.clear()
            self.measure.addItems([words for *_, words in offers])
            self.measure.setCurrentIndex(min(chosen, len(offers) - 1))
        self.measure.blockSignals(False)

    def _offer_beside(self) -> None:
        """Findings in the unit of what is kept."""
        if not self._offers:
            return
        unit = self._offers[max(0, self.measure.currentIndex())][2]
        self.beside.clear()
        for name, title, of in self._beside:
            if of == unit:
                self.beside.addItem(title, name)
        self.beside.addItem(ITSELF, "")

    def _command(self, text: str) -> ReadCursors:
        by, why = split_name(text)
        measure, channel, _, _ = self._offers[max(0, self.measure.currentIndex())]
        run, point, take, capture = self._of
        beside = str(self.beside.currentData() or "")
        return ReadCursors(run, by, Cursors(point, take, measure, *self._at, why, channel, capture, beside))

    def _leave(self) -> None:
        self.hide()
        self.left.emit()
