"""Findings: what holds? Claims with rulers; behind each the working, the curve, the doubts; the report leaves here."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from zincsmith.book.codec import dump
from zincsmith.formats.words import local_time
from zincsmith.history.ended import doubt_ended
from zincsmith.judge.against import against, between_configurations
from zincsmith.judge.conventions import turned
from zincsmith.judge.judging import JudgedRun, judge_again
from zincsmith.judge.snapshot import broken_words, snapshot
from zincsmith.model.claim import Condition, StatedClaim
from zincsmith.model.commands import Amend, EndDoubt, Repeat, Sign
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES
from zincsmith.model.finding import Judged, Verdict
from zincsmith.planning.composer import retest
from zincsmith.procedures.base import Conventions, Curves
from zincsmith.showing.borders import borders
from zincsmith.showing.curves import all_curves
from zincsmith.showing.reading_words import reading_words
from zincsmith.ui.captures_shown import capture_behind, fetch_from
from zincsmith.ui.connection.judging_work import Outcome
from zincsmith.ui.connection.session import Session
from zincsmith.ui.file_intake import FileIntake
from zincsmith.ui.leaving.files import Leaving
from zincsmith.ui.leaving.paper import Paper
from zincsmith.ui.remedy_row import RemedyRow
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.claim_list import ClaimList
from zincsmith.ui.widgets.conventions_bar import ConventionsBar
from zincsmith.ui.widgets.panel import Panel, button, heading_row, key_button, label
from zincsmith.ui.widgets.plot import Plot, drawn
from zincsmith.ui.widgets.say_line import Saying, SayLine, split_name
from zincsmith.ui.widgets.trace_view import TraceView
from zincsmith.ui.widgets.verdict_filter import VerdictFilter
from zincsmith.ui.widgets.working import Working


class FindingsStation(Station):
    """Judged anew whenever the points of the run have changed."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.run: JudgedRun | None = None
        self._found = Outcome()
        self._chosen = 0
        self._of_unit = session.unit_key
        self._points: list[int] = []
        self._signed = False
        self._under: Conventions | None = None
        self.leaving, self.paper = Leaving(self), Paper(self)
        self.intake = FileIntake(session)
        self.filter = VerdictFilter()
        self.claims = ClaimList()
        self.working = Working()
        self._make_pictures(session)
        self.message = label("", 13, 400, "second")
        self.save = button("Save report…  Ctrl+S", "main")
        self.conventions = ConventionsBar()
        self.conventions.chosen.connect(self._judge_under)
        self.shown = Choice()
        self.shown.setAccessibleName("Plot")
        self.shown.setFont(font(13))
        self.shown.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self._curves: list[Curves] = []
        self.files = key_button("Files…  F7", self._ask_for_files, self)
        self.intake.left.connect(self._files_left)
        session.taken_in.connect(self._taken)
        self.seal = key_button("Sign  F9", self._answer_for, self)
        self.sealed = label("", 13, 600)
        self.sealed.hide()
        self.say = SayLine()
        self.say.said.connect(session.send)
        self.say.left.connect(self.take_focus)
        self.of_run = label("", 12, 400, "second")
        self._lay_out()
        self._lay_out_working()
        self.shown.activated.connect(self._show_plot)
        self.filter.chosen.connect(lambda _verdict: self._show_list())
        self.claims.rows.chosen.connect(self.choose)
        self.save.setShortcut("Ctrl+S")
        self.save.setStyleSheet("padding-left: 7px; padding-right: 7px")
        self.leaving.said.connect(self.message.setText)
        self.paper.said.connect(self.message.setText)
        QShortcut(QKeySequence("Ctrl+P"), self, self.print_it, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self.save.clicked.connect(self._save)
        self.plot.enlarge.connect(self.enlarge)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Findings")
        row.setSpacing(7)
        row.addWidget(self.filter)
        row.addWidget(self.message, 1)
        row.addWidget(self.files)
        row.addWidget(self.seal)
        row.addWidget(self.save)
        outer.addLayout(row)
        self.message.setMinimumWidth(1)  # a long message is cut, it never widens the station
        below = QHBoxLayout()
        below.addWidget(self.sealed)
        below.addWidget(self.say, 1)
        outer.addLayout(below)
        outer.addWidget(self.say.problem)
        outer.addWidget(self.intake)
        self.empty = label("", 16, 400, "second", wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        outer.addWidget(self.empty, 1)
        self.body = QWidget()
        columns = QHBoxLayout(self.body)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(9)
        self.left = QVBoxLayout()
        self.left.setSpacing(9)
        self.claim_panel = Panel("Claims", "")
        self.claim_panel.body.setContentsMargins(0, 10, 0, 0)
        self.claim_panel.head.setContentsMargins(16, 0, 16, 0)
        self.claim_panel.head.addWidget(self.conventions)
        self.claim_panel.body.addWidget(self.claims, 1)
        legend = label("hatched: no call; line: limit; whisker: ±U", 12, 400, "second")
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 3, 16, 7)
        foot.addWidget(legend)
        foot.addStretch()
        foot.addWidget(self.of_run)
        self.claim_panel.body.addLayout(foot)
        self.left.addWidget(self.claim_panel, 5)
        plot = self.plot_panel = Panel()
        self.plot.head.insertWidget(0, self.shown)
        self.plot.heading.hide()
        plot.body.addWidget(self.pictures, 1)
        plot.body.addWidget(self.remedies)
        self.left.addWidget(plot, 3)
        columns.addLayout(self.left, 17)
        self.working_panel = Panel("Working", "")
        columns.addWidget(self.working_panel, 11)
        outer.addWidget(self.body, 30)

    def _lay_out_working(self) -> None:
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.working)
        area.setAccessibleName("Working")
        self.working_panel.body.addWidget(area, 1)
        self.again = button("Plan a retest  Ctrl+T")
        self.again.setShortcut("Ctrl+T")
        self.again.clicked.connect(self._retest)
        self.working_panel.head.addWidget(self.again)
        self.claim_this = key_button("Claim this…  Ctrl+L", self._claim_this, self)
        self.remedy = key_button("Remedy…  F4", self._ask_remedy, self)
        self.end_doubt = key_button("Doubt dealt with…  F6", self._end_doubt, self)
        foot = QHBoxLayout()
        foot.addWidget(self.end_doubt)
        foot.addWidget(self.claim_this)
        foot.addWidget(self.remedy)
        foot.addStretch()
        self.working_panel.body.addLayout(foot)

    def _make_pictures(self, session: Session) -> None:
        """The record behind a figure, and every other plot; what can be done with either."""
        self.plot = Plot("Efficiency against load", "output", "A", "efficiency", "%")
        self.trace = TraceView()
        self.trace.enlarge.connect(self.enlarge)
        self.trace.said.connect(session.send)
        self.remedies = RemedyRow(session, self.trace)
        self.remedies.planned.connect(lambda: self.go.emit("Plan"))
        self.pictures = QStackedWidget()
        for picture in (self.plot, self.trace):
            self.pictures.addWidget(picture)
        self.trace.other.connect(self._look_at)
        self.record = button("Record", weight=400)
        self.record.clicked.connect(lambda: self.pictures.setCurrentWidget(self.trace))
        self.plot.head.insertWidget(0, self.record)

    def refresh(self) -> None:
        found = self.session.judging()
        if found is None:  # what was shown stays until it is there
            if self.run is None:
                self.empty.setText("The readings are being judged …")
            return
        if found is self._found:
            self._show_seal()
            return
        more = self._found.run is not None and found.run is self._found.run  # the earlier run has been judged by now
        self._found = found
        if more:
            self.choose(self._chosen)
            return
        waited = self.run is None and self.isVisible()
        self.run = found.run
        if self.run is not None and self._under not in (None, self.run.conventions):
            self.run = judge_again(self.run, self._under)
        unit = self.session.unit
        of_unit = f" of {unit.tag}" if unit is not None and unit.tag else ""
        if self._of_unit != self.session.unit_key:  # what was said belongs to the unit it was said of
            self._of_unit = self.session.unit_key
            self.message.setText("")
        self.empty.setText(
            found.problem
            or f"No run yet{of_unit}. Findings are worked out from readings: go to Run and start one, or take in "
            "recorded files with F7."
        )
        run = self.run
        self.body.setVisible(run is not None)
        self.empty.setVisible(run is None)
        self.save.setEnabled(run is not None)
        self.filter.setVisible(run is not None)
        if run is None:
            return
        self.filter.show_counts({v: run.count(v) for v in Verdict})
        self.conventions.show_run(run)
        self._show_seal()
        self._offer_plots()
        end = "" if run.evidence.complete else ", not complete"
        # Readings belong to the configuration the unit was in, whatever it is in now.
        today = "; claims as of now" if run.claims_of_today else ""
        states = ", then ".join(run.evidence.configurations) or run.unit.configuration
        self.of_run.setText(f"run {run.row.id}{end}: {run.unit.tag}, {states}{today}")
        self._show_list()
        if waited:  # it came after the station was opened: the keyboard goes where it would have gone
            self.take_focus()

    def _offer_plots(self) -> None:
        """What the evidence can be drawn as; the plot that was looked at stays."""
        drawn_here = [*all_curves(self.run.evidence), *borders(self.run)] if self.run is not None else []
        self._curves = [c for c in drawn_here if not c.trace]  # records have a view of their own
        before = self.shown.currentText()
        self.shown.clear()
        self.shown.addItems([c.title for c in self._curves])
        self.shown.setEnabled(bool(self._curves))
        self.trace.offer([c.title for c in self._curves])
        self._show_plot(max(0, self.shown.findText(before)))

    def _look_at(self, title: str) -> None:
        """Another picture instead of the record, which stays a button away."""
        self.show_curves(title)
        self.pictures.setCurrentWidget(self.plot)

    def show_curves(self, title: str) -> None:
        """The plot of this name, as picked from the list."""
        self.shown.setCurrentIndex(self.shown.findText(title))
        self._show_plot(self.shown.currentIndex())

    def _show_plot(self, at: int) -> None:
        if at >= len(self._curves):
            self.plot.show_curves([])
            return
        self.shown.setCurrentIndex(at)
        one = self._curves[at]
        self.plot.show_axes(one.title, one.x, one.x_unit, one.y, one.y_unit)
        self.plot.show_curves(drawn(one))

    def _judge_under(self, conventions: Conventions) -> None:
        """Judge the same evidence under other conventions, and tell which claims turned."""
        if self.run is None:
            return
        would = turned(self.run, conventions)
        self._under = conventions
        self.run = judge_again(self.run, conventions)
        self.message.setText(f"Turned: {'; '.join(would)}" if would else "No verdict turned.")
        self.conventions.show_run(self.run)
        self.filter.show_counts({v: self.run.count(v) for v in Verdict})
        self._show_list()

    def _show_list(self) -> None:
        if self.run is None:
            return
        wanted = self.filter.verdict
        rows = [(at, j) for at, j in enumerate(self.run.judged) if wanted is None or j.verdict is wanted]
        self.claims.rows.show_judged(rows)
        places = [at for at, _ in rows]
        self.choose(self._chosen if self._chosen in places else places[0] if places else -1)

    def choose(self, at: int) -> None:
        if self.run is None or at < 0:
            return
        self._chosen = at
        self.claims.select(at)
        judged = self.run.judged[at]
        self.working_panel.remark.setText(judged.finding.title)
        self._offer(judged)
        earlier = self._found.earlier
        change = between_configurations(self.run).get(at)
        if change is None and earlier is not None:
            change = against(self.run, earlier).get(at)
        before = f"{change.words[:1].upper()}{change.words[1:]}." if change is not None else ""
        self.working.show_judged(judged, reading_words(self.run), before)
        rows = judged.finding.working.rows if judged.run is None else ()  # points of an earlier run are not repeated
        self._points = sorted({row["point"] for row in rows if "point" in row})
        live = self.session.view.active and self.run.row.id == self.session.view.run
        self._show_capture(judged)
        repeatable = live and self._points and self.session.allowed("repeat")
        self.again.setText(
            f"Repeat point {self._points[0]}  Ctrl+T" if live and self._points else "Plan a retest  Ctrl+T"
        )
        self.again.setShortcut("Ctrl+T")  # changing the text takes the key away
        self.again.setEnabled(bool(repeatable or not self.session.view.active) and not self.session.read_only)

    def _show_capture(self, judged: Judged) -> None:
        """The record behind a figure, where there is one; else the plot that was looked at."""
        run, reader = self.run, self.session.reader
        found = capture_behind(run, judged) if run is not None and judged.run is None else None
        self.pictures.setCurrentWidget(self.plot if found is None else self.trace)
        self.record.setVisible(found is not None)
        self.plot_panel.setVisible(found is not None or bool(self._curves))  # no axes without anything on them
        if found is None or reader is None or (self.trace.shown == found and self.trace.shown is not None):
            return

        self.remedies.leave()
        self.trace.show_capture(found, fetch_from(self.session))

    def _offer(self, judged: Judged) -> None:
        """What can be done about the chosen row: claim what nobody claimed, deal with a doubt."""
        live = not self.session.read_only
        self.claim_this.setVisible(judged.claim is None and judged.finding.name in FIGURES)
        self.claim_this.setEnabled(live)
        doubt = next((d for d in judged.finding.doubts if not d.ended), None)
        of_ripple = judged.finding.name.startswith("ripple") and judged.finding.value is not None and judged.run is None
        self.remedy.setVisible(of_ripple and any("samples" in row for row in judged.finding.working.rows))
        self.end_doubt.setVisible(doubt is not None)
        self.end_doubt.setEnabled(live and self.session.allowed("end doubt") and judged.run is None)

    def _claim_this(self) -> None:
        """Begin a claim of the chosen figure under its conditions; its bounds are said at Nameplate."""
        if self.run is None or not self.claim_this.isVisible():
            return
        finding = self.run.judged[self._chosen].finding
        voltage, hertz, load = finding.at.place
        condition = Condition(
            (voltage, voltage) if voltage is not None else None, hertz, (load, load) if load is not None else None
        )
        self.claim.emit(StatedClaim(finding.name, source="manual", condition=condition))

    def _ask_remedy(self) -> None:
        """What a choke or a capacitor would leave of the ripple that is looked at."""
        if self.remedy.isVisible() and self.trace.shown is not None:
            self.remedies.begin()

    def _end_doubt(self) -> None:
        if self.run is None or not self.end_doubt.isVisible():
            return
        doubt = next(d for d in self.run.judged[self._chosen].finding.doubts if not d.ended)
        prompt = "repeated, confirmed or explained: by what: your name. Enter keeps it, Esc leaves"
        self.message.setText(f"Doubt: {doubt.text}")
        self.say.begin(Saying(prompt, partial(_end_of_doubt, self.run.row.id, doubt.text)))

    def _answer_for(self) -> None:
        """Sign the run as it stands; one that is signed is amended."""
        if self.run is None:
            return
        run = self.run
        if self._signed:
            saying = Saying(
                "Amend: name: what is added. Enter keeps it, Esc leaves",
                lambda text: Amend(run.row.id, *split_name(text)),
            )
        else:
            saying = Saying(
                "Sign run: your name. From then on it is amended, never changed; Esc leaves",
                lambda text: Sign(run.row.id, text, dump(snapshot(run))),
            )
        self.say.begin(saying)

    def _show_seal(self) -> None:
        """Who signed, beside the filters; the button says what can be done next."""
        ended = self.run is not None and self.run.closed is not None and not self.session.view.active
        seals = self._found.seals if self.run is not None and ended else ()
        self._signed = bool(seals)
        self.seal.setText("Amend  F9" if seals else "Sign  F9")
        self.files.setEnabled(self.session.allowed("take in") and not self.session.read_only)
        self.seal.setEnabled(ended and self.session.allowed("sign") and not self.session.read_only)
        if seals:
            broken = broken_words(seals)
            self.sealed.setText(broken or f"Signed by {seals[-1].by}, {local_time(seals[-1].at, date=True)}")
            self.sealed.setObjectName("problem" if broken else "")
            self.sealed.style().polish(self.sealed)
        self.sealed.setVisible(bool(seals))

    def _ask_for_files(self) -> None:
        self.plot_panel.hide()  # its room is needed
        self.intake.begin()

    def _files_left(self) -> None:
        self.plot_panel.show()
        self.take_focus()

    def _taken(self, run: int) -> None:
        self.intake.taken()
        self.refresh()
        self.message.setText(f"Taken in as run {run}.")

    def smaller(self) -> Sequence[QWidget]:
        return self.claim_panel, self.working_panel

    def _save(self) -> None:
        if self.run is not None:
            self.leaving.ask_report(self.session.book_path, self.run)

    def print_it(self) -> None:
        """The report on paper."""
        if self.run is not None:
            named = f"{self.run.unit.tag}, run {self.run.row.id}"
            self.paper.ask(partial(_report_of, self.session.book_path, self.run), named)

    def _retest(self) -> None:
        """While its run goes on, take the first point of the figure again; else put the figure alone on the plan,
        behind gates, rig check and bring-up."""
        unit, rig = self.session.unit, self.session.rig
        if self.run is None or unit is None or rig is None:
            return
        if self.session.view.active:
            self.session.send(Repeat("asked for at Findings", self._points[0]))
            self.go.emit("Run")
            return
        figure = self._figure(self.run)
        try:
            self.session.revise_plan(retest(unit, rig, [figure]), f"retest of {figure.replace('_', ' ')}")
        except InputError as error:
            self.message.setText(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.go.emit("Plan")

    def _figure(self, run: JudgedRun) -> str:
        """The figure of the chosen claim or finding."""
        judged = run.judged[self._chosen]
        return judged.claim.figure if judged.claim is not None else judged.finding.name

    def take_focus(self) -> None:
        self.claims.rows.setFocus()

    def restyle(self) -> None:
        self.plot.restyle()
        self.trace.restyle()
        self.update()


def _report_of(book: Path, run: JudgedRun) -> str:
    """In a thread: the report as HTML."""
    from zincsmith.book.reader import BookReader
    from zincsmith.report.html import report_of

    with BookReader(book) as reader:
        return report_of(reader, run)


def _end_of_doubt(run: int, doubt: str, said: str) -> EndDoubt:
    event = doubt_ended(doubt, said)
    return EndDoubt(run, event.by, event.doubt, event.how, event.evidence)
