"""A hundred sets of parts: where their results lie, and what each tolerance alone makes of them."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.workshop.bench import KINDS, value_words
from zincsmith.workshop.base import Worked

BINS, DOT, BAR = 26, 7.0, 17.0
ALONE = 3  # of the tolerances, the largest


class SetsOfParts(QWidget):
    """Dots, one a set; below them bars of the standard deviation that one input alone makes."""

    def __init__(self) -> None:
        super().__init__()
        self._one: Worked | None = None
        self._alone: list[tuple[str, float]] = []
        self.setMinimumSize(260, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_worked(self, one: Worked | None) -> None:
        self._one = one
        self._alone = sorted(one.alone().items(), key=lambda each: -each[1])[:ALONE] if one is not None else []
        if one is None or not one.sets:
            self.setAccessibleDescription("no input has a tolerance")
        else:
            unit = one.of.results[0].unit
            self.setAccessibleDescription(
                f"from {value_words(min(one.sets), unit)} to {value_words(max(one.sets), unit)}"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p, t, one = QPainter(self), theme(), self._one
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if one is None:
            return
        if not one.sets:
            ink.write(p, QRectF(self.rect()), "No input has a tolerance: give one, and it is seen here what it makes.",
                      13, 400, t.color("ink2"), ink.CENTRE, wrap=True)  # fmt: skip
            return
        unit = one.of.results[0].unit
        low, high = min(one.sets), max(one.sets)
        left, right = 4.0, self.width() - 4.0
        foot = self.height() - 22.0 - BAR * len(self._alone) - 6.0
        counts = [0] * BINS
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.of(KINDS.get(unit, "")))
        lift = min(DOT, (foot - 8.0) / max(1, self._tallest(one, low, high)))
        for value in one.sets:
            at = min(BINS - 1, int((value - low) / (high - low) * BINS)) if high > low else BINS // 2
            x = left + (at + 0.5) * (right - left) / BINS
            p.drawEllipse(QPointF(x, foot - lift * (counts[at] + 0.5)), 0.42 * lift, 0.42 * lift)
            counts[at] += 1
        ink.hairline(p, QPointF(left, foot + 1), QPointF(right, foot + 1))
        ink.write(p, QRectF(left, foot + 2, 120, 16), value_words(low, unit), 12, 400, t.color("ink2"))
        ink.write(
            p, QRectF(right - 120, foot + 2, 120, 16), value_words(high, unit), 12, 400, t.color("ink2"), ink.RIGHT
        )
        self._bars(p, foot + 24.0, left, right, unit)

    @staticmethod
    def _tallest(one: Worked, low: float, high: float) -> int:
        counts = [0] * BINS
        for value in one.sets:
            counts[min(BINS - 1, int((value - low) / (high - low) * BINS)) if high > low else BINS // 2] += 1
        return max(counts)

    def _bars(self, p: QPainter, y: float, left: float, right: float, unit: str) -> None:
        t, one = theme(), self._one
        if one is None:
            return
        words = {i.key: i.words for i in one.of.inputs}
        largest = max((size for _, size in self._alone), default=0.0)
        for n, (key, size) in enumerate(self._alone):
            top = y + BAR * n
            ink.write(p, QRectF(left, top, 112, BAR), f"{words[key]} alone", 12, 400, t.color("ink2"))
            room = right - left - 112 - 96
            p.fillRect(QRectF(left + 116, top + 4, room * size / largest if largest else 0.0, 9), t.color("zinc"))
            ink.write(p, QRectF(right - 92, top, 92, BAR), f"1σ {value_words(float(f'{size:.2g}'), unit)}", 12, 600,
                      t.color("ink"), ink.RIGHT)  # fmt: skip
