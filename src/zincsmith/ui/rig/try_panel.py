"""Trying an instrument: who it is, and twenty readings inside the span it may show at zero."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from zincsmith.before_power.zero import AtZero, at_zero, zero_words
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Instrument
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.panel import button, label

ROW = 42


class _Spans(QWidget):
    """One row a quantity: the span as a bar, each reading as a stroke; outside it the stroke is long and red."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[AtZero] = []

    def show_rows(self, rows: list[AtZero]) -> None:
        self._rows = rows
        self.setFixedHeight(ROW * len(rows))
        self.setAccessibleName("; ".join(zero_words(row) for row in rows))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, row in enumerate(self._rows):
            top = float(n * ROW)
            color = t.color("alarm") if row.outside else t.color("ink")
            ink.write(p, QRectF(0, top, self.width(), 18), zero_words(row), 12, 600 if row.outside else 400, color)
            if not row.span:
                continue
            bar = QRectF(0, top + 22, self.width(), 12)
            most = max(2.0 * row.span, 1.1 * max(abs(r) for r in row.readings))
            half = bar.width() / 2.0 * row.span / most
            p.fillRect(bar, t.color("zinc_light"))
            p.fillRect(QRectF(bar.center().x() - half, bar.top(), 2.0 * half, bar.height()), t.color("zinc"))
            p.setPen(QPen(t.color("ink"), 1.0, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(bar.center().x(), bar.top() - 2), QPointF(bar.center().x(), bar.bottom() + 2))
            for reading in row.readings:
                x = bar.center().x() + bar.width() / 2.0 * reading / most
                out = abs(reading) > row.span
                hue = t.color("alarm") if out else t.of(QUANTITIES[row.quantity].kind)
                p.setPen(QPen(hue, 2.0 if out else 1.2))
                reach = 4.0 if out else 0.0
                p.drawLine(QPointF(x, bar.top() - reach), QPointF(x, bar.bottom() + reach))


class TryPanel(QWidget):
    """Signal ``wanted``: a person asks for it. What comes back is shown until another element is opened."""

    wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._role = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        self.go = button("Try it: nothing energised, 20 readings", weight=400)
        self.go.clicked.connect(self._ask)
        self.said = label("", 12, 400, "second", wrap=True)
        self.spans = _Spans()
        for one in (self.go, self.said, self.spans):
            column.addWidget(one)

    def show_instrument(self, one: Instrument | None, free: bool) -> None:
        """``free``: the bench is idle and the engine there."""
        self.setVisible(one is not None and one.how != "by hand")
        self.go.setEnabled(free)
        if (one.role if one is not None else "") != self._role:
            self._role = one.role if one is not None else ""
            self.said.setText("")
            self.spans.show_rows([])

    def _ask(self) -> None:
        self.said.setText("Asking …")
        self.spans.show_rows([])
        self.wanted.emit()

    def show_tried(self, one: Instrument, identity: str, readings: Mapping[str, Sequence[float]]) -> None:
        """What the engine brought back."""
        count = max((len(r) for r in readings.values()), default=0)
        self.said.setText(f"Answers as {identity}. " + (f"{count} readings:" if count else "It gives no readings."))
        self.spans.show_rows(at_zero(one, readings))

    def show_refused(self, message: str) -> None:
        self.said.setText(message)
