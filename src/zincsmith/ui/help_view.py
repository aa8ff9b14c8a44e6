"""Help in the window: pages written in Markdown (docs/help), a search through all of them, and the list of keys."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QTextBlockFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from zincsmith.ui.keys import as_markdown
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label

FOLDER = Path(__file__).parent / "help"  # docs/help leads here, so that what is installed brings it along
KEYS = "keys"
ORDER = ("first-steps", "nameplate", "rig", "plan", "run", "findings", "log", KEYS, "words", "safety")


@cache
def pages() -> dict[str, str]:
    """Name of each page -> its Markdown, in the order they are listed."""
    found = {KEYS: as_markdown()}
    for file in sorted(FOLDER.glob("*.md")):
        found[file.stem] = file.read_text("utf-8")
    return {name: found[name] for name in (*ORDER, *sorted(found.keys() - set(ORDER))) if name in found}


def title_of(markdown: str) -> str:
    return markdown.partition("\n")[0].lstrip("# ").strip()


class HelpView(QWidget):
    """Pages on the left, the chosen one on the right. Signal ``left``: back to the station."""

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Help")
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("Find in help")
        self.finder.setAccessibleName("Find in help")
        self.finder.setFont(font(14))
        self.finder.setFixedWidth(280)
        self.finder.textChanged.connect(self._filter)
        self.finder.returnPressed.connect(self._next)
        row.addWidget(self.finder)
        self.found = label("", 13, 400, "second")
        row.addWidget(self.found, 1)
        back = button("Back  Esc")
        back.clicked.connect(self.left)
        row.addWidget(back)
        outer.addLayout(row)
        columns = QHBoxLayout()
        columns.setSpacing(9)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages of help")
        self.list.setFont(font(14))
        self.list.setFixedWidth(200)
        self.list.currentRowChanged.connect(self._show_row)
        columns.addWidget(self.list)
        paper = Panel()
        self.text = QTextBrowser()
        self.text.setAccessibleName("Help")
        self.text.setOpenLinks(False)
        self.text.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.text.setFont(font(14))
        paper.body.addWidget(self.text)
        columns.addWidget(paper, 1)
        outer.addLayout(columns, 1)
        self._names: list[str] = []
        self._filter("")

    def open_at(self, name: str) -> None:
        """Show a page by its name; the first one where there is none of that name."""
        self.finder.clear()
        self.list.setCurrentRow(self._names.index(name) if name in self._names else 0)
        self.list.setFocus()

    def _filter(self, text: str) -> None:
        wanted = text.strip().lower()
        self._names = [name for name, page in pages().items() if wanted in page.lower()]
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([title_of(pages()[name]) for name in self._names])
        self.list.blockSignals(False)
        self.found.setText("" if not wanted else f"on {len(self._names)} pages" if self._names else "on no page")
        if self._names:
            self.list.setCurrentRow(0)
            self._show_row(0)

    def _show_row(self, at: int) -> None:
        if not 0 <= at < len(self._names):
            return
        self.text.setMarkdown(pages()[self._names[at]])
        self._space()
        wanted = self.finder.text().strip()
        if wanted:
            self.text.find(wanted)

    def _space(self) -> None:
        """Room between paragraphs and around the cells of a table, which Markdown leaves tight."""
        document = self.text.document()
        document.setIndentWidth(22)
        document.setDocumentMargin(10)
        block = document.begin()
        while block.isValid():
            cursor, form = QTextCursor(block), block.blockFormat()
            heading = form.headingLevel() > 0
            in_list, in_table = block.textList() is not None, cursor.currentTable() is not None
            form.setTopMargin(14 if heading and form.headingLevel() > 1 else 0)
            form.setBottomMargin(2 if in_table else 5 if in_list or heading else 9)
            form.setLineHeight(118, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
            cursor.setBlockFormat(form)
            if in_table and (table := cursor.currentTable()) is not None:
                look = table.format()
                look.setCellPadding(4)
                look.setBorder(0)
                look.setCellSpacing(0)
                table.setFormat(look)
            block = block.next()
        cursor = QTextCursor(document)
        self.text.setTextCursor(cursor)

    def _next(self) -> None:
        """Enter goes to the next place, then to the next page."""
        wanted = self.finder.text().strip()
        if not wanted or not self._names or self.text.find(wanted, QTextDocument.FindFlag(0)):
            return
        self.list.setCurrentRow((self.list.currentRow() + 1) % len(self._names))

    def restyle(self) -> None:
        """The theme changed."""
        palette = self.text.palette()
        palette.setColor(self.text.foregroundRole(), theme().color("ink"))
        self.text.setPalette(palette)
        self._show_row(self.list.currentRow())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(event)
