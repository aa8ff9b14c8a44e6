"""Run: do it. Start, gate, dashboard with the person's turn, and how it ended."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from zincsmith.engine.states import State
from zincsmith.formats.entry import parse_entry
from zincsmith.judge.words import counted, duration
from zincsmith.model.errors import InputError
from zincsmith.model.events import SafeStep
from zincsmith.model.quantities import ROLES
from zincsmith.ui.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.stations.run_dashboard import Dashboard
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.gate import GatePanel
from zincsmith.ui.widgets.itinerary import ItineraryView
from zincsmith.ui.widgets.panel import Panel, button, clear, heading_row, label


class StartPanel(Panel):
    """Who runs it, how warm is the room, what will happen."""

    def __init__(self, session: Session) -> None:
        super().__init__("", name="paper")
        self.session = session
        self.body.setContentsMargins(32, 24, 32, 24)
        self.body.setSpacing(10)
        self.ended = label("", 16, 400, wrap=True)
        self.ended.setTextFormat(Qt.TextFormat.RichText)
        self.body.addWidget(self.ended)
        self.steps = QGridLayout()
        self.steps.setHorizontalSpacing(16)
        self.steps.setVerticalSpacing(3)
        self.steps.setColumnStretch(3, 1)
        self.body.addLayout(self.steps)
        self.body.addSpacing(8)
        self.title = label("Start a run", 28, 700)
        self.what = label("", 16, wrap=True)
        self.body.addWidget(self.title)
        self.body.addWidget(self.what)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(8)
        self.operator, self.ambient = QLineEdit(), QLineEdit("23.0")
        for at, (words, edit, unit) in enumerate(
            (("Operator", self.operator, ""), ("Room temperature", self.ambient, "°C, at the unit"))
        ):
            edit.setFont(font(18))
            edit.setAccessibleName(words)
            edit.setFixedWidth(260)
            edit.returnPressed.connect(self.start)
            name = label(words, 16)
            name.setBuddy(edit)
            grid.addWidget(name, at, 0)
            grid.addWidget(edit, at, 1)
            grid.addWidget(label(unit, 16, 400, "second"), at, 2)
        grid.setColumnStretch(3, 1)
        self.body.addLayout(grid)
        self.problem = label("", 15, 400, "problem", wrap=True)
        self.body.addWidget(self.problem)
        row = QHBoxLayout()
        self.button = button("Start  Ctrl+Enter", "main", 16)
        self.button.setShortcut("Ctrl+Return")
        self.button.clicked.connect(self.start)
        row.addWidget(self.button)
        row.addStretch()
        self.body.addLayout(row)
        self.body.addStretch()
        session.refused.connect(self._refused)

    def start(self) -> None:
        """Ask the engine to start; what is wrong is said beside the fields."""
        if not self.button.isEnabled():
            return
        if not self.operator.text().strip():
            self._wrong("Say who runs it: a run carries its operator.", self.operator)
            return
        try:
            ambient = parse_entry(self.ambient.text(), "degC")
        except InputError as error:
            self._wrong(f"Room temperature: {error.message}.", self.ambient)
            return
        if ambient is None:
            self._wrong("Room temperature: a run needs it; read it beside the unit.", self.ambient)
            return
        self.problem.setText("")
        self.session.start_run(self.operator.text().strip(), ambient)

    def _wrong(self, text: str, edit: QLineEdit) -> None:
        self.problem.setText(text)
        edit.setFocus()
        edit.selectAll()

    def _refused(self, do: str, message: str) -> None:
        if do == "start":
            self.problem.setText(message)

    def refresh(self) -> None:
        session = self.session
        itinerary = session.itinerary()
        if isinstance(itinerary, str):
            self.what.setText(itinerary)
        else:
            typed = f", {counted(itinerary.typed, 'reading')} to type" if itinerary.typed else ""
            points, gates = counted(len(itinerary.points), "point"), counted(itinerary.gates, "gate")
            self.what.setText(
                f"{session.plan.name}: {points}, {gates}{typed}; about {duration(itinerary.likely_s)} of bench time. "
                "Nothing is switched on before the gate is passed."
            )
        blocked = session.blocked if not isinstance(itinerary, str) else ""
        if blocked:
            self.what.setText(f"Arming is refused: {blocked}")
        self.button.setEnabled(not isinstance(itinerary, str) and not blocked and session.allowed("start"))
        self.ended.setText(_ended_words(session))
        self.ended.setVisible(bool(self.ended.text()))
        self._show_steps()

    def _show_steps(self) -> None:
        """How the bench was made safe, step by step, as read back."""
        clear(self.steps)
        for at, step in enumerate(self.session.view.safe_steps if self.session.view.closed else []):
            state = "read back" if step.confirmed else "NOT CONFIRMED"
            texts = (step.step, ROLES[step.role], _readback_words(step), state)
            for column, text in enumerate(texts):
                name = "" if column == 0 else "second" if step.confirmed else "problem"
                self.steps.addWidget(label(text, 14, 600 if column == 0 else 400, name), at, column)


def _readback_words(step: SafeStep) -> str:
    return {"0": "off", "1": "on"}.get(step.readback, step.readback)


def _ended_words(session: Session) -> str:
    view = session.view
    if view.closed is None:
        return ""
    how = {
        "complete": "is complete",
        "aborted": "was aborted",
        "made safe": "was made safe",
        "tripped": "was stopped by a watch",
        "stopped": "was stopped by its procedure",
        "failed": "failed",
        "interrupted": "was interrupted",
    }[view.closed.outcome]
    text = f"<p><b>Run {view.run} {how}.</b> {counted(len(view.points), 'point')} in the book. "
    if view.closed.outcome != "complete":
        text += f"{view.closed.why[:1].upper()}{view.closed.why[1:]}. "
    if session.state is State.NOT_CONFIRMED:
        text += "The bench is <b>not confirmed safe</b>: " + "; ".join(view.closed.unconfirmed)
    elif view.closed.safe:
        text += "Source and load are off, read back. The unit itself may still hold a charge."
    return text + "</p>"


class RunStation(Station):
    """One page at a time: start, gate, dashboard."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Run")
        self.where = label("", 15, 600)
        self.point = label("", 15, 400, "second")
        row.addWidget(self.where)
        row.addWidget(self.point)
        row.addStretch()
        row.addWidget(label("all ± at k = 2", 13, 400, "second"))
        self.note_line = QLineEdit()
        self.note_line.setPlaceholderText("Note  F2, Enter keeps it")
        self.note_line.setAccessibleName("Note, F2")
        self.note_line.setFont(font(13))
        self.note_line.setFixedWidth(260)
        self.note_line.returnPressed.connect(self._note)
        row.addWidget(self.note_line)
        self.abort = button("Abort  F10")
        self.abort.setShortcut("F10")
        self.abort.clicked.connect(lambda: session.send("abort", "aborted by the operator"))
        row.addWidget(self.abort)
        outer.addLayout(row)
        self.pages = QStackedWidget()
        self.start, self.gate, self.dashboard = StartPanel(session), GatePanel(), Dashboard(session)
        self.itinerary = ItineraryView()
        ahead = Panel("What will happen", "as rehearsed, to scale")
        ahead.body.addWidget(self.itinerary, 1)
        ahead.setFixedWidth(420)
        self.start_page = QWidget()
        row = QHBoxLayout(self.start_page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(9)
        row.addWidget(self.start, 1)
        row.addWidget(ahead)
        for page in (self.start_page, self.gate, self.dashboard):
            self.pages.addWidget(page)
        outer.addWidget(self.pages, 1)
        self.gate.passed.connect(lambda: session.send("pass"))
        self.gate.stopped.connect(lambda: session.send("abort", "stopped at the gate"))
        self.dashboard.your_turn.entered.connect(lambda text: session.send("enter", text))
        self._page: QWidget | None = None
        QShortcut(QKeySequence("F2"), self).activated.connect(self.note_line.setFocus)

    def refresh(self) -> None:
        session, view = self.session, self.session.view
        self.abort.setEnabled(session.allowed("abort") and view.active)
        self.note_line.setEnabled(view.active)
        if not view.active:
            page: QWidget = self.start_page
            self.start.refresh()
            found = session.itinerary()
            self.itinerary.show_itinerary(None if isinstance(found, str) else found)
        elif view.gate is not None:
            page = self.gate
            self.gate.show_gate(view.gate)
        else:
            page = self.dashboard
            self.dashboard.refresh()
        self.pages.setCurrentWidget(page)
        self.where.setText(f"{view.stage}, {view.stage_detail}" if view.active and view.stage else "")
        itinerary = session.itinerary() if view.active else ""
        total = "" if isinstance(itinerary, str) else f"point {min(len(view.points) + 1, len(itinerary.points))} of "
        self.point.setText(f"{total}{len(itinerary.points)}" if not isinstance(itinerary, str) else "")
        if page is not self._page:
            self._page = page
            self.take_focus()

    def take_focus(self) -> None:
        if self.pages.currentWidget() is self.start_page:
            (self.start.operator if not self.start.operator.text() else self.start.button).setFocus()
        elif self.pages.currentWidget() is self.gate:
            self.gate.tick.setFocus()
        elif self.session.view.asked is None:
            self.dashboard.map.setFocus()

    def restyle(self) -> None:
        self.dashboard.restyle()

    def _note(self) -> None:
        if self.note_line.text().strip():
            self.session.send("note", self.note_line.text().strip())
            self.note_line.clear()
            if self.session.view.asked is not None:
                self.dashboard.your_turn.line.setFocus()
