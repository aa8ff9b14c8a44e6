"""What this rig can decide: one row a claim, worst first, with the share of its tolerance the rig would take."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QTableWidgetItem

from zincsmith.judge.decide import DECIDES, MARGINAL, Decision
from zincsmith.model.figures import FIGURES
from zincsmith.showing.rig_words import rig_words
from zincsmith.ui import ink
from zincsmith.ui.theme import Theme, font, theme
from zincsmith.ui.widgets.panel import tip
from zincsmith.ui.widgets.plain_table import PlainTable

HEADINGS = ("claim, worst first", "allowed", "this rig, ±U", "share of it", "as wired", "to blame")
ORDER = {"cannot": 0, "marginal": 1, "decides": 2, "no procedure yet": 3}
MARKS = {"cannot": "missing", "marginal": "doubt", "decides": "tick"}
BAR = Qt.ItemDataRole.UserRole


class _Bar(QStyledItemDelegate):
    """Uncertainty hatched, known error filled, against the whole of the tolerance; the two limits marked."""

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        super().paint(p, option, index)
        parts = index.data(BAR)
        if parts is None:
            return
        t, rect = theme(), QRectF(option.rect)
        bar = QRectF(rect.left() + 4, rect.center().y() - 4, rect.width() - 16, 9)
        p.save()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.color("zinc_light"))
        p.drawRect(bar)
        expanded, error = parts
        wide = bar.width() * min(1.0, error)
        p.setBrush(QBrush(t.of("temperature")))
        p.setOpacity(0.55)
        p.drawRect(QRectF(bar.left(), bar.top(), wide, bar.height()))
        p.setOpacity(1.0)
        hatch = QBrush(t.color("ink"), Qt.BrushStyle.BDiagPattern)
        p.setBrush(hatch)
        p.drawRect(QRectF(bar.left() + wide, bar.top(), min(bar.width() - wide, bar.width() * expanded), bar.height()))
        p.setPen(QPen(t.color("ink"), 1.0))
        for share in (DECIDES, MARGINAL):
            x = bar.left() + bar.width() * share
            p.drawLine(QPointF(x, bar.top() - 3), QPointF(x, bar.bottom() + 3))
        p.restore()


class DecisionTable(PlainTable):
    """Read-only rows; the mark, the word and the bar say the same thing."""

    def __init__(self) -> None:
        super().__init__("What this rig can decide", HEADINGS, 24)
        self.share((25, 16, 14, 10, 19, 16))
        self.setItemDelegateForColumn(3, _Bar(self))
        self._shown: tuple[Theme, list[Decision]] | None = None

    def show_decisions(self, decisions: Sequence[Decision]) -> None:
        rows = sorted(decisions, key=lambda d: (ORDER[d.verdict], -(d.share or 0.0)))
        if self._shown == (theme(), rows):
            return
        self._shown = (theme(), rows)
        self.setRowCount(len(rows))
        for row, one in enumerate(rows):
            self._fill(row, one)

    def _fill(self, row: int, one: Decision) -> None:
        t = theme()
        after = f" → {one.moved}" if one.moved != one.verdict else ""
        texts = (
            one.claim.title,
            one.claim.text.partition(" (")[0],
            rig_words(one) if one.expanded is not None else "",
            "",
            one.verdict + after,
            one.blame or one.why,
        )
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(tip(text))
            if column == 1:
                item.setForeground(QBrush(t.text_of(FIGURES[one.claim.figure].kind)))
            elif column == 3 and one.expanded is not None and one.tolerance:
                item.setData(BAR, (one.expanded / one.tolerance, one.error / one.tolerance))
            elif column == 4:
                item.setIcon(ink.mark_icon(MARKS.get(one.verdict, "")))
                item.setFont(font(13, 600 if one.verdict in {"cannot", "marginal"} else 400))
            elif column in (2, 5):
                item.setForeground(QBrush(t.color("ink2")))
            self.setItem(row, column, item)
