"""What was worked out on the ruler of a claim, its needle hollow: it would hold, it was not measured."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from zincsmith.formats.words import decimals_for, number
from zincsmith.model.claim import Claim
from zincsmith.model.figures import FIGURES
from zincsmith.showing.ruler_scale import Scale, scale_over
from zincsmith.showing.would_hold import FAILS, HOLDS, Foreseen
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.panel import clear, cut_label, label
from zincsmith.workshop.base import in_words

TALL, SIDE, BAR = 56, 12.0, 10.0  # px
COLOURS = {HOLDS: "holds", FAILS: "fails"}  # of a verdict; what hangs on its parts is too close to call


class ForeseenRuler(QWidget):
    """The claim as a bar; hollow what was worked out, with what its parts make of it; full what was found."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: Foreseen | None = None
        self.setAccessibleName("The claim, and what was worked out")
        self.setMinimumHeight(TALL)

    def sizeHint(self) -> QSize:
        return QSize(220, TALL)

    def show_foreseen(self, one: Foreseen | None) -> None:
        self.shown = one
        self.setVisible(one is not None)
        if one is not None:
            now = f"; found {_said(one.now, one.claim)}" if one.now is not None else ""
            self.setAccessibleDescription(f"{one.words}: {_said(one.told.value, one.claim)}{now}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.shown is None:
            return
        one, t, p = self.shown, theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        factor = _factor(one.claim)
        limits = [v * factor for v in (one.claim.low, one.claim.high) if v is not None]
        told = [v * factor for v in (one.told.value, one.told.low, one.told.high)]
        found = [one.now * factor] if one.now is not None else []
        scale = scale_over([*limits, *told, *found, *([0.0] if one.claim.low is None else [])])
        box = QRectF(SIDE, 22.0, self.width() - 2.0 * SIDE, BAR)

        def x(value: float) -> float:
            return box.left() + scale.share(value) * box.width()

        p.fillRect(box, t.color("zinc_light"))
        low = x(one.claim.low * factor) if one.claim.low is not None else box.left()
        high = x(one.claim.high * factor) if one.claim.high is not None else box.right()
        p.fillRect(QRectF(low, box.top(), high - low, BAR), t.color("zinc"))
        p.setPen(QPen(t.color("ink"), 1.6))
        for limit in limits:
            p.drawLine(QPointF(x(limit), box.top() - 2), QPointF(x(limit), box.bottom() + 2))
        _ticks(p, box, scale, x)
        p.setPen(QPen(t.color("ink2"), 1.6))
        p.setBrush(t.color("ink2"))
        for value in found:
            _needle(p, box, x(value))
        colour = QColor(t.verdict[COLOURS.get(one.words, "too close to call")])
        p.setPen(QPen(colour, 1.8))
        middle = box.center().y()
        for end in told[1:]:
            p.drawLine(QPointF(x(end), middle - 4), QPointF(x(end), middle + 4))
        p.drawLine(QPointF(x(told[1]), middle), QPointF(x(told[2]), middle))
        p.setBrush(t.color("paper"))
        _needle(p, box, x(told[0]))
        p.end()


def _ticks(p: QPainter, box: QRectF, scale: Scale, x) -> None:  # type: ignore[no-untyped-def]
    for tick in (scale.ticks[0], scale.ticks[len(scale.ticks) // 2], scale.ticks[-1]):
        words = number(tick, scale.decimals)
        wide = ink.width(words, 12)
        at = min(max(x(tick) - wide / 2.0, 0.0), p.device().width() - wide)
        ink.write(p, QRectF(at, box.bottom() + 4, wide + 2, 16), words, 12, 400, theme().color("ink2"))


def _needle(p: QPainter, box: QRectF, x: float) -> None:
    p.drawLine(QPointF(x, box.top() - 3), QPointF(x, box.bottom() + 1))
    top = box.top() - 12.0
    p.drawPolygon(QPolygonF([QPointF(x - 6, top), QPointF(x + 6, top), QPointF(x, top + 9)]))


def _factor(claim: Claim) -> float:
    """What its numbers are shown by: percent where the figure is told so."""
    return 100.0 if claim.unit == "1" and FIGURES.knows(claim.figure) and FIGURES[claim.figure].in_percent else 1.0


def _said(value: float | None, claim: Claim) -> str:
    if value is None:
        return "–"
    if _factor(claim) != 1.0:
        return f"{number(100.0 * value, max(0, decimals_for(None, 100.0 * value)))} %"
    return " ".join(in_words(float(f"{value:.3g}"), claim.unit)).strip()


class BesideClaims(QWidget):
    """The ruler with its words, and what it costs other claims."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(2)
        self.claim = label("", 13, 600, "", wrap=True)
        self.ruler = ForeseenRuler()
        self.words = label("", 13, 400, "second", wrap=True)
        self.head = label("What it costs", 14, 700)
        self.costs = QGridLayout()
        self.costs.setHorizontalSpacing(8)
        self.costs.setVerticalSpacing(2)
        self.costs.setColumnStretch(0, 1)
        for widget in (self.claim, self.ruler, self.words, self.head):
            column.addWidget(widget)
        column.addLayout(self.costs)

    def show_them(self, held: Foreseen | None, costs: list[Foreseen]) -> None:
        self.setVisible(held is not None or bool(costs))
        for widget in (self.claim, self.words):
            widget.setVisible(held is not None)
        self.ruler.show_foreseen(held)
        if held is not None:
            self.claim.setText(f"Claim: {held.claim.title.lower()} {held.claim.text}")
            found = f"; the latest run found {_said(held.now, held.claim)} (full)" if held.now is not None else ""
            self.words.setText(f"{held.words} (hollow){found}")
        clear(self.costs)
        self.head.setVisible(bool(costs))
        if costs:
            for n, words in enumerate(("", "now", "with it", "claim")):
                self.costs.addWidget(label(words, 12, 400, "second"), 0, n)
        for row, one in enumerate(costs, 1):
            self.costs.addWidget(cut_label(one.claim.title, 13, 400), row, 0)
            self.costs.addWidget(label(_said(one.now, one.claim), 13, 400, "second"), row, 1)
            self.costs.addWidget(label(_said(one.told.value, one.claim), 13, 700), row, 2)
            self.costs.addWidget(label(one.claim.text, 13, 400, "second"), row, 3)
