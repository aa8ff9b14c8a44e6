"""The shelf: every sum with its bench in small; arrow keys go along, Enter opens."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QSizePolicy, QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.workshop.strokes import paint
from zincsmith.workshop.base import Sum
from zincsmith.workshop.drawing import HEIGHT, WIDTH, drawn

ACROSS, TALL = 8, 58
BOARD = TALL - 19.0


class Tile(QAbstractButton):
    def __init__(self, of: Sum) -> None:
        super().__init__()
        self.of, self._drawing = of, drawn(of.bench)
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setAccessibleName(of.title)
        self.setToolTip(of.title)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(120, TALL)

    def minimumSizeHint(self) -> QSize:
        return QSize(72, TALL)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        p, t = QPainter(self), theme()
        scale = min((BOARD - 8.0) / HEIGHT, (self.width() - 8.0) / WIDTH)
        p.save()
        p.translate(2.0, BOARD - 3.0 - HEIGHT * scale)
        p.scale(scale, scale)
        paint(p, self._drawing, words=False)
        p.restore()
        p.setPen(QPen(t.color("zinc"), 3.0 if not self.isChecked() else 4.0))
        if self.isChecked():
            p.setPen(QPen(t.color("ink"), 3.0))
        p.drawLine(QPointF(0, BOARD), QPointF(self.width() - 10, BOARD))
        words = QRectF(0, BOARD + 2, self.width() - 10, 17)
        ink.write(p, words, self.of.title, 12, 700 if self.isChecked() else 400, t.color("ink"))
        if self.hasFocus():
            p.setPen(QPen(t.color("focus"), 1.0, Qt.PenStyle.DotLine))
            p.drawRect(QRectF(self.rect()).adjusted(0, 0, -6, -1))


class Shelf(QWidget):
    """Signal ``opened`` (name of a sum)."""

    opened = Signal(str)

    def __init__(self, sums: Sequence[Sum]) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(0)
        grid.setVerticalSpacing(4)
        self.tiles = {one.name: Tile(one) for one in sums}
        for n, (name, tile) in enumerate(self.tiles.items()):
            grid.addWidget(tile, n // ACROSS, n % ACROSS)
            tile.clicked.connect(lambda _on=False, name=name: self.opened.emit(name))

    def choose(self, name: str) -> None:
        self.tiles[name].setChecked(True)
