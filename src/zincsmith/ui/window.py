"""The shell: spine, unit strip, stations, bench strip. Stations are built when they are first shown."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable, Iterator
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, QSize, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from zincsmith.engine.crash_report import log_folder, report_folder
from zincsmith.engine.known_bench import first_time
from zincsmith.formats.words import local_time
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import MakeSafe
from zincsmith.model.states import UNSAFE, State
from zincsmith.ui.announce import announce, announced_words
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.practice_bar import PracticeBar
from zincsmith.ui.remembered import Remembered, keep
from zincsmith.ui.station import Station
from zincsmith.ui.theme import OTHER, theme, use_theme
from zincsmith.ui.widgets.alarm_bar import AlarmBar
from zincsmith.ui.widgets.bench_strip import BenchStrip
from zincsmith.ui.widgets.spine import Spine
from zincsmith.ui.widgets.unit_strip import UnitStrip
from zincsmith.ui.widgets.whole_tips import WholeTips
from zincsmith.words.bench_words import end_words

if TYPE_CHECKING:
    from zincsmith.ui.help_view import HelpView

# Fixed numbers: a station that is not built yet leaves its number free. A station is read when it is first shown;
# what the others need is read in the background once the window is there.
READ_AHEAD_MS = 400
CALLS_MS = 5000  # between two calls for whoever is awaited beside an overloaded unit
STATIONS = (
    (1, "Nameplate"),
    (2, "Rig"),
    (3, "Plan"),
    (4, "Run"),
    (5, "Findings"),
    (6, "Compare"),
    (7, "Log"),
    (8, "Workshop"),
)


def station_class(title: str) -> Callable[[Session], Station]:
    module = import_module(f"zincsmith.ui.stations.{title.lower()}")
    made: Callable[[Session], Station] = getattr(module, f"{title}Station")
    return made


def read_ahead() -> Iterator[str]:
    """What the other stations stand on, so that their first opening does not wait for it."""
    for name in (
        "numpy",
        "zincsmith.planning.prediction",
        "zincsmith.judge.decide",
        "zincsmith.procedures.static_grid.figures",
    ):
        import_module(name)
        yield name


class Floor(QWidget):
    """What a station stands on in its scroll area.

    A scroll area gives a widget with wrapped text its preferred height instead of the room there is; this one
    asks for the least height only.
    """

    def __init__(self, station: Station) -> None:
        super().__init__()
        self.station = station
        station.setParent(self)

    def minimumSizeHint(self) -> QSize:
        return self.station.minimumSizeHint()

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:  # the station's needs have changed
            self.updateGeometry()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.station.setGeometry(self.rect())


class MainWindow(QMainWindow):
    """One window on one book."""

    def __init__(self, book: Path, log: Path | None = None) -> None:
        super().__init__()
        self._settled = False  # what is not needed to use the window waits until it is there
        self._beside = Beside(self)
        self.session = Session(book, log)
        self.setWindowTitle(f"{book.name} – Zincsmith")
        self._tips = WholeTips(self)
        self.resize(1280, 800)
        self.muted = False
        self._last_sounded = State.IDLE
        self._announced = ""
        self._refused_at: tuple[State, object] | None = None  # what was asked for when something was refused
        self.calls = QTimer(self)
        self.calls.timeout.connect(self._call)
        self.stations: dict[str, Station] = {}
        self.current: Station | None = None
        self.help: HelpView | None = None
        self._title = "Nameplate"
        self.memory: Remembered | None = None
        self.setAcceptDrops(True)
        self._areas: dict[str, QScrollArea] = {}
        self.spine = Spine(list(STATIONS))
        self.unit_strip, self.bench_strip = UnitStrip(), BenchStrip()
        self.stack = QStackedWidget()
        self.stack.setObjectName("stations")
        self.session.read()
        self._lay_out()
        self._connect()
        self.go("Nameplate")

    def _lay_out(self) -> None:
        centre = QWidget()
        centre.setObjectName("ground")
        self.alarm = AlarmBar(centre)
        row = QHBoxLayout(centre)
        column = QVBoxLayout()
        for layout in (row, column):
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
        row.addWidget(self.spine)
        row.addLayout(column, 1)
        column.addWidget(self.unit_strip)
        self.practice = PracticeBar(self.session)
        column.addWidget(self.practice)
        column.addWidget(self.stack, 1)
        column.addWidget(self.bench_strip)
        self.setCentralWidget(centre)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.spine.fit(event.size().width())
        super().resizeEvent(event)

    def _connect(self) -> None:
        self.spine.chosen.connect(self.go)
        self.alarm.restart.connect(self._restart)
        self.bench_strip.make_safe.connect(self._make_safe)
        for signal in (
            self.session.documents,
            self.session.live,
            self.session.state_changed,
            self.session.judged_ready,
        ):
            signal.connect(self._refresh)
        self.session.ready.connect(self._greet)
        self.session.engine_lost.connect(self._engine_lost)
        self.session.refused.connect(self._refused)
        comforts = (
            ("F11", self._switch_theme),
            ("Ctrl+M", self._mute),
            ("F1", self.help_or_back),
            ("Ctrl+?", lambda: self.show_help("keys")),
            ("F8", self._enlarge),
        )
        for keys, action in comforts:
            QShortcut(QKeySequence(keys), self).activated.connect(action)
        for number, title in STATIONS:  # a button's own shortcut would act a tenth of a second late
            QShortcut(QKeySequence(f"Alt+{number}"), self).activated.connect(lambda name=title: self.go(name))

    def open(self) -> None:
        """Open book and engine; call once the window is shown."""
        self.session.open()
        self._refresh()
        QTimer.singleShot(READ_AHEAD_MS, self, lambda: self._beside.start(read_ahead, lambda _name: None, self._settle))

    def go(self, title: str) -> None:
        """Show a station."""
        if title not in self.stations:
            station = station_class(title)(self.session)
            station.go.connect(self.go)
            station.claim.connect(self._claim)
            self.stations[title] = station
            area = QScrollArea()  # a small window scrolls; nothing is cut off
            area.setWidgetResizable(True)
            area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            area.setWidget(Floor(station))
            self.stack.addWidget(area)
            self._areas[title] = area
        self.current, self._title = self.stations[title], title
        self.stack.setCurrentWidget(self._areas[title])
        self.spine.buttons[title].setChecked(True)
        self.stations[title].refresh()
        self.stations[title].take_focus()

    # Help

    def help_or_back(self) -> None:
        """Help for the station, or back to it."""
        if self.help is not None and self.stack.currentWidget() is self.help:
            self._leave_help()
        else:
            self.show_help(self._title.lower())

    def show_help(self, page: str) -> None:
        """One page of help, over the station; nothing of the station changes."""
        if self.help is None:
            from zincsmith.ui.help_view import HelpView

            self.help = HelpView()
            self.help.left.connect(self._leave_help)
            self.stack.addWidget(self.help)
        self.stack.setCurrentWidget(self.help)
        self.help.open_at(page)

    def _leave_help(self) -> None:
        self.go(self._title)

    def remember(self, memory: Remembered) -> None:
        """Be as large as last time, at the station where this book was left; from now on that is kept."""
        self.memory = memory
        memory.opened(self.session.book_path)
        if memory.size is not None:
            self.resize(*memory.size)
        station = memory.stations.get(str(self.session.book_path.absolute()), "")
        if station in {title for _, title in STATIONS}:
            self.go(station)
        keep(memory)

    def tell_of_crash(self) -> None:
        """What went wrong the last time, told once: that data are safe, and where the report is."""
        reports = sorted(report_folder().glob("*.txt")) if report_folder().is_dir() else []
        if self.memory is None or not reports or reports[-1].name <= self.memory.crash_told:
            return
        self.memory.crash_told = reports[-1].name
        keep(self.memory)
        self.alarm.tell(
            "Something went wrong the last time",
            f"Everything that was shown then is in its book; nothing of it is lost. The report is {reports[-1]}; who "
            f"mends the program can use it. It holds no readings. The logs of the program are in {log_folder()}.",
        )

    def greet_newcomer(self) -> None:
        """The first steps, the first time that the program is opened on this computer."""
        if first_time():
            self.show_help("first-steps")

    def _enlarge(self) -> None:
        if self.current is not None and self.stack.currentWidget() is not self.help:
            self.current.enlarge()

    def _claim(self, begun: StatedClaim) -> None:
        self.go("Nameplate")
        nameplate = self.stations["Nameplate"]
        nameplate.take_focus_at(begun)  # type: ignore[attr-defined]

    def _settle(self) -> None:
        self._settled = True
        self._marks()

    def _refresh(self) -> None:
        session = self.session
        self.unit_strip.show_unit(session.unit)
        self.unit_strip.show_run(self._run_words(), self._book_words())
        self.bench_strip.show_state(session.view, session.state, session.problem, session.ahead.blocked)
        self._entitle()
        self.practice.refresh()
        if self.current is not None:
            self.current.refresh()
        self._marks()
        self._sound()
        self._announce()
        if self._refused_at not in (None, self._asked_now):  # that gate is passed, or the run goes on without it
            self._refused_at = None
            self.alarm.hide()
        if session.state in UNSAFE and not session.problem and not self.alarm.isVisible():
            self._not_confirmed("The bench is not confirmed to be off")
        elif session.state is State.SAFE and self.alarm.isVisible() and not session.problem:
            self.alarm.hide()

    def _entitle(self) -> None:
        """While a bench may be live the window's title says so first: it shows where the window does not."""
        session = self.session
        live = session.view.active or session.state in UNSAFE
        title = f"{self.bench_strip.words()[0]} – " if live else ""
        title += f"{'Practice: ' if self.practice.shown else ''}{session.book_path.name} – Zincsmith"
        if title != self.windowTitle():
            self.setWindowTitle(title)

    def _run_words(self) -> str:
        view = self.session.view
        if view.run is None:
            return "No run yet"
        began = local_time(view.began_at, date=True)
        how = f"since {began}" if view.active else f"{view.closed.outcome if view.closed else ''}, {began}"
        of = f" of {self.session.whose}, not of the unit chosen here" if self.session.whose else ""
        return f"Run {view.run}{of}  ·  {how}"

    def _book_words(self) -> str:
        name = self.session.book_path.name
        return f"{name}, read-only" if self.session.read_only else name

    def _marks(self) -> None:
        s, buttons = self.session, self.spine.buttons
        doubtful = s.unit is not None and s.unit.look.blocks
        buttons["Nameplate"].set_mark("attention" if doubtful else "complete" if s.unit else "empty")
        buttons["Rig"].set_mark("attention" if s.ahead.blocked else "complete" if s.rig else "empty")
        itinerary = s.ahead.itinerary() if s.unit and s.rig and self._settled else ""
        buttons["Plan"].set_mark(
            "empty" if itinerary == "" else "attention" if isinstance(itinerary, str) else "complete"
        )
        closed = s.view.closed
        if s.view.active:
            run = "under way"
        elif closed is None:
            run = "empty"
        else:
            run = "complete" if closed.outcome == "complete" else "attention"
        buttons["Run"].set_mark("attention" if s.state in UNSAFE else run)
        buttons["Log"].set_mark("under way" if s.view.active else "complete" if s.view.run is not None else "empty")
        buttons["Findings"].set_mark("empty" if not s.view.points else "under way" if s.view.active else "complete")

    # Alarms

    def _greet(self, interrupted: list[int]) -> None:
        closed = self.session.view.closed
        if not interrupted:
            return
        if self.session.state is State.TAKEN_OVER:
            why = closed.why if closed is not None else ""
            self.alarm.tell(
                f"Run {interrupted[-1]} was interrupted; the guardian switched the bench off",
                f"{why[:1].upper()}{why[1:]}. {end_words(closed) if closed is not None else ''}. Everything that was "
                "shown is in the book. Resume the run at Run, or begin a new one.",
            )
        else:
            self._not_confirmed(f"Run {interrupted[-1]} was interrupted; the bench is not confirmed to be off")

    def _not_confirmed(self, title: str) -> None:
        closed = self.session.view.closed
        what = "; ".join(closed.unconfirmed) if closed and closed.unconfirmed else "switch the source off by hand"
        self.alarm.tell(title, f"By hand: {what}. Then press Make safe (F12), which reads everything back.")

    def _engine_lost(self, message: str) -> None:
        self.alarm.tell(
            "The engine is not running",
            f"{message} Everything that was shown is in the book.",
            can_restart=True,
            dismiss=False,
        )

    def _restart(self) -> None:
        self.alarm.hide()
        self.session.restart_engine()
        self._refresh()

    def _refused(self, do: str, message: str) -> None:
        if do == "open":
            self.alarm.tell("The book is open read-only", message)
        elif do not in {"start", "resume run", "try", "scan", "take in"}:
            self.alarm.tell("Not done", message)
            self._refused_at = self._asked_now

    @property
    def _asked_now(self) -> tuple[State, object]:
        """What a person is asked for, if anything."""
        return self.session.state, self.session.view.turn or self.session.view.asked

    def _make_safe(self) -> None:
        if self.session.problem or self.session.read_only:
            self.alarm.tell(
                "Make safe could not be sent",
                "The engine is not running. Switch the source off by hand, then start the engine again.",
                can_restart=not self.session.read_only,
                dismiss=False,
            )
            return
        self.session.send(MakeSafe())

    # Comforts

    def _sound(self) -> None:
        state = self.session.state
        if state is not self._last_sounded and not self.muted:
            trip = state is State.MAKING_SAFE or state in UNSAFE
            if trip or state in (State.GATE, State.ASKING):
                QApplication.beep()
        self._last_sounded = state
        waits = state in (State.GATE, State.ASKING) and self.session.view.beyond is not None
        if waits and not self.calls.isActive():  # beyond its rating nobody is waited for in silence
            self.calls.start(CALLS_MS)
        elif not waits:
            self.calls.stop()

    def _announce(self) -> None:
        """To whoever listens instead of looking: the state, and what is asked for."""
        state, view = self.session.state, self.session.view
        asks = {State.GATE: view.turn, State.ASKING: view.asked}.get(state)
        said = ": ".join(x for x in (state.value, announced_words(asks)) if x)
        if said != self._announced:
            first, self._announced = not self._announced, said
            if not first or state is not State.IDLE:
                announce(self, said, at_once=state is State.MAKING_SAFE or state in UNSAFE)

    def _call(self) -> None:
        if not self.muted:
            QApplication.beep()

    def _mute(self) -> None:
        self.muted = not self.muted

    def _switch_theme(self) -> None:
        use_theme(OTHER[theme().name])

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.PaletteChange:
            for station in self.stations.values():
                station.restyle()
            if self.help is not None:
                self.help.restyle()
            self._refresh()
        super().changeEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.session.view.active and not self.session.problem:
            box = QMessageBox(self)
            box.setWindowTitle("A run is under way")
            box.setText("Closing makes the bench safe and ends the run. What was read stays in the book.")
            leave = box.addButton("Make safe and close", QMessageBox.ButtonRole.AcceptRole)
            stay = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
            box.setDefaultButton(stay)
            box.setWindowModality(Qt.WindowModality.WindowModal)
            box.exec()
            if box.clickedButton() is not leave:
                event.ignore()
                return
        if self.memory is not None:
            self.memory.size = (self.width(), self.height())
            self.memory.stations[str(self.session.book_path.absolute())] = self._title
            keep(self.memory)
        self.session.close()
        event.accept()

    # A book that is dropped is opened in a window of its own

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _books(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for book in _books(event.mimeData()):
            open_beside(book)
        event.acceptProposedAction()


def open_beside(book: str) -> None:
    """Another window, a process of its own."""
    subprocess.Popen([sys.executable, "-m", "zincsmith.ui", book], start_new_session=True)


def _books(data: QMimeData) -> list[str]:
    return [url.toLocalFile() for url in data.urls() if url.toLocalFile().endswith(".zbook")]
