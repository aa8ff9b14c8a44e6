"""The tape of Log: what really ran, shaded by what was energised; overview and scroll bar in one."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.formats.words import counted, duration
from zincsmith.history.ran import Ran
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.itinerary import paint_gate

CUT = 10.0  # width of a cut, px


class RanTape(QWidget):
    """A press or a drag goes to that moment: signal ``sought`` carries the number of the event there."""

    sought = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(54)
        self._ran = Ran()
        self._frame = (0.0, 0.0)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_ran(self, ran: Ran, seen: tuple[int, int]) -> None:
        """``seen``: first and last event of the book that the list below shows."""
        self._ran = ran
        self._frame = (ran.place_of(seen[0]), ran.place_of(seen[1]))
        runs = len({p.run for p in ran.pieces})
        words = (
            f"{counted(runs, 'run')}, {duration(ran.length_s)} of bench time, {counted(len(ran.cuts), 'stop')} cut out"
        )
        self.setAccessibleName(f"What ran: {words}" if runs else "Nothing has run")
        self.update()

    def _x(self, place_s: float, after: bool = True) -> float:
        """Where a place lies, px; ``after`` says on which side of a cut at that very place."""
        room = max(1.0, self.width() - 1.0 - CUT * len(self._ran.cuts))
        cuts = sum(c < place_s or (after and c == place_s) for c in self._ran.cuts)
        return 0.5 + room * place_s / max(1e-9, self._ran.length_s) + CUT * cuts

    def _place(self, x: float) -> float:
        room = max(1.0, self.width() - 1.0 - CUT * len(self._ran.cuts))
        for cut in reversed(self._ran.cuts):
            if x >= self._x(cut, after=False):
                x -= min(CUT, x - self._x(cut, after=False))
        return min(max(0.0, (x - 0.5) / room), 1.0) * self._ran.length_s

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._ran.pieces:
            self.sought.emit(self._ran.seq_at(self._place(event.position().x())))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._ran.pieces:
            ink.write(
                p,
                QRectF(self.rect()),
                "Nothing has run yet: the tape fills while a run is under way.",
                13,
                400,
                t.color("ink2"),
            )
            return
        top, height = 8.0, 14.0
        for piece in self._ran.pieces:
            left, right = self._x(piece.begins_s), self._x(piece.begins_s + piece.seconds, after=False)
            p.setBrush(QColor(t.energised[piece.energised]))
            p.setPen(QPen(t.color("edge"), 1.0))
            p.drawRect(QRectF(left, top, max(1.0, right - left), height))
        for gate in self._ran.gates:
            paint_gate(p, QPointF(self._x(gate) + 4, top + height / 2), upright=True)
        p.setPen(QPen(t.color("ink"), 1.0))
        for point in self._ran.points:
            x = self._x(point, after=False)
            p.drawLine(QPointF(x, top - 6), QPointF(x, top - 1))
        for cut in self._ran.cuts:
            x = self._x(cut, after=False) + CUT / 2
            p.setPen(QPen(t.color("ink2"), 1.4))
            for dx in (-2, 2):
                p.drawLine(QPointF(x + dx - 2, top + height + 3), QPointF(x + dx + 2, top - 3))
        self._names(p, top + height + 3)
        left, right = self._x(self._frame[0]), self._x(self._frame[1], after=False)
        p.setPen(QPen(t.color("ink"), 2.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(QRectF(left - 2, top - 5, max(6.0, right - left + 4), height + 10), 3, 3)

    def _names(self, p: QPainter, y: float) -> None:
        """Runs and stages below, as far as they have room."""
        spans: list[tuple[str, float, float]] = []
        for piece in self._ran.pieces:
            end = self._x(piece.begins_s + piece.seconds, after=False)
            name = f"run {piece.run}: {piece.stage}"
            if spans and spans[-1][0] == name:
                spans[-1] = (name, spans[-1][1], end)
            else:
                spans.append((name, self._x(piece.begins_s), end))
        free = -1.0
        for name, left, right in spans:
            room = max(right, left) - left
            for words in (name, name.partition(": ")[2]):
                if left >= free and ink.width(words, 12) + 6 <= room:
                    ink.write(p, QRectF(left + 1, y + 4, room, 18), words, 12, 400, theme().color("ink2"))
                    free = left + ink.width(words, 12) + 8
                    break
