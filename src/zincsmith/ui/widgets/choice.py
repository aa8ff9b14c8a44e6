"""A drop-down with the house's chevron."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QComboBox, QStyleOptionComboBox, QWidget

from zincsmith.formats.decimal_marks import on_screen
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.shown_items import ShownItems

Key = Qt.Key
PASSING = {Key.Key_Up, Key.Key_Down, Key.Key_PageUp, Key.Key_PageDown, Key.Key_Home, Key.Key_End}
MARGIN = 34  # beside an entry: its inset, and the scroll bar


class Choice(QComboBox):
    """The style sheet takes the native arrow away; this draws one that follows the theme. Signal ``opening`` comes
    before the list is shown, for what is worth working out only then."""

    opening = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setItemDelegate(ShownItems(self))

    def initStyleOption(self, option: QStyleOptionComboBox) -> None:
        super().initStyleOption(option)
        option.currentText = on_screen(option.currentText)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # the wheel scrolls the page; nobody means to change what they are passing over

    def showPopup(self) -> None:
        self.opening.emit()
        self.fit_list()
        super().showPopup()

    def fit_list(self) -> None:
        """The list is as wide as its longest entry, whatever the box is, and never wider than the screen."""
        metrics = self.view().fontMetrics()
        widest = max((metrics.horizontalAdvance(self.itemText(n)) for n in range(self.count())), default=0)
        wanted = widest + MARGIN
        screen = self.screen().availableGeometry().width() if self.screen() is not None else wanted
        self.view().setMinimumWidth(min(max(wanted, self.width()), screen))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme().color("ink"), 1.6))
        x, y = self.width() - 14.0, self.height() / 2.0
        p.drawPolyline([QPointF(x - 4, y - 2), QPointF(x, y + 2.5), QPointF(x + 4, y - 2)])


class Deed(Choice):
    """What is chosen is done at once. So the keys that pass from entry to entry open the list first, and so does a
    letter that several entries begin with: a closed list would do everything on the way. ``first_of_letter`` takes the
    first of those, as a cell of a table does, where it can be chosen again."""

    def __init__(self, parent: QWidget | None = None, first_of_letter: bool = False) -> None:
        super().__init__(parent)
        self._first_of_letter = first_of_letter

    def keyPressEvent(self, event: QKeyEvent) -> None:
        passing = event.key() in PASSING and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if passing or (not self._first_of_letter and self._several(event.text().strip().lower())):
            self.showPopup()
            event.accept()
            return
        super().keyPressEvent(event)

    def _several(self, letter: str) -> bool:
        return bool(letter) and sum(self.itemText(n).lower().startswith(letter) for n in range(self.count())) != 1
