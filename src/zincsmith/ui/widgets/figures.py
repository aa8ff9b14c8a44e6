"""Large figures, readable from two metres: what every meter says now, with its expanded uncertainty."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.formats.words import decimals_for, number
from zincsmith.showing.live import LiveFigure
from zincsmith.ui import ink
from zincsmith.ui.theme import theme


class Figures(QWidget):
    """Two rows of four: input above, output below. Signal ``picks`` (where on screen): other figures are wanted, by the
    right button or the menu key."""

    picks = Signal(QPoint)

    def __init__(self) -> None:
        super().__init__()
        self._figures: list[LiveFigure] = []
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip("Right click, or the menu key: pick other figures")
        self.setMinimumHeight(150)

    def sizeHint(self) -> QSize:
        return QSize(680, 160)

    def show_figures(self, figures: list[LiveFigure]) -> None:
        self._figures = figures
        self.setAccessibleName(
            ", ".join(f"{f.words} {'no reading' if f.value is None else f'{f.value:.4g} {f.unit}'}" for f in figures)
        )
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.picks.emit(event.globalPos())

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = self.width() / 4.0, self.height() / 2.0
        texts = [self._text(f, f.value) for f in self._figures if f.value is not None]
        sizes = [ink.fit_font(text, 42, theme().large_weight, w - 60).pixelSize() for text in texts]
        size = min(sizes, default=42)
        for at, figure in enumerate(self._figures):
            self._one(p, QRectF((at % 4) * w, (at // 4) * h, w, h), figure, size)
        ink.hairline(p, QPointF(0, h), QPointF(self.width(), h))

    @staticmethod
    def _text(figure: LiveFigure, value: float) -> str:
        return number(value, min(4, decimals_for(figure.expanded, value)))

    def _one(self, p: QPainter, box: QRectF, figure: LiveFigure, size: int) -> None:
        t = theme()
        left = box.left() + 14
        if figure.side in ("input", "output"):
            style = Qt.PenStyle.DashLine if figure.side == "input" else Qt.PenStyle.SolidLine
            p.setPen(QPen(t.of(figure.kind), 2.0, style))
            p.drawLine(QPointF(left, box.top() + 15), QPointF(left + 14, box.top() + 15))
            left += 20
        head = QRectF(left, box.top() + 5, box.right() - left - 16, 20)
        shown = ""
        if figure.value is not None and figure.expanded:
            shown = f"±{number(figure.expanded, decimals_for(figure.expanded, figure.value))}"
        room = head.width() - (ink.width(shown, 12) + 8 if shown else 0)
        ink.write(
            p, QRectF(head.left(), head.top(), room, 20), _shortened(figure.words, room), 13, 400, t.color("ink2")
        )
        base = QRectF(box.left() + 14, box.top() + 22, box.width() - 24, box.height() - 24)
        if figure.value is None:
            ink.write(p, base, "–", size, t.large_weight, t.color("ink2"))
            return
        if shown:
            ink.write(p, head, shown, 12, 400, t.color("ink2"), ink.RIGHT)
        text = self._text(figure, figure.value)
        ink.write(p, base, text, size, t.large_weight, t.of(figure.kind))
        at = base.left() + ink.width(text, size, t.large_weight) + 6
        unit = QRectF(at, base.top() + 8, 50, base.height() - 4)
        ink.write(p, unit, figure.unit, 20, 400, t.of(figure.kind))


def _shortened(words: str, room: float) -> str:
    """A figure of one of several outputs goes by its unit's name and its own where both do not fit."""
    if ink.width(words, 13) <= room or ", " not in words:
        return words
    what, _, port = words.rpartition(", ")
    last = what.rpartition(" ")[2]
    return f"{last[:1].upper()}{last[1:]}, {port}"
