"""The operating map: input voltage against load, one cell a point."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.ui import ink
from zincsmith.ui.theme import theme

Key = tuple[float, float, float]  # V, Hz, load in percent


@dataclass(frozen=True)
class Cell:
    """``share`` from 0 to 1 shades it (None: paper); ``underlined`` means a person types there."""

    text: str
    share: float | None = None
    underlined: bool = False
    number: int = 0
    doubtful: bool = False
    dropped: bool = False
    rejected: bool = False  # taken, and thrown out by somebody: struck through


class OperatingMap(QWidget):
    """Signal ``chosen`` carries the number of a point; arrows and clicks choose. ``toggled`` carries keys, all to be
    dropped or all to be added: Space or a double click for one, a drag for those it crosses."""

    chosen = Signal(int)
    toggled = Signal(list)

    def __init__(self) -> None:
        super().__init__()
        self._cells: dict[Key, Cell] = {}
        self._amps: dict[float, float] = {}
        self._chosen = 0
        self._crossed: list[Key] = []
        self._hue = "plain"
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Operating map")

    def sizeHint(self) -> QSize:
        return QSize(320, 150)

    def show_grid(self, cells: Mapping[Key, Cell], current: Mapping[float, float], hue: str = "plain") -> None:
        """``current`` gives the load current, A, of each load percentage, ``hue`` the colour of the shade."""
        self._cells, self._amps, self._hue = dict(cells), dict(current), hue
        self.update()

    def choose(self, number: int) -> None:
        self._chosen = number
        cell = next(((k, c) for k, c in self._cells.items() if c.number == number), None)
        if cell is not None:
            (voltage, hertz, load), content = cell
            self.setAccessibleDescription(
                f"{voltage:g} V {hertz:g} Hz, {load:g} % load: {content.text}{', rejected' if content.rejected else ''}"
            )
        self.update()

    def _axes(self) -> tuple[list[tuple[float, float]], list[float]]:
        lines = sorted({(v, f) for v, f, _ in self._cells}, reverse=True)
        return lines, sorted({load for _, _, load in self._cells})

    def _rect(self, key: Key) -> QRectF:
        lines, loads = self._axes()
        left, bottom = 92.0, 38.0 if self._amps else 20.0
        w = (self.width() - left - 2) / max(1, len(loads))
        h = min(44.0, (self.height() - bottom) / max(1, len(lines)))
        return QRectF(left + loads.index(key[2]) * w, lines.index(key[:2]) * h, w - 3, h - 3)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        lines, loads = self._axes()
        for voltage, hertz in lines:
            row = self._rect((voltage, hertz, loads[0]))
            words = QRectF(0, row.top(), 44, row.height())
            ink.write(p, words, f"{voltage:g} V", 13, 600, t.text_of("voltage"), ink.RIGHT)
            ink.write(p, words.translated(44, 0), f"{hertz:g} Hz", 12, 400, t.color("ink2"), ink.RIGHT)
        for key, cell in self._cells.items():
            self._paint_cell(p, self._rect(key), cell, len(self._crossed) > 1 and key in self._crossed)
        if not lines:
            ink.write(p, QRectF(0, 0, self.width(), 20), "no grid in this plan", 13, 400, t.color("ink2"))
            return
        below = self._rect((*lines[-1], loads[0])).bottom() + 3
        ink.write(p, QRectF(0, below, 86, 18), "load, %", 12, 400, t.color("ink2"), ink.RIGHT)
        if self._amps:
            ink.write(p, QRectF(0, below + 17, 86, 18), "A", 12, 400, t.color("ink2"), ink.RIGHT)
        for load in loads:
            x = self._rect((*lines[0], load))
            ink.write(p, QRectF(x.left(), below, x.width(), 18), f"{load:g}", 12, 600, align=ink.CENTRE)
            if load in self._amps:
                current = QRectF(x.left(), below + 17, x.width(), 18)
                ink.write(p, current, f"{self._amps[load]:.3f}", 12, 400, t.text_of("current"), ink.CENTRE)

    def _paint_cell(self, p: QPainter, box: QRectF, cell: Cell, crossed: bool) -> None:
        t = theme()
        ground, text = t.color("zinc") if self._hue == "plain" else t.color("paper"), t.color("ink")
        if cell.share is not None:
            ground = _mix(t.color("paper"), t.of(self._hue), 0.12 + 0.5 * cell.share)
        p.fillRect(box, ground)
        if cell.dropped:
            ground = t.color("paper")
        chosen = cell.number == self._chosen and cell.number != 0
        p.setPen(QPen(t.color("doubt_edge") if cell.doubtful else t.color("line"), 1.0))
        if chosen or crossed:
            p.setPen(QPen(t.color("ink"), 2.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
        faint = self._hue != "plain" and cell.share is None
        ink.write(p, box, cell.text, 13, 600 if chosen else 400, t.color("ink2") if faint else text, ink.CENTRE)
        if cell.rejected:
            p.setPen(QPen(t.color("alarm"), 2.0))
            p.drawLine(box.topLeft() + QPointF(4, 4), box.bottomRight() - QPointF(4, 4))
        if cell.underlined:
            y = box.bottom() - 5
            p.fillRect(QRectF(box.center().x() - 9, y, 18, 2), text)

    def _under(self, at: QPointF) -> Key | None:
        return next((k for k in self._cells if self._rect(k).contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = self._under(event.position())
        self._crossed = [] if key is None else [key]
        if key is not None:
            self.chosen.emit(self._cells[key].number)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        key = self._under(event.position())
        if self._crossed and key is not None and key not in self._crossed:
            self._crossed.append(key)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        crossed, self._crossed = self._crossed, []
        if len(crossed) > 1:  # what becomes of the first becomes of all
            dropped = self._cells[crossed[0]].dropped
            self.toggled.emit([k for k in crossed if self._cells[k].dropped == dropped])
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        key = self._under(event.position())
        if key is not None:
            self.toggled.emit([key])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        move = moves.get(Qt.Key(event.key()))
        here = next((k for k, c in self._cells.items() if c.number == self._chosen), None)
        if event.key() == Qt.Key.Key_Space and here is not None:
            self.toggled.emit([here])
            return
        if move is None or here is None:
            super().keyPressEvent(event)
            return
        lines, loads = self._axes()
        row = min(max(lines.index(here[:2]) + move[0], 0), len(lines) - 1)
        column = min(max(loads.index(here[2]) + move[1], 0), len(loads) - 1)
        cell = self._cells.get((*lines[row], loads[column]))
        if cell is not None:
            self.chosen.emit(cell.number)


def _mix(a: QColor, b: QColor, share: float) -> QColor:
    return QColor(
        *(round(x + (y - x) * share) for x, y in zip(a.getRgb()[:3], b.getRgb()[:3], strict=True))  # type: ignore[index]
    )
