"""The label line: ratings typed as they are printed, read while they are typed."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from zincsmith.formats.label import parse_line
from zincsmith.formats.label_fields import LabelFields, fields_of
from zincsmith.formats.label_print import print_item
from zincsmith.model.label import LabelLine
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import label


class LabelLineEntry(QWidget):
    """Signal ``taken`` carries the fields that Enter takes over. What was not read stays in the line."""

    taken = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.line = QLineEdit()
        self.line.setFont(font(15))
        self.line.setPlaceholderText(
            "Type a line of the label as it is printed: 100-240V~ 50/60Hz 1.5A    Enter takes it"
        )
        self.line.setAccessibleName("Line of the label")
        self.line.textChanged.connect(self._read)
        self.line.returnPressed.connect(self._take)
        self.said = label("", 13, wrap=False)
        self.said.setTextFormat(Qt.TextFormat.RichText)
        column.addWidget(self.line)
        column.addWidget(self.said)

    def _read(self, text: str) -> None:
        self.said.setText(_words(parse_line(text)) if text.strip() else "")

    def _take(self) -> None:
        found = parse_line(self.line.text())
        fields = fields_of(found.items)
        if not fields.values and not fields.marks:
            return
        self.taken.emit(fields)
        unread = "   ".join(piece.text for piece in found.unread)
        self.line.setText(unread)
        if not unread and fields.left:
            self.said.setText(_left_words(fields))


def _words(found: LabelLine) -> str:
    t = theme()
    parts = [f"<b>{escape(_shown(print_item(item)))}</b>" for item in found.items]
    parts += [
        f"<span style='color:{t.alarm}'><u>{escape(piece.text)}</u> {escape(piece.reason)}</span>"
        for piece in found.unread
    ]
    left = fields_of(found.items).left
    if left:
        parts.append(f"<span style='color:{t.doubt_ink}'>no field yet for {escape(_shown(', '.join(left)))}</span>")
    return " &nbsp; ".join(parts)


def _shown(text: str) -> str:
    """The typeface has no sign for direct current."""
    return text.replace("⎓", " DC")


def _left_words(fields: LabelFields) -> str:
    left = escape(_shown(", ".join(fields.left)))
    return f"<span style='color:{theme().doubt_ink}'>not taken, no field yet: {left}</span>"
