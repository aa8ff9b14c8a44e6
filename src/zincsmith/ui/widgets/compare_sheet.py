"""Figures of several units on common rulers: a letter each, its whisker, its number, and who is first."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from zincsmith.formats.words import OHMS, decimals_for, number
from zincsmith.model.figures import FIGURES
from zincsmith.showing.compare import Cell, Compared, Row
from zincsmith.showing.ruler_scale import Scale, scale_over
from zincsmith.ui import ink
from zincsmith.ui.theme import theme

ROW, HEAD = 46, 26
NAME, RULER, GAP, LEAST_CELL = 196, 158, 18, 88
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def letter(n: int) -> str:
    return LETTERS[n] if n < len(LETTERS) else f"{n + 1}"


def readable(row: Row) -> tuple[float, str]:
    """Factor and unit that people read a row in."""
    if row.unit == "1":
        return (100.0, "%") if FIGURES.knows(row.name) and FIGURES[row.name].in_percent else (1.0, "")
    if row.unit == "ohm":
        most = max(abs(cell.value) for cell in row.cells)
        return next((factor, unit) for below, factor, unit in OHMS if most < below)
    return 1.0, {"degC": "°C"}.get(row.unit, row.unit)


class CompareSheet(QWidget):
    """Rows of figures; the first unit's column is next to the ruler."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Compared | None = None
        self.setAccessibleName("Figures of the units beside each other")

    def show_found(self, found: Compared | None) -> None:
        self.found = found
        rows = len(found.figures) if found is not None else 0
        units = len(found.units) if found is not None else 0
        self.setMinimumHeight(HEAD + ROW * rows)
        self.setMinimumWidth(NAME + RULER + GAP + LEAST_CELL * units)
        self.setAccessibleDescription("; ".join(map(_words, found.figures)) if found is not None else "")
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def paintEvent(self, event: QPaintEvent) -> None:
        found = self.found
        if found is None:
            return
        t, p = theme(), QPainter(self)
        p.fillRect(self.rect(), t.color("paper"))
        room = max(LEAST_CELL, (self.width() - NAME - RULER - GAP) / max(1, len(found.units)))
        left = float(NAME + RULER + GAP)
        for n, who in enumerate(found.who):
            box = QRectF(left + n * room, 0, room - 6, HEAD)
            ink.write(p, box, f"{letter(n)}  {who.name}", 12, 600, t.color("ink2"))
        for k, row in enumerate(found.figures):
            top = HEAD + k * ROW
            ink.hairline(p, QPointF(0, top), QPointF(self.width(), top))
            ink.write(p, QRectF(0, top + 4, NAME - 8, 20), row.title, 14, 600)
            ink.write(p, QRectF(0, top + 23, NAME - 8, 18), row.where, 12, 400, t.color("ink2"))
            self._paint_ruler(p, QRectF(NAME, top + 2, RULER, ROW - 4), row)
            for n, label in enumerate(found.units):
                cell = next((c for c in row.cells if c.unit_tag == label), None)
                self._paint_cell(p, QRectF(left + n * room, top + 4, room - 6, ROW - 8), row, cell)

    @staticmethod
    def _paint_cell(p: QPainter, box: QRectF, row: Row, cell: Cell | None) -> None:
        t = theme()
        if cell is None:
            ink.write(p, QRectF(box.left(), box.top(), box.width(), 20), "–", 14, 400, t.color("ink2"))
            return
        text, spread = value_words(row, cell)
        first = cell.rank == 1
        ink.write(p, QRectF(box.left(), box.top(), box.width(), 20), text, 14, 700 if first else 400)
        under = "  ".join(x for x in (spread, place_words(cell.rank)) if x)
        ink.write(p, QRectF(box.left(), box.top() + 19, box.width(), 18), under, 12, 400, t.color("ink2"))

    def _paint_ruler(self, p: QPainter, box: QRectF, row: Row) -> None:
        t = theme()
        factor, _ = readable(row)
        spans = [(c.value * factor, 2.0 * (c.u or 0.0) * factor) for c in row.cells]
        scale = scale_over([v + way * u for v, u in spans for way in (-1.0, 1.0)])
        bar = QRectF(box.left() + 8, box.top() + 16, box.width() - 16, 8)
        p.fillRect(bar, t.color("zinc_light"))
        self._paint_ticks(p, bar, scale)
        labels = self.found.units if self.found is not None else ()
        ends: list[float] = []
        for cell, (value, spread) in sorted(zip(row.cells, spans, strict=True), key=lambda one: one[1][0]):
            x = bar.left() + scale.share(value) * bar.width()
            color = t.color("ink")
            p.setPen(QPen(color, 1.4))
            left, right = (bar.left() + scale.share(value + way * spread) * bar.width() for way in (-1.0, 1.0))
            p.drawLine(QPointF(left, bar.center().y()), QPointF(right, bar.center().y()))
            p.drawLine(QPointF(x, bar.top() - 3), QPointF(x, bar.bottom() + 1))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(color)
            top = bar.top() - 2
            p.drawPolygon(QPolygonF([QPointF(x - 4, top - 5), QPointF(x + 4, top - 5), QPointF(x, top + 1)]))
            at = x if not ends else max(x, ends[-1] + 10.0)  # letters stand beside each other where needles do not
            ends.append(at)
            ink.write(p, QRectF(at - 10, box.top() - 4, 20, 14), letter(labels.index(cell.unit_tag)), 11, 700, color,
                      ink.CENTRE)  # fmt: skip

    @staticmethod
    def _paint_ticks(p: QPainter, bar: QRectF, scale: Scale) -> None:
        t = theme()
        for n, tick in enumerate(scale.ticks):
            x = bar.left() + scale.share(tick) * bar.width()
            p.setPen(QPen(t.color("edge"), 1.0))
            p.drawLine(QPointF(x, bar.bottom()), QPointF(x, bar.bottom() + 3))
            if n in (0, len(scale.ticks) - 1):
                ink.write(p, QRectF(x - 30, bar.bottom() + 2, 60, 14), number(tick, scale.decimals), 11, 400,
                          t.color("ink2"), ink.CENTRE)  # fmt: skip


def place_words(rank: int | None) -> str:
    """``1st``; nothing where nobody ranks."""
    return f"{rank}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(rank if rank < 4 else 0, 'th') }" if rank else ""


def value_words(row: Row, cell: Cell) -> tuple[str, str]:
    """(value with its unit, "±U"; empty where it is not known)."""
    factor, unit = readable(row)
    expanded = 2.0 * cell.u * factor if cell.u else None
    decimals = decimals_for(expanded, cell.value * factor)
    return f"{number(cell.value * factor, decimals)} {unit}".rstrip(), (
        f"±{number(expanded, decimals)}" if expanded is not None else ""
    )


def _words(row: Row) -> str:
    told = ", ".join(f"{cell.unit_tag} {value_words(row, cell)[0]}" for cell in row.cells)
    return f"{row.title} {row.where}: {told}"
