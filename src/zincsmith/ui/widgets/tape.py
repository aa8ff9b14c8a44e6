"""The tape along the top of Run: the same stages and shades as the itinerary, lying down, with a needle for now."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from zincsmith.planning.rehearsal import Itinerary
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.itinerary import paint_gate


class Tape(QWidget):
    """``show_progress`` sets itinerary and seconds elapsed along it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(26)
        self._itinerary: Itinerary | None = None
        self._elapsed = 0.0

    def show_progress(self, itinerary: Itinerary | None, elapsed_s: float) -> None:
        self._itinerary, self._elapsed = itinerary, elapsed_s
        if itinerary is not None:
            self.setAccessibleName(f"{100 * elapsed_s / max(1.0, itinerary.likely_s):.0f} % of the itinerary")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._itinerary is None:
            return
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 9.5, self.width() - 1.0, 10)
        total = self._itinerary.likely_s
        for stage in self._itinerary.stages:
            piece = QRectF(box.left() + box.width() * stage.begins_s / total, box.top(), 0, box.height())
            piece.setWidth(box.width() * stage.seconds / total)
            p.setBrush(QColor(t.energised[stage.energised]))
            p.setPen(QPen(t.color("edge"), 1.0))
            p.drawRect(piece)
            for gate in stage.gates:
                paint_gate(p, QPointF(box.left() + box.width() * gate / total + 4, box.center().y()), upright=True)
        x = box.left() + box.width() * min(1.0, self._elapsed / total)
        p.setPen(QPen(t.color("ink"), 2.0))
        p.drawLine(QPointF(box.left(), box.bottom() + 4), QPointF(x, box.bottom() + 4))
        p.drawLine(QPointF(x, box.top() - 3), QPointF(x, box.bottom() + 4))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.color("ink"))
        top = box.top() - 9
        p.drawPolygon(QPolygonF([QPointF(x - 5, top), QPointF(x + 5, top), QPointF(x, top + 8)]))
