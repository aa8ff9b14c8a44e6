"""The label, line by line as it is printed: read while it is typed, what is not understood underlined."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from zincsmith.formats.label import parse_line
from zincsmith.formats.label_print import print_item
from zincsmith.model.figures import FIGURES
from zincsmith.model.label import LabelFigure, LabelInput, LabelLine, LabelMark, LabelOutput
from zincsmith.ui.other_scripts import missing_words
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import label
from zincsmith.ui.widgets.rating_edit import RatingEdit


class PrintedLine(RatingEdit):
    """One line of the label.

    Signals: ``entered`` (Enter), ``came`` and ``left`` (focus comes and goes), ``moved`` (up or down).
    """

    entered = Signal()
    came = Signal()
    left = Signal()
    moved = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(15))
        self.found = parse_line("")

    def read(self) -> LabelLine:
        """Read the text as it stands now."""
        self.found = parse_line(self.text())
        self.update()
        return self.found

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.moved.emit(-1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)

    def light(self, on: bool) -> None:
        """Set it apart, or no longer."""
        if bool(self.property("lit")) != on:
            self.setProperty("lit", on)
            self.style().unpolish(self)
            self.style().polish(self)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.came.emit()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.setCursorPosition(0)  # a long line shows how it begins
        self.left.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.found.unread:
            return
        metrics, text, p = self.fontMetrics(), self.text(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        caret = self.cursorRect().center().x()
        origin = caret - metrics.horizontalAdvance(text[: self.cursorPosition()])
        y = self.height() / 2.0 + metrics.height() / 2.0 - 2.0
        for piece in self.found.unread:
            x = float(origin + metrics.horizontalAdvance(text[: piece.start]))
            end = min(self.width() - 6.0, origin + metrics.horizontalAdvance(text[: piece.end]))
            if not piece.figure:  # a name: a dotted line, no alarm
                p.setPen(QPen(theme().color("ink2"), 1.3, Qt.PenStyle.DotLine))
                p.drawLine(QPointF(x, y), QPointF(end, y))
                continue
            p.setPen(QPen(theme().color("alarm"), 1.3))
            wave, up = QPainterPath(QPointF(x, y)), True
            while x < end:
                x += 3.0
                wave.lineTo(min(x, end), y - (2.5 if up else 0.0))
                up = not up
            p.drawPath(wave)


class LabelLines(QScrollArea):
    """Signals: ``typed`` (the lines as they stand, nothing taken yet), ``taken`` (a line was finished), ``at`` (the
    number of the line a person is in, from 0)."""

    typed = Signal(tuple)
    at = Signal(int)
    taken = Signal(tuple)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        inside.setObjectName("inside")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 4, 0)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(1, 1)
        column.addLayout(self._grid)
        column.addStretch()
        self.setWidget(inside)
        self.viewport().setObjectName("clear")
        self.rows: list[PrintedLine] = []
        self._notes: list[tuple[QLabel, QLabel, QLabel]] = []
        self._given: tuple[str, ...] = ()
        self._add()

    @property
    def lines(self) -> tuple[str, ...]:
        """The lines that hold something, as typed."""
        return tuple(text for row in self.rows if (text := row.text().strip()))

    def show_lines(self, lines: Sequence[str]) -> None:
        """The lines as the book holds them; a line that is being typed stays."""
        given = tuple(lines)
        if given == self._given and given == self.lines:
            return
        if self.lines != self._given and any(r.hasFocus() and r.isModified() for r in self.rows):
            return
        self._given = given
        while len(self.rows) < len(given) + 1:
            self._add()
        for row, text in zip(self.rows, [*given, *[""] * (len(self.rows) - len(given))], strict=True):
            if row.text() != text:
                row.setText(text)
                row.setCursorPosition(0)
            row.setModified(False)
        for row in self.rows[len(given) + 1 :]:
            row.hide()
        for at, row in enumerate(self.rows):
            self._remark(at, row)

    def lock(self, locked: bool) -> None:
        for row in self.rows:
            row.setReadOnly(locked)

    def light(self, numbers: Collection[int]) -> None:
        """Set apart the lines on which something hangs."""
        for n, row in enumerate(self.rows):
            row.light(n in numbers)

    def take_focus(self) -> None:
        """To the first line that is empty."""
        next(row for row in self.rows if not row.text()).setFocus()

    def _add(self) -> None:
        at, row = len(self.rows), PrintedLine()
        number = label(str(at + 1), 12, 400, "second")
        said = label("", 12, 400, "second")
        reason = label("", 12, 400, "problem", wrap=True)
        row.setAccessibleName(f"Label line {at + 1}")
        row.setPlaceholderText("100-240V~ 50/60Hz 1.5A" if at == 0 else "next line of the label")
        row.textEdited.connect(lambda _text: self._typed(row))
        row.entered.connect(lambda: self._entered(row))
        row.left.connect(self._left)
        row.came.connect(lambda: self.at.emit(self.rows.index(row)))
        row.moved.connect(lambda way: self._move(row, way))
        self._grid.addWidget(number, 2 * at, 0)
        self._grid.addWidget(row, 2 * at, 1)
        self._grid.addWidget(said, 2 * at, 2, Qt.AlignmentFlag.AlignRight)
        self._grid.addWidget(reason, 2 * at + 1, 1, 1, 2)
        reason.hide()
        self.rows.append(row)
        self._notes.append((number, said, reason))

    def _typed(self, row: PrintedLine) -> None:
        self._remark(self.rows.index(row), row)
        self.typed.emit(self.lines)

    def _entered(self, row: PrintedLine) -> None:
        if self.rows[-1] is row and row.text().strip():
            self._add()
        self.taken.emit(self.lines)
        self._move(row, 1)

    def _left(self) -> None:
        if any(row.isModified() for row in self.rows) and self.lines != self._given:
            self.taken.emit(self.lines)

    def settled(self, lines: tuple[str, ...]) -> None:
        """What was taken is in the book: a line left empty goes."""
        self._given = lines
        for row in self.rows:
            row.setModified(False)
        if self.lines != tuple(r.text().strip() for r in self.rows[: len(lines)]):
            self._given = ()
            self.show_lines(lines)

    def _move(self, row: PrintedLine, way: int) -> None:
        at = self.rows.index(row) + way
        if 0 <= at < len(self.rows):
            self.rows[at].show()
            self.rows[at].setFocus()
            QTimer.singleShot(0, self, lambda: self.ensureWidgetVisible(self.rows[at], 0, 20))  # once it has its place

    def _remark(self, at: int, row: PrintedLine) -> None:
        found = row.read()
        number, said, reason = self._notes[at]
        shown = not row.isHidden() or bool(row.text()) or at <= len(self._given)
        row.setVisible(shown)
        number.setVisible(shown)
        said.setText(_remark(found))
        pieces = sorted(found.unread, key=lambda piece: not piece.figure)  # what may be a rating comes first
        words = "; ".join(
            f"“{p.text}” is not read: {p.reason}" if p.figure else f"“{p.text}” is kept as a name" for p in pieces
        )
        words = "\n".join(x for x in (words, missing_words(row.text())) if x)
        alarming = any(p.figure for p in pieces)
        if (name := "problem" if alarming else "second") != reason.objectName():
            reason.setObjectName(name)
            reason.style().unpolish(reason)
            reason.style().polish(reason)
        reason.setText(words)
        reason.setVisible(bool(words) and bool(row.text().strip()))
        row.setAccessibleDescription(words or ", ".join(print_item(i) for i in found.items))


def _remark(found: LabelLine) -> str:
    """What a line turned out to be, with the sum a person would do in the head."""
    parts: list[str] = []
    for item in found.items:
        match item:
            case LabelInput():
                parts.append("input")
            case LabelOutput() if isinstance(item.voltage_V, float) and item.current_A is not None:
                product = abs(item.voltage_V) * item.current_A
                parts.append(f"V × A = {product:.4g} W" if item.power_W is None else _product(product, item.power_W))
            case LabelOutput():
                parts.append(f"{len(item.modes)} modes" if item.modes else "output")
            case LabelFigure():
                known = FIGURES.get(item.what)
                parts.append(known.title.lower() if known is not None else item.what.replace("_", " "))
            case LabelMark():
                parts.append("mark")
    if found.unread and not parts:
        return "kept as printed"
    shown = list(dict.fromkeys(parts))
    return shown[0] + (" …" if len(shown) > 1 else "") if shown else ""


def _product(product: float, printed: float) -> str:
    return f"V × A = {product:.4g} W" + ("" if abs(product - printed) <= 0.03 * printed else ", not as printed")
