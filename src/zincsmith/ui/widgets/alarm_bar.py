"""The alarm bar: what went wrong, what it means for the bench, what to do. Shown above every station."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.ui.announce import announce
from zincsmith.ui.widgets.floating import Floating
from zincsmith.ui.widgets.panel import button, label

SIDES = 14  # margins and edge


class AlarmBar(Floating):
    """Hidden while all is well; else over the strip at the top, right of the unit's plate, so that no page moves.
    Signal ``restart`` asks for the engine."""

    restart = Signal()
    weight = 1

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        self.setObjectName("alarm")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 8, 4)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.title = label("", 15, 700, "problem")
        self.text = label("", 13, wrap=True)
        words.addWidget(self.title)
        words.addWidget(self.text)
        row.addLayout(words, 1)
        self.again = button("Start the engine again")
        self.again.clicked.connect(self.restart)
        self.close_button = button("Understood")
        self.close_button.clicked.connect(self.hide)
        row.addWidget(self.again)
        row.addWidget(self.close_button)

    def tall(self, width: int) -> int:
        buttons = sum(b.sizeHint().width() + 8 for b in (self.again, self.close_button) if not b.isHidden())
        text = self.text.heightForWidth(width - buttons - 2 * SIDES)
        return self.title.sizeHint().height() + text + SIDES

    def tell(self, title: str, text: str, *, can_restart: bool = False, dismiss: bool = True) -> None:
        self.title.setText(title)
        self.text.setText(text)
        self.again.setVisible(can_restart)
        self.close_button.setVisible(dismiss)
        self.setAccessibleName(f"{title}. {text}")
        self.show()
        announce(self, f"{title}. {text}", at_once=True)
        self.settle()
