"""A gate takes the whole centre of the station and is passed by a deliberate act: something to check, something to set
by hand, what is noticed at a live unit, or what a stop rule leaves open."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from zincsmith.model.actions import SENSES
from zincsmith.model.commands import Abort, Command, GoDown, GoOn, Mistyped, Pass
from zincsmith.model.events import EntryRefused, GateOpened, HandSetting, SensesAsked, StopRuleMet, Turn
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import Panel, button, label
from zincsmith.ui.widgets.tick_box import TickBox

if TYPE_CHECKING:
    from zincsmith.ui.widgets.trace_view import Fetch, Shown, TraceView

NOTICED = {
    "glow": "Something glows",
    "smell": "It smells of hot lacquer or burning",
    "sound": "It hisses, buzzes or crackles",
    "indicator": "Its indicator is on",
    "light": "A light changed or blinked",
    "tone": "It beeped",
    "display": "Its display said so",
    "lit": "It is lit",
    "fan": "It runs",
}
CHECKED, READ_TOO = "I have checked this", "I have checked this, and I have read the cautions"


class FileLine(QLineEdit):
    """A line that a file can be dropped on: its path is written into it."""

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()
        else:
            super().dragEnterEvent(event)

    def dropEvent(self, event: QDropEvent) -> None:
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            self.setText(files[0])
            event.acceptProposedAction()
        else:
            super().dropEvent(event)


RECORD_PX = 200
CAUTIONS_PX = 1060  # wider than the rest: all of them have to be seen at once


class GatePanel(Panel):
    """Signal ``said`` (the command). The button waits for the tick; nothing is preset."""

    said = Signal(Command)

    def __init__(self) -> None:
        super().__init__("", name="yourturn")
        self.body.setContentsMargins(32, 24, 32, 24)
        self.body.setSpacing(12)
        self._n = 0  # the event that asks
        self.kicker = label("", 12, 600)
        self.title = label("", 28, 700, wrap=True)
        self.text = label("", 18, wrap=True)
        self.first = label("", 18, 700, "problem", wrap=True)
        self.caution_head = label("Cautions", 15, 700)
        self.cautions = label("", 18, wrap=True)
        self.price = label("", 15, 400, "doubtink", wrap=True)
        self.tick = TickBox(CHECKED)
        self.tick.setFont(font(16, 600))
        self.senses = self._sense_boxes()
        self.asks = label("", 16, 600)
        self.line = FileLine()
        self.line.setFont(font(22, 500))
        self.line.setMaximumWidth(560)
        self.line.setAccessibleName("What the gate asks for")
        self.problem = label("", 15, 400, "problem", wrap=True)
        self.go_on = button("Go on  Ctrl+Enter", "main", 16)
        self.go_on.setShortcut("Ctrl+Return")
        self.stop = button("Stop here", size=16)
        self.again = button("It was mistyped: read again", size=16)
        self.despite = button("Continue under this reason", size=16)
        self.tick.toggled.connect(self._ready)
        self.line.textChanged.connect(self._ready)
        self.line.returnPressed.connect(self._pass)
        self.go_on.clicked.connect(self._pass)
        self.stop.clicked.connect(lambda: self.said.emit(Abort("stopped at the gate")))
        self.again.clicked.connect(lambda: self.said.emit(Mistyped()))
        self.despite.clicked.connect(lambda: self.said.emit(GoOn(self.line.text().strip(), self._n)))
        for widget in (self.title, self.text, self.first, self.cautions, self.price, self.problem):
            widget.setMaximumWidth(820)
        self.cautions.setMaximumWidth(CAUTIONS_PX)
        every: tuple[QWidget, ...] = (
            self.kicker, self.title, self.text, self.first, self.caution_head, self.cautions, self.price, self.tick,
            self.senses, self.asks, self.line, self.problem,
        )  # fmt: skip
        for each in every:
            self.body.addWidget(each)
        row = QHBoxLayout()
        for made in (self.go_on, self.again, self.despite, self.stop):
            row.addWidget(made)
        row.addStretch()
        self.body.addLayout(row)
        self.trace: TraceView | None = None  # brought when the first gate has a record to look at
        self.room = QWidget()
        self.body.addWidget(self.room, 1)
        self._turn: Turn | None = None

    def _sense_boxes(self) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        self.boxes = {name: TickBox(words) for name, words in NOTICED.items()}
        for row, box in enumerate(self.boxes.values()):
            box.setFont(font(18, 600))
            grid.addWidget(box, row, 0)
        return holder

    def show_turn(
        self, turn: Turn, n: int, live: str, refused: EntryRefused | None = None, price: str = ""
    ) -> None:  # fmt: skip
        """``n`` is the event that asks; ``live`` says what is on, as last read or said; ``refused`` what was typed last
        and why it did not do; ``price`` what passing the gate costs that cannot be taken back."""
        self.problem.setText(f"“{refused.text}”: {refused.reason}." if refused is not None else "")
        self.problem.setVisible(refused is not None)
        self.kicker.setText(f"{_kind(turn)}: {live}".upper())  # what is live changes while a person thinks
        if turn is self._turn:
            return
        self._turn, self._n = turn, n
        wants = turn.wants if isinstance(turn, HandSetting) else ""
        lands = isinstance(turn, HandSetting) and (turn.target_V is not None or bool(wants))
        rule = turn if isinstance(turn, StopRuleMet) else None
        asks, hand = isinstance(turn, SensesAsked), isinstance(turn, HandSetting)
        self.title.setText(_title(turn))
        steps = turn.text.split("\n")[1:] if isinstance(turn, HandSetting) else []
        done = "\n".join(f"•  {step}" for step in steps)
        self.text.setText(_rule_text(turn) if isinstance(turn, StopRuleMet) else done if hand else turn.text)
        self.text.setVisible(bool(self.text.text()) or not hand)
        first = turn.switch_off_at if isinstance(turn, HandSetting) else ()
        self.first.setText(f"Switch off first, type later: {', '.join(first)}.")
        self.first.setVisible(bool(first))
        cautions = turn.cautions if isinstance(turn, GateOpened) else ()
        self.caution_head.setVisible(bool(cautions))
        self.cautions.setVisible(bool(cautions))
        self.cautions.setText("\n".join(f"•  {c}" for c in cautions))
        self.price.setText(price)
        self.price.setVisible(bool(price))
        self.tick.setText("It is done" if hand else READ_TOO if cautions else CHECKED)
        self.tick.setVisible(not (lands or asks or rule))
        self.tick.setChecked(False)
        self.senses.setVisible(asks)
        for name, box in self.boxes.items():
            box.setChecked(False)
            box.setVisible(asks and name in self._asked)
            if name in self._asked:
                box.setText(f"{self._asked.index(name) + 1}  {NOTICED[name]}")
        self.line.clear()
        self.line.setVisible(lands or bool(rule and rule.may_continue))
        usual = "Volts it landed at, by the power meter" if lands else "Why it goes on all the same"
        self.asks.setText(wants or usual)
        self.asks.setVisible(not self.line.isHidden())
        self.line.setAccessibleName(self.asks.text())
        self.again.setVisible(rule is not None)
        self.despite.setVisible(bool(rule and rule.may_continue))
        self.go_on.setText("Go down and switch off  Ctrl+Enter" if rule else "Go on  Ctrl+Enter")
        self.go_on.setShortcut("Ctrl+Return")
        self.stop.setVisible(rule is None)
        self._ready()
        self.take_focus()

    def show_record(self, shown: Shown | None, fetch: Fetch | None, seconds: float) -> None:
        """What a gate asks to be looked at, below it; nothing where there is none."""
        if shown is None or fetch is None:
            if self.trace is not None:
                self.trace.hide()
                self.room.show()
            return
        if self.trace is None:
            from zincsmith.ui.widgets.trace_view import TraceView

            self.trace = TraceView(looked_at=True)
            self.trace.setMinimumHeight(RECORD_PX)
            self.body.addWidget(self.trace, 1)
        if self.trace.shown is None or self.trace.shown.of != shown.of:
            self.trace.show_capture(shown, fetch)
            begin = shown.capture.begin_s
            self.trace.see(begin, begin + seconds)
        self.room.hide()
        self.trace.show()

    def restyle(self) -> None:
        if self.trace is not None:
            self.trace.restyle()

    def switches_off(self, words: str) -> None:
        """The bench is made safe and this is for a person's hands: said as large as anything can be."""
        self.kicker.setText("MAKING SAFE: ONLY A HAND CAN DO THIS")
        measures = words.startswith("measure")  # the proof that it is off, not a switch
        self.title.setText(f"{words[:1].upper()}{words[1:]}" if measures else f"SWITCH OFF: {words}")
        self.text.setText("Do it now, then say so. What nobody confirms counts as live.")
        self.text.setVisible(True)

    @property
    def _asked(self) -> tuple[str, ...]:
        """What is asked about, in the order of its keys."""
        return (self._turn.of or SENSES) if isinstance(self._turn, SensesAsked) else ()

    def take_focus(self) -> None:
        if not self.line.isHidden():
            self.line.setFocus()
        elif not self.senses.isHidden() or self.tick.isHidden():
            self.go_on.setFocus()
        else:
            self.tick.setFocus()

    def _ready(self) -> None:
        rule = isinstance(self._turn, StopRuleMet)
        typed = bool(self.line.text().strip())
        needs_tick = not self.tick.isHidden() and not self.tick.isChecked()
        needs_line = not rule and not self.line.isHidden() and not typed
        self.go_on.setEnabled(not needs_tick and not needs_line)
        self.despite.setEnabled(typed)

    def _pass(self) -> None:
        if not self.go_on.isEnabled() or (isinstance(self._turn, StopRuleMet) and self.sender() is self.line):
            return
        if isinstance(self._turn, StopRuleMet):
            self.said.emit(GoDown())
        elif isinstance(self._turn, SensesAsked):
            self.said.emit(Pass(senses={name: self.boxes[name].isChecked() for name in self._asked}, of=self._n))
        else:
            self.said.emit(Pass(self.line.text().strip(), of=self._n))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        at = event.key() - Qt.Key.Key_1
        if not self.senses.isHidden() and 0 <= at < len(self._asked):
            self.boxes[self._asked[at]].toggle()
            return
        super().keyPressEvent(event)


def _kind(turn: Turn) -> str:
    kinds = {StopRuleMet: "stop rule", HandSetting: "by hand", SensesAsked: "look, smell, listen"}
    if isinstance(turn, SensesAsked) and turn.of:
        return "what was seen and heard"
    return kinds.get(type(turn), "gate")


def _title(turn: Turn) -> str:
    if isinstance(turn, HandSetting):
        return turn.text.split("\n")[0]  # what to set is what has to be read from two metres
    return turn.words if isinstance(turn, StopRuleMet) else turn.title


def _rule_text(rule: StopRuleMet) -> str:
    text = "Nothing is raised any further before you decide. Was it a slip, read it again."
    if rule.may_continue:
        return f"{text} To go on all the same takes a reason, which stands beside every finding of this part."
    return f"{text} This is a limit that nobody goes beyond: go down and switch off."
