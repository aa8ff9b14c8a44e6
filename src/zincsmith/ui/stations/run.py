"""Run: do it. Start, gate, dashboard with the person's turn, and how it ended."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from zincsmith.formats.entry import parse_entry
from zincsmith.formats.plain_text import shown
from zincsmith.formats.words import UNIT_WORDS, counted, duration
from zincsmith.history.run_view import RunView
from zincsmith.model.commands import Abort, Correct, Enter, Mark, Note, Pause, Reject, Repeat, Resume, Settle, SkipStep
from zincsmith.model.errors import InputError
from zincsmith.model.events import GateOpened, HandSetting
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.roles import ROLES
from zincsmith.model.states import UNSAFE, State
from zincsmith.planning.rehearsal import Itinerary
from zincsmith.procedures.hands_in.steps import OPEN_CASE
from zincsmith.procedures.static_grid.steps import NAME as GRID
from zincsmith.ui.captures_shown import fetch_from, shown_of
from zincsmith.ui.connection.session import Session
from zincsmith.ui.photos.photo_note import PhotoNote
from zincsmith.ui.station import Station
from zincsmith.ui.stations.run_dashboard import Dashboard
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.gate import GatePanel
from zincsmith.ui.widgets.itinerary import ItineraryView, scrolled
from zincsmith.ui.widgets.pages import Pages
from zincsmith.ui.widgets.panel import Panel, button, clear, cut_label, heading_row, key_button, label
from zincsmith.ui.widgets.say_line import Saying, SayLine, split_correction, split_point
from zincsmith.ui.widgets.tick_box import TickBox
from zincsmith.ui.widgets.trace_view import Fetch, Shown
from zincsmith.words.bench_words import end_words, step_words


class StartPanel(Panel):
    """Who runs it, how warm is the room, what will happen."""

    def __init__(self, session: Session) -> None:
        super().__init__("", name="paper")
        self.session = session
        self.body.setContentsMargins(32, 24, 32, 24)
        self.body.setSpacing(10)
        self.ended = label("", 16, 400, wrap=True, rich=True)
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
        self.body.addLayout(self._fields())
        self.unattended = TickBox("Goes on when this window is lost (else the bench is made safe then)")
        self.unattended.setFont(font(14))
        self.body.addWidget(self.unattended)
        self.foreign = label("", 15, 400, "doubtink", wrap=True)
        self.body.addWidget(self.foreign)
        self.problem = label("", 15, 400, "problem", wrap=True)
        self.body.addWidget(self.problem)
        row = QHBoxLayout()
        self.own = button("These are mine: use them", size=16)
        self.own.clicked.connect(self._confirm)
        self.off = button("The bench is off: I say so by name", size=16)
        self.off.clicked.connect(self._settle)
        row.addWidget(self.own)
        row.addWidget(self.off)
        self.button = button("Start  Ctrl+Enter", "main", 16)
        self.button.setShortcut("Ctrl+Return")
        self.button.clicked.connect(self.start)
        self.resume = key_button("Resume  Ctrl+R", self.go_on, self)
        self.resume.setFont(font(16, 600))
        row.addWidget(self.button)
        row.addWidget(self.resume)
        row.addStretch()
        self.body.addLayout(row)
        self.body.addStretch()
        session.refused.connect(self._refused)

    def _fields(self) -> QGridLayout:
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
        return grid

    def start(self) -> None:
        """Ask the engine to start; what is wrong is said beside the fields."""
        if self.button.isEnabled():
            self._begin(self.session.start_run)

    def go_on(self) -> None:
        """Ask the engine to go on with the run that ended early."""
        if self.resume.isEnabled():
            self._begin(self.session.resume_run)

    def _begin(self, ask: Callable[[str, float, bool], None]) -> None:
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
        ask(self.operator.text().strip(), ambient, self.unattended.isChecked())

    def _named(self) -> str:
        """The operator's name; empty, with the reason said, while there is none."""
        name = self.operator.text().strip()
        if not name:
            self._wrong("Say who you are: this stands in the book by name.", self.operator)
        return name

    def _confirm(self) -> None:
        """A person confirms, by name, what the book wants to reach; only then is anything sent there."""
        if name := self._named():
            self.problem.setText("")
            self.session.confirm_bench(name)
            self.refresh()

    def _settle(self) -> None:
        """Somebody says that a bench is off which the program could not read back."""
        if name := self._named():
            self.session.send(Settle(name))

    def _wrong(self, text: str, edit: QLineEdit) -> None:
        self.problem.setText(text)
        edit.setFocus()
        edit.selectAll()

    def _refused(self, do: str, message: str) -> None:
        if do in ("start", "resume run", "settle"):
            self.problem.setText(message)

    def refresh(self) -> None:
        session = self.session
        itinerary = session.ahead.itinerary()
        if isinstance(itinerary, str):
            self.what.setText(itinerary)
        else:
            typed = f", {counted(itinerary.typed, 'reading')} to type" if itinerary.typed else ""
            points, gates = counted(len(itinerary.points), "point"), counted(itinerary.gates, "gate")
            self.what.setText(
                f"{session.plan.name}: {points}, {gates}{typed}; about {duration(itinerary.likely_s)} of bench time. "
                "Nothing is switched on before the gate is passed."
            )
        blocked = session.ahead.blocked if not isinstance(itinerary, str) else ""
        if blocked:
            self.what.setText(f"Arming is refused: {blocked}")
        unknown = session.unknown_bench.listed()
        listed = "\n".join(f"•  {one.what} at {one.where}" for one in unknown)
        self.foreign.setText(f"This computer has not used these before, and nothing was sent to them:\n{listed}")
        self.foreign.setVisible(bool(unknown))
        self.own.setVisible(bool(unknown))
        self.off.setVisible(session.state in UNSAFE and not session.read_only and not session.problem)
        ready = not isinstance(itinerary, str) and not blocked and not unknown
        self.button.setEnabled(ready and session.allowed("start"))
        self.resume.setEnabled(not unknown)
        self.resume.setVisible(session.resumable)
        self.resume.setText(f"Resume run {session.view.run}  Ctrl+R")
        self.resume.setEnabled(session.resumable and not isinstance(itinerary, str))
        self.ended.setText(_ended_words(session))
        self.ended.setVisible(bool(self.ended.text()))
        self._show_steps()

    def _show_steps(self) -> None:
        """How the bench was made safe, step by step, as read back."""
        clear(self.steps)
        for at, step in enumerate(self.session.view.safe_steps if self.session.view.closed else []):
            texts = (step.step, ROLES[step.role], *step_words(step))
            for column, text in enumerate(texts):
                name = "" if column == 0 else "second" if step.confirmed else "problem"
                self.steps.addWidget(label(text, 14, 600 if column == 0 else 400, name), at, column)


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
        text += f"{escape(shown(view.closed.why[:1].upper() + view.closed.why[1:]))}. "
    if session.state in UNSAFE or view.closed.safe:
        words = end_words(view.closed)
        text += f"{escape(words[:1].upper() + words[1:])}."
    return text + "</p>"


class RunStation(Station):
    """One page at a time: start, gate, dashboard."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Run")
        self.where = cut_label("", 15, 600)
        self.where.least = 320
        self.point = cut_label("", 15, 400, "second")
        self.coverage = cut_label("all ± at 95.45 %", 13, 400, "second")
        self.say = SayLine()
        row.addWidget(self.where)
        row.addWidget(self.point)
        row.addWidget(self.say, 1)
        row.addStretch()
        row.addWidget(self.coverage)
        self.buttons = self._buttons(row)
        self.abort = self.buttons["abort"]
        self.say.said.connect(self.session.send)
        self.say.left.connect(self._said_all)
        outer.addLayout(row)
        outer.addWidget(self.say.problem)
        self.pages = Pages()
        self.start, self.gate, self.dashboard = StartPanel(session), GatePanel(), Dashboard(session)
        self.itinerary = ItineraryView()
        ahead = Panel("What will happen", "as rehearsed, to scale")
        ahead.body.addWidget(scrolled(self.itinerary), 1)
        ahead.setMinimumWidth(290)
        ahead.setMaximumWidth(420)
        self.start_page = QWidget()
        row = QHBoxLayout(self.start_page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(9)
        row.addWidget(self.start, 1)
        row.addWidget(ahead)
        for page in (self.start_page, self.gate, self.dashboard):
            self.pages.addWidget(page)
        outer.addWidget(self.pages, 1)
        self.gate.said.connect(session.send)
        self.dashboard.your_turn.entered.connect(lambda text, n: session.send(Enter(text, n)))
        self.dashboard.your_turn.corrects.connect(self._correct)
        self.dashboard.repeat.connect(
            lambda point: self._begin_saying(Saying(f"Repeat point {point}: why?", partial(_again, Repeat, point)))
        )
        self.dashboard.keep.connect(
            lambda point: self._begin_saying(
                Saying(
                    f"Keep point {point}: why? It stands in the log", lambda text: Note(f"point {point} kept: {text}")
                )
            )
        )
        self._page: QWidget | None = None
        self._priced: tuple[object, str] = (None, "")
        self._photos = PhotoNote(self, session)
        QShortcut(QKeySequence("Ctrl+E"), self).activated.connect(self._correct)

    def _buttons(self, row: QHBoxLayout) -> dict[str, QPushButton]:
        """What can be done at any time, each with its key; two groups as the hand finds them."""
        wanted = (
            ("note", "Note  F2", self._note),
            ("photo", "Photo  F3", lambda: self._photos.take()),
            ("mark", "Mark  F4", self._mark),
            ("repeat", "Repeat  F6", lambda: self._about_point(Repeat)),
            ("reject", "Reject  F5", lambda: self._about_point(Reject)),
            ("skip", "Skip  F7", lambda: self.session.send(SkipStep())),
            ("pause", "Pause  F9", self._pause),
            ("abort", "Abort  F10", lambda: self.session.send(Abort())),
        )
        made = {}
        for do, words, act in wanted:
            made[do] = key_button(words, act, self)
            row.addWidget(made[do])
            if do == "mark":
                row.addSpacing(10)
        row.setSpacing(6)
        return made

    def enlarge(self) -> None:
        self.dashboard.enlarge()

    def refresh(self) -> None:
        session, view = self.session, self.session.view
        for do, made in self.buttons.items():
            asked = {"photo": "note", "pause": "resume" if session.state is State.PAUSED else "pause"}.get(do, do)
            points = do not in ("repeat", "reject") or bool(view.points)
            made.setEnabled(session.allowed(asked) and view.active and points)
        self.buttons["pause"].setText("Resume  F9" if session.state is State.PAUSED else "Pause  F9")
        if not view.active:
            page: QWidget = self.start_page
            self.start.refresh()
            found = session.ahead.itinerary()
            self.itinerary.show_itinerary(None if isinstance(found, str) else found)
        elif view.turn is not None:
            page = self.gate
            self.gate.show_turn(view.turn, view.turn_n, view.live.told, view.refused, self._price())
            self.gate.show_record(*self._record())
            if session.state is State.MAKING_SAFE and isinstance(view.turn, HandSetting):
                self.gate.switches_off(view.turn.text)
        else:
            page = self.dashboard
            self.dashboard.refresh()
        self.pages.setCurrentWidget(page)
        self.where.setText(f"{view.stage}, {view.stage_detail}" if view.active and view.stage else "")
        itinerary = session.ahead.itinerary() if view.active else ""
        self.point.setText("" if isinstance(itinerary, str) else _point_words(view, itinerary))
        if page is not self._page:
            self._page = page
            self.take_focus()

    def _record(self) -> tuple[Shown | None, Fetch | None, float]:
        """What a gate asks to be looked at: the capture taken last, and how much of it at first."""
        view = self.session.view
        if not isinstance(view.turn, GateOpened) or not view.turn.record_s or view.run is None:
            return None, None, 0.0
        point = next((p for p in reversed(view.points) if p.captures and p.captures[0].channels), None)
        if point is None:
            return None, None, 0.0
        return shown_of(point, 0, view.run, None), fetch_from(self.session), view.turn.record_s

    def _price(self) -> str:
        """What a gate costs that cannot be taken back; worked out when it is first shown."""
        turn, s = self.session.view.turn, self.session
        opens = isinstance(turn, GateOpened) and turn.title.lower() == OPEN_CASE
        if not opens or s.unit is None or s.rig is None or turn is self._priced[0]:
            return self._priced[1] if opens else ""
        from zincsmith.before_power.one_way import one_way_price
        from zincsmith.planning.prediction import seconds_to_test

        self._priced = (turn, one_way_price(s.unit, s.plan, partial(seconds_to_test, s.unit, s.rig)))
        return self._priced[1]

    def take_focus(self) -> None:
        if self.pages.currentWidget() is self.start_page:
            (self.start.operator if not self.start.operator.text() else self.start.button).setFocus()
        elif self.pages.currentWidget() is self.gate:
            self.gate.take_focus()
        elif self.session.view.asked is None:
            self.dashboard.map.setFocus()

    def restyle(self) -> None:
        self.dashboard.restyle()
        self.gate.restyle()

    # Saying something

    def _begin_saying(self, saying: Saying) -> None:
        for widget in (self.where, self.point, self.coverage):
            widget.hide()
        self.say.begin(saying)

    def _said_all(self) -> None:
        """Back to where the hands were."""
        for widget in (self.where, self.point, self.coverage):
            widget.show()
        if self.session.view.asked is not None:
            self.dashboard.your_turn.line.setFocus()
        else:
            self.take_focus()

    def _note(self) -> None:
        self._begin_saying(Saying("Note: Enter keeps it with the conditions of the moment, Esc leaves", Note))

    def _mark(self) -> None:
        self._begin_saying(Saying("Mark: what is it? Enter marks this moment, Esc leaves", Mark, empty=True))

    def _about_point(self, what: type[Repeat | Reject]) -> None:
        last = max((p.number for p in self.session.view.points), default=0)
        prompt = f"{what.do.capitalize()} point {last}: why?   (another one: 3: why)"
        self._begin_saying(Saying(prompt, partial(_again, what, last)))

    def _correct(self) -> None:
        entries = self.session.view.entries
        if not entries or not self.session.allowed("correct"):
            return
        reading = entries[-1][1]
        unit = UNIT_WORDS.get(reading.unit, reading.unit)
        was = "not read" if reading.value is None else f"{reading.value:g} {unit}"
        prompt = f"Correct {QUANTITIES[reading.quantity].inside} {was}: new value and why, 45.1 digits swapped"
        self._begin_saying(Saying(prompt, lambda text: Correct(reading.id, *split_correction(text, reading.unit))))

    def _pause(self) -> None:
        self.session.send(Resume() if self.session.state is State.PAUSED else Pause())


def _point_words(view: RunView, itinerary: Itinerary) -> str:
    """``point 32, 4 of 24 of the grid`` within it, ``stage 3 of 15`` elsewhere."""
    grid = itinerary.of(GRID)
    if view.stage == "Grid" and grid:
        taken = sum(p.part < len(itinerary.procedures) and itinerary.procedures[p.part] == GRID for p in view.points)
        return f"point {grid[min(taken, len(grid) - 1)].number}, {min(taken + 1, len(grid))} of {len(grid)} of the grid"
    return f"stage {view.stages_begun} of {len(itinerary.stages)}" if view.stages_begun else ""


def _again(what: type[Repeat | Reject], point: int, text: str) -> Repeat | Reject:
    number, reason = split_point(text, point)
    return what(reason, number)
