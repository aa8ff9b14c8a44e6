"""A gate takes the whole centre of the station and is passed by a deliberate act."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout

from zincsmith.model.events import GateOpened
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import Panel, button, label
from zincsmith.ui.widgets.tick_box import TickBox


class GatePanel(Panel):
    """Signals ``passed`` and ``stopped``. The button waits for the tick."""

    passed = Signal()
    stopped = Signal()

    def __init__(self) -> None:
        super().__init__("", name="yourturn")
        self.body.setContentsMargins(32, 24, 32, 24)
        self.body.setSpacing(12)
        self.kicker = label("GATE: NOTHING IS SWITCHED ON BEFORE YOU SAY SO", 12, 600)
        self.title = label("", 28, 700)
        self.text = label("", 18, wrap=True)
        self.cautions = label("", 18, wrap=True)
        self.tick = TickBox("I have checked this, and I have read the cautions")
        self.tick.setFont(font(16, 600))
        self.go_on = button("Go on  Ctrl+Enter", "main", 16)
        self.go_on.setShortcut("Ctrl+Return")
        self.stop = button("Stop here", size=16)
        self.tick.toggled.connect(self.go_on.setEnabled)
        self.go_on.clicked.connect(self.passed)
        self.stop.clicked.connect(self.stopped)
        for widget in (self.text, self.cautions):
            widget.setMaximumWidth(820)
        for widget in (self.kicker, self.title, self.text):
            self.body.addWidget(widget)
        self.caution_head = label("Cautions", 15, 700)
        self.body.addWidget(self.caution_head)
        self.body.addWidget(self.cautions)
        self.body.addSpacing(8)
        self.body.addWidget(self.tick)
        row = QHBoxLayout()
        row.addWidget(self.go_on)
        row.addWidget(self.stop)
        row.addStretch()
        self.body.addLayout(row)
        self.body.addStretch()
        self._gate: GateOpened | None = None

    def show_gate(self, gate: GateOpened, hand: bool = False, live: str = "") -> None:
        """``hand``: something a person sets or switches; ``live`` says what is on meanwhile."""
        if gate is self._gate:
            return
        self._gate = gate
        kicker = f"{'BY HAND' if hand else 'GATE'}: {live or 'nothing is switched on before you say so'}"
        self.kicker.setText(kicker.upper())
        self.tick.setText("It is done" if hand else "I have checked this, and I have read the cautions")
        self.caution_head.setVisible(bool(gate.cautions))
        self.title.setText(gate.title)
        self.text.setText(gate.text)
        self.cautions.setText("\n".join(f"•  {c}" for c in gate.cautions))
        self.tick.setChecked(False)
        self.go_on.setEnabled(False)
        self.tick.setFocus()
