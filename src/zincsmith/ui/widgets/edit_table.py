"""A table that is typed into: one row a record, an empty row at the end to add one, Ctrl+Delete to take one away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QPersistentModelIndex, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError
from zincsmith.ui.ink import mark_icon, write
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.panel import tip
from zincsmith.ui.widgets.shown_items import ShownItems

Row = dict[str, Any]
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True)
class Column:
    """``unit`` makes it a number in that unit (empty: text), ``choices`` a choice; ``fixed`` is only shown.

    ``stretch`` shares the room that is left; ``width`` is in pixels where it does not.
    """

    key: str
    heading: str
    unit: str = ""
    choices: tuple[str, ...] = ()
    fixed: bool = False
    stretch: bool = False
    right: bool = False
    width: int = 80
    kind: str = "plain"
    marks: Mapping[str, str] = field(default_factory=dict)  # value: one of ink.MARKS


class _Delegate(ShownItems):
    """An editor by column: a choice drops down at once."""

    def __init__(self, table: EditTable) -> None:
        super().__init__(table)
        self._table = table

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        column = self._table.columns[index.column()]
        if not column.choices:
            editor = super().createEditor(parent, option, index)
            editor.setAccessibleName(f"{self._table.accessibleName()}, {column.heading}, row {index.row() + 1}")
            return editor
        box = Deed(parent, first_of_letter=True)
        box.addItems(list(column.choices))
        box.setAccessibleName(f"{self._table.accessibleName()}, {column.heading}, row {index.row() + 1}")
        box.activated.connect(lambda _: self._done(box))
        return box

    def _done(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentText(str(index.data() or self._table.columns[index.column()].choices[0]))
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentText())
        else:
            super().setModelData(editor, model, index)


class EditTable(QTableWidget):
    """Signals: ``edited`` (all rows as dictionaries by column key, numbers parsed), ``wrong`` (a reason, or empty).

    A wrong entry stays in its cell with its reason; nothing is given on while one stands.
    """

    edited = Signal(list)
    wrong = Signal(str)

    def __init__(self, name: str, columns: Sequence[Column], adds: bool = True, row_height: int = 26) -> None:
        super().__init__(0, len(columns))
        self.columns, self.adds = tuple(columns), adds
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels([c.heading for c in columns])
        self.setFont(font(13))
        self.horizontalHeader().setFont(font(12))
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(row_height)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setItemDelegate(_Delegate(self))
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.SelectedClicked
        )
        header = self.horizontalHeader()
        for n, column in enumerate(columns):
            if column.stretch:
                header.setSectionResizeMode(n, QHeaderView.ResizeMode.Stretch)
            else:
                self.setColumnWidth(n, column.width)
        for n, column in enumerate(columns):
            heading = self.horizontalHeaderItem(n)
            if (column.unit or column.right) and heading is not None:  # a number stands under its heading
                heading.setTextAlignment(RIGHT)
        self._loading = False
        self._shown: list[Row] | None = None
        self._inks = theme()
        self.cellChanged.connect(self._changed)

    def show_rows(self, rows: Sequence[Mapping[str, Any]], locked: bool = False) -> None:
        """Fill the table; what is being typed and wrong entries stay while the rows are the same."""
        fresh = [dict(row) for row in rows]
        if fresh == self._shown and theme() is self._inks:
            return
        at = self.currentRow(), self.currentColumn()
        old = self._shown if theme() is self._inks and self._shown is not None else []
        self._shown, self._inks = fresh, theme()
        self._loading = True
        self.setUpdatesEnabled(False)
        self.setRowCount(len(fresh) + (1 if self.adds and not locked else 0))
        for r in range(self.rowCount()):
            row = fresh[r] if r < len(fresh) else {}
            if not (r < len(old) and row == old[r] and self._stands(r, row)):
                self._fill(r, row)
        self.setUpdatesEnabled(True)
        self._loading = False
        if 0 <= at[0] < self.rowCount():
            self.setCurrentCell(*at)
        self.wrong.emit("")

    def _stands(self, r: int, row: Row) -> bool:
        """Whether a row says what it should: nothing wrong was left in it."""
        items = [self.item(r, c) for c in range(len(self.columns))]
        return all(
            item is not None and item.text() == _shown(row.get(column.key))
            for item, column in zip(items, self.columns, strict=True)
        )

    def _fill(self, r: int, row: Row) -> None:
        for c, column in enumerate(self.columns):
            item = self._item(column, _shown(row.get(column.key)), bool(row))
            if column.key in row.get("bad", ()):
                item.setForeground(QBrush(theme().color("doubt_ink")))
                item.setFont(font(13, 600))
            self.setItem(r, c, item)

    def _item(self, column: Column, text: str, there: bool) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        item.setToolTip(tip(item.text()))
        if column.unit or column.right:
            item.setTextAlignment(RIGHT)
        if column.unit:
            item.setForeground(QBrush(theme().text_of(column.kind)))
        if column.marks and there:
            item.setIcon(mark_icon(column.marks.get(text, "")))
        if column.fixed:
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            item.setForeground(QBrush(theme().color("ink2")))
        return item

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        last = self.rowCount() - 1
        first = self.item(last, 0) if self.adds and self._shown is not None and last >= len(self._shown) else None
        if first is not None and not first.text():
            rect = QRectF(self.visualItemRect(first)).adjusted(6, 0, 300, 0)
            p = QPainter(self.viewport())
            write(p, rect, "type here to add", 13, 400, theme().color("ink2"))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if event.key() == Qt.Key.Key_Delete and control and self._shown is not None:
            rows = list(self._shown)
            if 0 <= self.currentRow() < len(rows):
                del rows[self.currentRow()]
                self.edited.emit(rows)
            return
        if event.key() == Qt.Key.Key_Delete and self.currentItem() is not None and not event.modifiers():
            self.currentItem().setText("")
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.state() != QAbstractItemView.State.EditingState:  # the key of an editor that closes comes here too
                self.edit(self.currentIndex())
            return
        super().keyPressEvent(event)

    def _changed(self, row: int, column: int) -> None:
        if self._loading or self._shown is None:
            return
        reasons: list[str] = []
        rows: list[Row] = []
        self._loading = True
        for r in range(self.rowCount()):
            given = self._shown[r] if r < len(self._shown) else {}
            found = dict(given)
            for c, spec in enumerate(self.columns):
                self._read(r, c, spec, found, reasons)
            if any(found.get(c.key) not in (None, "") for c in self.columns):
                rows.append(found)
        self._loading = False
        self.wrong.emit(reasons[0] if reasons else "")
        if not reasons and rows != self._shown:
            self.edited.emit(rows)

    def _read(self, r: int, c: int, spec: Column, found: Row, reasons: list[str]) -> None:
        item = self.item(r, c)
        if spec.fixed or item is None:
            return
        text = item.text().strip()
        if item.background().style() != Qt.BrushStyle.NoBrush:
            item.setBackground(QBrush())
        if not spec.unit:
            found[spec.key] = text
            return
        if not text:
            found[spec.key] = None
            return
        try:
            found[spec.key] = parse_entry(text, spec.unit)
        except InputError as error:
            item.setBackground(QBrush(theme().color("alarm_ground")))
            reasons.append(f"{spec.heading}, row {r + 1}: {error.message}.")


def _shown(value: Any) -> str:
    return "" if value is None else f"{value:.10g}" if isinstance(value, float) else str(value)
