"""Started without a book: the recent ones, another, or a new one."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import button, label

FILTER = "Zincsmith books (*.zbook)"


class WhichBook(QDialog):
    """``book`` is what was chosen; None where nothing was."""

    def __init__(self, recent: list[Path], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle("Zincsmith: which book?")
        self.resize(560, 380)
        self.book: Path | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(label("Which book?", 20, 700))
        told = "A book holds units, their plans and runs, and everything that was read."
        told += "" if recent else " None was opened on this computer yet."
        column.addWidget(label(told, 13, 400, "second", wrap=True))
        self.list = QListWidget()
        self.list.setAccessibleName("Recent books")
        self.list.setFont(font(14))
        for one in recent:
            item = QListWidgetItem(f"{one.name}    {one.parent}")
            item.setData(Qt.ItemDataRole.UserRole, str(one))
            item.setToolTip(str(one))
            self.list.addItem(item)
        self.list.itemActivated.connect(self._take)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        other, new = button("Another book…"), button("New book…")
        other.clicked.connect(self._other)
        new.clicked.connect(self._new)
        self.go = button("Open", "main")
        self.go.setDefault(True)
        self.go.setEnabled(bool(recent))
        self.go.clicked.connect(self._open)
        for widget in (other, new):
            row.addWidget(widget)
        row.addStretch()
        row.addWidget(self.go)
        column.addLayout(row)
        if recent:
            self.list.setCurrentRow(0)
            self.list.setFocus()

    def _open(self) -> None:
        if (item := self.list.currentItem()) is not None:
            self._take(item)

    def _take(self, item: QListWidgetItem) -> None:
        self.book = Path(str(item.data(Qt.ItemDataRole.UserRole)))
        self.accept()

    def _other(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a book", "", FILTER)
        self._named(name)

    def _new(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Name a new book", "", FILTER)
        self._named(f"{name}.zbook" if name and not name.endswith(".zbook") else name)

    def _named(self, name: str) -> None:
        if name:
            self.book = Path(name)
            self.accept()
