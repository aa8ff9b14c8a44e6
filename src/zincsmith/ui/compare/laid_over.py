"""Curves of several units on one pair of axes; or any two figures of them against each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtWidgets import QHBoxLayout

from zincsmith.procedures.base import Curves
from zincsmith.showing.compare import Row
from zincsmith.showing.laid_over import scatter
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import Panel
from zincsmith.ui.widgets.plot import Curve, Plot, drawn

ANY_TWO = "Any two figures"
LONGEST = 60


class LaidOver(Panel):
    """One picture at a time, chosen above it."""

    def __init__(self) -> None:
        super().__init__()
        self._curves: Sequence[Curves] = ()
        self._rows: Sequence[Row] = ()
        self._letters: dict[str, str] = {}
        row = QHBoxLayout()
        self.which, self.across, self.up = Choice(), Choice(), Choice()
        for choice, name in ((self.which, "Which picture"), (self.across, "Across"), (self.up, "Up")):
            choice.setAccessibleName(name)
            choice.setMinimumWidth(40)
            choice.activated.connect(self._show)
            row.addWidget(choice, 1)
        self.body.addLayout(row)
        self.plot = Plot("", "", "", "", "", tools=False)
        self.plot.heading.hide()
        self.body.addWidget(self.plot, 1)
        self.body.setContentsMargins(10, 6, 10, 6)

    def show_found(self, curves: Sequence[Curves], rows: Sequence[Row], letters: dict[str, str]) -> None:
        """``letters`` by label of a unit, as the list of units has them."""
        chosen = self.which.currentText()
        self._curves, self._letters = curves, letters
        self._rows = [r for r in rows if len(r.cells) > 1]
        self.which.clear()
        for one in curves:
            self.which.addItem(one.title)
        if len(self._rows) > 1:
            self.which.addItem(ANY_TWO)
        self.which.setCurrentIndex(max(0, self.which.findText(chosen)))
        for choice, at in ((self.across, 0), (self.up, 1)):
            was = choice.currentText()
            choice.clear()
            for row in self._rows:
                choice.addItem(f"{row.title}, {row.where}"[:LONGEST])
            choice.setCurrentIndex(choice.findText(was) if choice.findText(was) >= 0 else min(at, len(self._rows) - 1))
        self._show()

    def _show(self, _at: int = 0) -> None:
        any_two = self.which.currentText() == ANY_TWO
        for choice in (self.across, self.up):
            choice.setVisible(any_two)
        at = self.which.currentIndex()
        if any_two:
            self._show_scatter()
        elif 0 <= at < len(self._curves):
            one = self._curves[at]
            self.plot.show_axes(one.title, one.x, one.x_unit, one.y, one.y_unit)
            lines = tuple((self._letters.get(name, name), x, y) for name, x, y in one.lines)
            self.plot.show_curves(drawn(Curves(one.title, one.x, one.x_unit, one.y, one.y_unit, one.kind, lines)))
        else:
            self.plot.show_curves([])

    def _show_scatter(self) -> None:
        """Each unit a mark with its letter, and twice its uncertainty either way as a cross."""
        one = scatter(self._rows[self.across.currentIndex()], self._rows[self.up.currentIndex()])
        units = {"1": "", "degC": "°C"}
        self.plot.show_axes(f"{one.y} against {one.x}", one.x, units.get(one.x_unit, one.x_unit), one.y,
                            units.get(one.y_unit, one.y_unit))  # fmt: skip
        curves = []
        for tag, (x, ux, y, uy) in one.units.items():
            curves.append(Curve(self._letters.get(tag, tag), np.array([x]), np.array([y]), "plain"))
            curves.append(Curve("", np.array([x - 2 * ux, x + 2 * ux]), np.array([y, y]), "plain", marks=False))
            curves.append(Curve("", np.array([x, x]), np.array([y - 2 * uy, y + 2 * uy]), "plain", marks=False))
        self.plot.show_curves(curves)

    def restyle(self) -> None:
        self.plot.restyle()
