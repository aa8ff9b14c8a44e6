"""What a part of a plan has to be typed at, as a sheet: a row a point, a column a reading; it fills as it is typed.

It takes no keys: what is asked for is typed where it always is, Enter goes on to the next cell.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush
from PySide6.QtWidgets import QTableWidgetItem

from zincsmith.formats.words import UNIT_WORDS
from zincsmith.model.quantities import QUANTITIES
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import tip
from zincsmith.ui.widgets.plain_table import PlainTable

ROW_PX = 26
LEAST = 4  # cells: fewer are no sheet


@dataclass(frozen=True)
class EntryRow:
    """A point by its number: where it stands in words, what is typed at it, and what was, by address."""

    number: int
    words: str
    typed: tuple[str, ...]
    read: Mapping[str, str]
    doubtful: bool = False


class EntrySheet(PlainTable):
    """``asked`` is (number of the point, address) of the cell that is typed now."""

    def __init__(self) -> None:
        super().__init__("Readings to type", ("Point",), ROW_PX)
        self.rows: tuple[EntryRow, ...] = ()
        self.asked: tuple[int, str] | None = None
        self._shown: object = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    @staticmethod
    def wanted(rows: Sequence[EntryRow]) -> bool:
        """Whether so much is typed that a sheet helps: two readings at several points."""
        return len(columns_of(rows)) > 1 and sum(len(row.typed) for row in rows) >= LEAST

    def show_rows(self, rows: Sequence[EntryRow], asked: tuple[int, str] | None) -> None:
        """Drawn anew only where something changed; the cell that is asked for is in sight."""
        state = (tuple((r.number, r.words, r.typed, tuple(sorted(r.read.items())), r.doubtful) for r in rows), asked)
        if (theme(), state) == self._shown:
            return
        self._shown = (theme(), state)
        self.rows, self.asked = tuple(rows), asked
        columns = columns_of(rows)
        self.setColumnCount(1 + len(columns))
        for k, text in enumerate(("Point", *(heading(one) for one in columns))):
            head = QTableWidgetItem(text)
            side = Qt.AlignmentFlag.AlignRight if k else Qt.AlignmentFlag.AlignLeft
            head.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
            self.setHorizontalHeaderItem(k, head)
        self.share((30, *(12 for _ in columns)))
        self.setRowCount(len(rows))
        for n, row in enumerate(rows):
            self._fill(n, row, columns)
        self.resizeEvent(None)  # type: ignore[arg-type]
        if asked is not None:
            at = next((n for n, row in enumerate(rows) if row.number == asked[0]), None)
            item = self.item(at, 1 + columns.index(asked[1])) if at is not None and asked[1] in columns else None
            if item is not None:
                self.scrollToItem(item)

    def _fill(self, n: int, row: EntryRow, columns: Sequence[str]) -> None:
        t = theme()
        first = QTableWidgetItem(f"{row.number}  {row.words}")
        first.setToolTip(tip(row.words))
        if row.doubtful:
            first.setForeground(QBrush(t.color("doubt_ink")))
        self.setItem(n, 0, first)
        for k, address in enumerate(columns, start=1):
            here = self.asked == (row.number, address)
            text = row.read.get(address, "now" if here else "·" if address in row.typed else "")
            item = QTableWidgetItem(text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if address in row.read:
                item.setForeground(QBrush(t.text_of(QUANTITIES[address].kind)))
            elif here:
                item.setFont(font(13, 700))
                item.setBackground(QBrush(t.color("chosen")))
            else:
                item.setForeground(QBrush(t.color("ink2")))
            self.setItem(n, k, item)


def columns_of(rows: Sequence[EntryRow]) -> list[str]:
    """The addresses that any of them is typed at, in the order in which they come."""
    return list(dict.fromkeys(address for row in rows for address in row.typed))


def heading(address: str) -> str:
    """``+12 V, V``: the output by its name, else the quantity, with the unit."""
    info = QUANTITIES[address]
    unit = UNIT_WORDS.get(info.unit, info.unit)
    name = address.partition("@")[2] or info.words
    return ", ".join(x for x in (name, unit) if x)
