"""Where the probe goes: the unit as a box with its terminals, the spots of the wanted reading set off."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.roles import OF_THE_UNIT
from zincsmith.ui import ink
from zincsmith.ui.theme import theme

HEIGHT = 104
TOP, BOX = 24.0, 62.0  # of the box, px
LEAD = 34.0
DOT = 4.0


class ProbeSpots(QWidget):
    """Volts are read across the terminals of a side, amps in its lead, power and frequency on both, a temperature on
    the case. ``show_spot`` chooses; ``inputs`` and ``outputs`` are the names of the terminals, upper one first."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self._quantity = "case_temperature"
        self._spot = ""
        self._inputs: Sequence[str] = ("L", "N")
        self._outputs: Sequence[str] = ("+", "-")

    def show_spot(self, quantity: str, spot: str, inputs: Sequence[str], outputs: Sequence[str]) -> None:
        self._quantity, self._spot = quantity, spot
        self._inputs, self._outputs = inputs, outputs
        self.setAccessibleName(f"{QUANTITIES[quantity].words} is read {self.words}")
        self.update()

    @property
    def words(self) -> str:
        """Where it is read, in words."""
        info = QUANTITIES[self._quantity]
        if info.role in OF_THE_UNIT:
            return "on the unit's own display"
        if info.kind == "temperature":
            return f"on the case, {self._spot}" if self._spot else "on the case"
        names = self._inputs if info.side == "input" else self._outputs
        pair = " and ".join(n.replace("-", "−") for n in names)
        return f"in the {info.side} lead" if info.kind == "current" else f"at the {info.side}, {pair}"

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.width() / 2.0
        box = QRectF(middle - 85, TOP, 170, BOX)
        p.setPen(QPen(t.color("edge"), 1.4))
        p.setBrush(t.color("zinc_light"))
        p.drawRoundedRect(box, 5, 5)
        info = QUANTITIES[self._quantity]
        hue, text = t.of(info.kind), t.text_of(info.kind)
        display = info.role in OF_THE_UNIT
        for side, names, left in (("input", self._inputs, True), ("output", self._outputs, False)):
            wanted = (info.side == side and not display) or (
                info.side == "none" and info.kind != "temperature" and left
            )
            whole = QRectF(box.left() + 8, box.top(), 60, 18) if left else QRectF(box.right() - 68, box.top(), 60, 18)
            ink.write(p, whole, side, 12, 400, t.color("ink2"), ink.LEFT if left else ink.RIGHT)
            for at, name in enumerate(names[:2] if not display else ()):
                y = box.top() + (24 if at == 0 else 48)
                inner = QPointF(box.left() if left else box.right(), y)
                outer = QPointF(inner.x() + (-LEAD if left else LEAD), y)
                p.setPen(QPen(t.color("edge"), 2.0))
                p.drawLine(inner, outer)
                marked = wanted and info.kind != "current"
                p.setPen(QPen(hue if marked else t.color("edge"), 1.4))
                p.setBrush(hue if marked else t.color("paper"))
                p.drawEllipse(inner, DOT + marked, DOT + marked)
                words = QRectF(inner.x() + 10, y - 9, 40 if left else 112, 18)
                if not left:
                    words.moveRight(inner.x() - 10)
                shown, weight = name.replace("-", "−"), 700 if marked else 400
                ink.write(p, words, shown, 13, weight, text if marked else None, ink.LEFT if left else ink.RIGHT)
                if marked:
                    self._probe(p, inner, left, at == 0)
            if wanted and info.kind == "current":
                self._clamp(p, QPointF(box.left() - 18 if left else box.right() + 18, box.top() + 24))
        if info.kind == "temperature":
            on = QPointF(box.center().x(), box.top())
            p.setPen(QPen(hue, 1.4))
            p.setBrush(hue)
            p.drawEllipse(on, DOT + 2, DOT + 2)
            p.setPen(QPen(hue, 2.0))
            p.drawLine(on, QPointF(on.x() + 26, 4))
            ink.write(p, QRectF(on.x() + 34, 0, self.width() - on.x() - 34, 18), self._spot or "case", 13, 700, text)
        elif display:
            window = QRectF(middle - 34, box.top() + 14, 68, 26)
            p.setPen(QPen(hue, 2.0))
            p.setBrush(t.color("paper"))
            p.drawRoundedRect(window, 3, 3)
            ink.write(p, window, info.unit, 15, 700, text, ink.CENTRE)
        elif self._spot:
            ink.write(p, QRectF(box.left(), box.bottom(), box.width(), 18), self._spot, 12, 400, text, ink.CENTRE)

    def _probe(self, p: QPainter, at: QPointF, left: bool, upper: bool) -> None:
        """A probe tip that touches a terminal from outside."""
        away = -1.0 if left else 1.0
        rise = -16.0 if upper else 16.0
        end = QPointF(at.x() + away * 52, at.y() + rise)
        p.setPen(QPen(theme().of(QUANTITIES[self._quantity].kind), 2.0))
        p.drawLine(at, end)
        p.setBrush(theme().of(QUANTITIES[self._quantity].kind))
        p.setPen(Qt.PenStyle.NoPen)
        grip = QPointF(end.x() + away * 30, end.y() + rise * 0.6)
        p.drawPolygon(
            QPolygonF([end + QPointF(0, -3), grip + QPointF(0, -5), grip + QPointF(0, 5), end + QPointF(0, 3)])
        )

    @staticmethod
    def _clamp(p: QPainter, at: QPointF) -> None:
        p.setPen(QPen(theme().of("current"), 3.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawArc(QRectF(at.x() - 9, at.y() - 11, 18, 22), 60 * 16, 330 * 16)
