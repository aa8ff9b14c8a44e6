"""The alarm bar: what went wrong, what it means for the bench, what to do. Shown above every station."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from zincsmith.ui.widgets.panel import button, label


class AlarmBar(QFrame):
    """Hidden while all is well. Signal ``restart`` asks for the engine."""

    restart = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("alarm")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 16, 8)
        words = QVBoxLayout()
        words.setSpacing(2)
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
        self.hide()

    def tell(self, title: str, text: str, *, can_restart: bool = False, dismiss: bool = True) -> None:
        self.title.setText(title)
        self.text.setText(text)
        self.again.setVisible(can_restart)
        self.close_button.setVisible(dismiss)
        self.setAccessibleName(f"{title}. {text}")
        self.show()
