"""What was worked out on the ruler of a claim, its needle hollow: it would hold, it was not measured."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from zincsmith.formats.words import decimals_for, number
from zincsmith.model.claim import Claim
from zincsmith.model.figures import FIGURES
from zincsmith.showing.ruler_scale import scale_over
from zincsmith.showing.would_hold import FAILS, HOLDS, Foreseen
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.claim_ruler import Needle, paint_scale
from zincsmith.ui.widgets.panel import clear, cut_label, label
from zincsmith.workshop.base import in_words

TALL, SIDE, TOP = 56, 22.0, 10.0  # px: the labels of the ends stand over them
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
        factor = _factor(one.claim)
        limits = tuple(None if v is None else v * factor for v in (one.claim.low, one.claim.high))
        value, low, high = (v * factor for v in (one.told.value, one.told.low, one.told.high))
        found = [one.now * factor] if one.now is not None else []
        ends = [*(v for v in limits if v is not None), value, low, high, *found]
        scale = scale_over([*ends, *([0.0] if one.claim.low is None else [])])
        colour = QColor(t.verdict[COLOURS.get(one.words, "too close to call")])
        needles = [Needle(v, v, v, t.color("ink2")) for v in found]
        box = QRectF(SIDE, TOP, self.width() - 2.0 * SIDE, self.height() - TOP)
        paint_scale(p, box, scale, limits, [*needles, Needle(value, low, high, colour, hollow=True)])
        p.end()


def _factor(claim: Claim) -> float:
    """What its numbers are shown by: percent where the figure is told so, else in the unit that the claim is told in,
    milliseconds say."""
    if claim.unit == "1":
        return 100.0 if FIGURES.knows(claim.figure) and FIGURES[claim.figure].in_percent else 1.0
    largest = max((abs(limit) for limit in (claim.low, claim.high) if limit is not None), default=0.0)
    return float(in_words(largest, claim.unit)[0]) / largest if largest else 1.0


def _said(value: float | None, claim: Claim) -> str:
    if value is None:
        return "–"
    if claim.unit == "1" and _factor(claim) != 1.0:
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
