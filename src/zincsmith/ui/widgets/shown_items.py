"""How the texts of lists and tables are shown: with the decimal mark of the person's locale. What stands in them keeps
the point, and so does what is edited: three digits after a comma could mean thousands."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from zincsmith.formats.decimal_marks import on_screen


class ShownItems(QStyledItemDelegate):
    def initStyleOption(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        super().initStyleOption(option, index)
        option.text = on_screen(option.text)
