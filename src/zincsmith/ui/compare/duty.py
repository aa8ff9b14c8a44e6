"""What a unit must feed, and what that costs by the year: a day drawn to scale, pay-back in words."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from zincsmith.model.feeding import Feeding
from zincsmith.report.compared import back_words
from zincsmith.showing.compare import Compared
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.panel import Panel, label, scrolling

TALL = 74
NOBODY = "What it must feed is a small file: volts, amps, plug, hours at each load, tariff. Open one with Ctrl+F."


class DayOfDuty(QWidget):
    """Hours across, amps up."""

    def __init__(self) -> None:
        super().__init__()
        self._feeding: Feeding | None = None
        self.setFixedHeight(TALL)
        self.setAccessibleName("A day of what it must feed")

    def show_feeding(self, one: Feeding | None) -> None:
        self._feeding = one
        self.setVisible(one is not None and bool(one.duty))
        told = ", ".join(f"{d.hours:g} h at {d.current_A:g} A" for d in one.duty) if one is not None else ""
        self.setAccessibleDescription(told)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        one = self._feeding
        if one is None or not one.duty:
            return
        p, t = QPainter(self), theme()
        hours, most = sum(d.hours for d in one.duty), max(d.current_A for d in one.duty) or 1.0
        foot, at = self.height() - 18.0, 0.0
        for part in one.duty:
            wide = (self.width() - 4.0) * part.hours / hours
            high = (foot - 18.0) * part.current_A / most
            colour = t.of("power")
            colour.setAlpha(60)
            p.fillRect(QRectF(at, foot - high, wide, high), colour)
            ink.hairline(p, QPointF(at, foot - high), QPointF(at + wide, foot - high), t.of("power"))
            ink.write(
                p, QRectF(at + 2, foot - high - 16, wide - 2, 16), f"{part.current_A:g} A", 12, 400, t.color("ink2")
            )
            ink.write(p, QRectF(at + 2, foot + 1, wide - 2, 16), f"{part.hours:g} h", 12, 400, t.color("ink2"))
            at += wide
        ink.hairline(p, QPointF(0, foot), QPointF(at, foot))


class WhatItFeeds(Panel):
    """The duty, what each unit costs by the year, and after how long a dearer one has paid for itself."""

    def __init__(self) -> None:
        super().__init__("What it must feed", "")
        self.body.setContentsMargins(12, 6, 12, 8)
        self.day = DayOfDuty()
        self.body.addWidget(self.day)
        self.costs, self.back = label("", 13, 600, "", wrap=True), label("", 13, 400, "", wrap=True)
        self.fits = label("", 12, 400, "second", wrap=True)
        area, column = scrolling(2)
        for one in (self.costs, self.back, self.fits):
            column.addWidget(one)
        column.addStretch()
        self.body.addWidget(area, 1)

    def show_found(self, feeding: Feeding | None, found: Compared | None, letters: dict[str, str]) -> None:
        self.day.show_feeding(feeding)
        if feeding is None or found is None:
            self.remark.setText("")
            self.costs.setText("")
            self.back.setText(NOBODY)
            self.fits.setText("")
            return
        self.remark.setText(f"{feeding.name}: {feeding.voltage_V:g} V, {feeding.current_A:g} A")
        costs = [f"{letters.get(w.unit_tag, w.unit_tag)} {w.year_cost:.2f} ±{2.0 * (w.year_u or 0.0):.2f}"
                 for w in found.value if w.year_cost is not None]  # fmt: skip
        self.costs.setText(
            f"{'   '.join(costs)}   {feeding.currency} a year" if costs else "Its duty was not measured."
        )
        self.back.setText("  ".join(back_words(p) for p in found.pay_back[:2]))
        no = [f"{w.unit_tag}: {w.no[0]}" for w in found.value if w.no]
        ask = list(dict.fromkeys(one for w in found.value for one in w.ask))
        lines = [f"Does not feed it: {'; '.join(no)}."] if no else []
        lines += [f"To be asked: {'; '.join(ask)}."] if ask else []
        self.fits.setText("  ".join(lines))
