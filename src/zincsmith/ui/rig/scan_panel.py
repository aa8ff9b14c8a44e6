"""Looking for an instrument's address: who answers on this computer's own links, and on hosts a person names."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zincsmith.formats.words import counted
from zincsmith.model.rig import Instrument
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.panel import button, label


class ScanPanel(QWidget):
    """Signals: ``wanted`` (hosts as typed; none: this computer's own links), ``chosen`` (an address)."""

    wanted = Signal(str)
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        self.hosts = QLineEdit()
        self.hosts.setPlaceholderText("hosts to look at, or a VISA address")
        self.hosts.setAccessibleName("Hosts to scan")
        self.hosts.setFont(font(13))
        self.hosts.returnPressed.connect(self._ask)
        self.go = button("Scan", weight=400)
        self.go.clicked.connect(self._ask)
        row.addWidget(self.hosts, 1)
        row.addWidget(self.go)
        self.answers = Deed()
        self.answers.setAccessibleName("Instruments that answer")
        self.answers.activated.connect(self._choose)
        self.said = label("", 12, 400, "second", wrap=True)
        column.addLayout(row)
        column.addWidget(self.answers)
        column.addWidget(self.said)
        self.answers.hide()

    def show_instrument(self, one: Instrument | None, free: bool) -> None:
        """``free``: the bench is idle and the engine there."""
        self.setVisible(one is not None and one.how != "by hand")
        self.go.setEnabled(free)
        self.hosts.setEnabled(free)

    def _ask(self) -> None:
        if "::" in self.hosts.text():
            self.chosen.emit(self.hosts.text().strip())
        elif self.go.isEnabled():
            self.said.setText("Looking …")
            self.wanted.emit(self.hosts.text().strip())

    def show_found(self, found: list[tuple[str, str]]) -> None:
        """(address, identity) of whoever answered."""
        self.answers.clear()
        self.answers.addItem("choose one…", "")
        for address, identity in found:
            self.answers.addItem(f"{identity}   {address}", address)
        self.answers.setVisible(bool(found))
        self.said.setText(f"{counted(len(found), 'instrument')} answered." if found else "Nobody answered.")

    def show_refused(self, message: str) -> None:
        self.said.setText(message)

    def _choose(self, at: int) -> None:
        address = self.answers.itemData(at)
        if address:
            self.chosen.emit(address)
