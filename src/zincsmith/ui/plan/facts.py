"""What goes with a plan: watches of the chosen part, cautions, and what will not be tested."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from zincsmith.formats.words import counted
from zincsmith.judge.untested import untested
from zincsmith.model.actions import Watch
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import Itinerary
from zincsmith.planning.watches import tightest
from zincsmith.ui.widgets.panel import Panel, label, scrolling, tip
from zincsmith.ui.widgets.plain_table import PlainTable


class PlanFacts(QWidget):
    """Watches and cautions beside each other, the untested claims below."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(9)
        column.addWidget(self._facts_panel(), 7)
        column.addWidget(self._untested_panel(), 5)

    def _facts_panel(self) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(9)
        self.watches = Panel("Watches", "the tightest of each; make safe when left")
        self.watch_table = PlainTable("Watches", ("Live quantity", "Stops at", "Rehearsed", "Whose limit"), 20)
        self.watch_table.share((14, 7, 9, 13))
        self.watches.body.addWidget(self.watch_table, 1)
        layout.addWidget(self.watches, 6)
        self.cautions = Panel("Cautions", "told at the gates")
        self.caution_text = label("", 13, wrap=True, rich=True)
        self.caution_text.setTextFormat(Qt.TextFormat.RichText)
        area, column = scrolling()
        column.addWidget(self.caution_text)
        column.addStretch()
        self.cautions.body.addWidget(area)
        layout.addWidget(self.cautions, 3)
        return row

    def _untested_panel(self) -> Panel:
        self.untested = Panel("Not tested by this plan", "")
        self.untested_table = PlainTable("Not tested", ("Claim", "Where", "Why not"), 20)
        self.untested_table.share((8, 6, 6))
        self.untested.body.addWidget(self.untested_table, 1)
        return self.untested

    def show_watches(self, found: Itinerary, part: int) -> None:
        """What is watched in a part, with the figure that the rehearsal comes nearest with."""
        rows = tightest(found.watches_of(part))
        self.watch_table.setRowCount(len(rows))
        for at, watch in enumerate(rows):
            info = WATCHABLE[watch.quantity]
            unit = {"degC": "°C"}.get(info.unit, info.unit)
            points = [p for p in found.points if p.part == part]
            seen = [p.expected[watch.quantity].value for p in points if watch.quantity in p.expected]
            pick = max if watch.high is not None else min
            most = f"{pick(seen):.4g} {unit}" if seen else "–"
            for column, text in enumerate((info.words, watch_words(watch), most, watch.whose)):
                item = QTableWidgetItem(text)
                item.setToolTip(tip(text))
                self.watch_table.setItem(at, column, item)

    def show_cautions(self, cautions: Sequence[str]) -> None:
        self.caution_text.setText("".join(f"<p style='margin:0 0 6px 0'>{escape(c)}</p>" for c in cautions))

    def show_untested(self, unit: Unit | None, plan: Plan) -> None:
        """Every claim that this plan leaves out, with the reason."""
        rows = untested(unit, plan) if unit is not None else []
        whole = sum(not row.partly for row in rows)
        self.untested.remark.setText(
            f"{counted(whole, 'claim')} will read not tested" if whole else "every claim is reached"
        )
        self.untested_table.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate((f"{row.claim.title} {row.claim.text}", row.claim.condition_text, row.why)):
                item = QTableWidgetItem(text)
                item.setToolTip(tip(text))
                self.untested_table.setItem(at, column, item)


def watch_words(watch: Watch) -> str:
    """The bounds of a watch: ``27.6 V``, or ``below 20 V`` where it is the lower one that stops."""
    unit = {"degC": "°C"}.get(WATCHABLE[watch.quantity].unit, WATCHABLE[watch.quantity].unit)
    if watch.high is None:
        return f"below {watch.low:.4g} {unit}"
    return f"{watch.high:.4g} {unit}"
