"""Findings: what holds? Claims with rulers; behind each the working, the curve, the doubts; the report leaves here."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QProcess, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from zincsmith.judge.judging import JudgedRun
from zincsmith.judge.reading_words import reading_words
from zincsmith.model.errors import ZincsmithError
from zincsmith.model.finding import Verdict
from zincsmith.procedures.static_grid import NAME as GRID
from zincsmith.ui.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.stations.run_dashboard import efficiency_curves
from zincsmith.ui.widgets.claim_list import ClaimList
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.plot import Plot
from zincsmith.ui.widgets.verdict_filter import VerdictFilter
from zincsmith.ui.widgets.working import Working


class FindingsStation(Station):
    """Judged anew whenever the points of the run have changed."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.run: JudgedRun | None = None
        self._seen: tuple[object, ...] = ()
        self._chosen = 0
        self._process: QProcess | None = None
        self.filter = VerdictFilter()
        self.claims = ClaimList()
        self.working = Working()
        self.plot = Plot("Efficiency against load", "output", "A", "efficiency", "%")
        self.message = label("", 13, 400, "second")
        self.save = button("Save report…  Ctrl+S", "main")
        self._lay_out()
        self.filter.chosen.connect(lambda _verdict: self._show_list())
        self.claims.rows.chosen.connect(self._choose)
        self.save.setShortcut("Ctrl+S")
        self.save.clicked.connect(self._save)
        self.plot.enlarge.connect(self._enlarge)
        QShortcut(QKeySequence("F8"), self).activated.connect(self._enlarge)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Findings")
        row.addWidget(self.filter)
        row.addWidget(self.message, 1)
        row.addWidget(self.save)
        outer.addLayout(row)
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
        self.claim_panel.head.addWidget(label("hatched: no call; line: limit; whisker: ±U", 12, 400, "second"))
        self.claim_panel.body.addWidget(self.claims, 1)
        self.left.addWidget(self.claim_panel, 5)
        plot = Panel()
        plot.body.addWidget(self.plot, 1)
        self.left.addWidget(plot, 3)
        columns.addLayout(self.left, 17)
        self.working_panel = Panel("Working", "")
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.working)
        area.setAccessibleName("Working")
        self.working_panel.body.addWidget(area, 1)
        columns.addWidget(self.working_panel, 11)
        outer.addWidget(self.body, 30)

    def refresh(self) -> None:
        view = self.session.view
        seen = (view.run, len(view.points), view.closed, self.session.unit)
        if seen == self._seen:
            return
        self._seen = seen
        try:
            self.run = self.session.judged()
            self.empty.setText("No run yet. Findings are worked out from readings: go to Run and start one.")
        except ZincsmithError as error:
            self.run = None
            self.empty.setText(str(error))
        run = self.run
        self.body.setVisible(run is not None)
        self.empty.setVisible(run is None)
        self.save.setEnabled(run is not None)
        self.filter.setVisible(run is not None)
        if run is None:
            return
        self.filter.show_counts({v: run.count(v) for v in Verdict})
        self.plot.show_curves(efficiency_curves(list(run.evidence.by(GRID).points)))
        end = "" if run.evidence.complete else ", not complete"
        # Readings belong to the configuration the unit was in, whatever it is in now.
        self.claim_panel.remark.setText(f"run {run.row.id}{end}: {run.unit.tag}, {run.unit.configuration}")
        self._show_list()

    def _show_list(self) -> None:
        if self.run is None:
            return
        wanted = self.filter.verdict
        rows = [(at, j) for at, j in enumerate(self.run.judged) if wanted is None or j.verdict is wanted]
        self.claims.rows.show_judged(rows)
        places = [at for at, _ in rows]
        self._choose(self._chosen if self._chosen in places else places[0] if places else -1)

    def _choose(self, at: int) -> None:
        if self.run is None or at < 0:
            return
        self._chosen = at
        self.claims.select(at)
        judged = self.run.judged[at]
        self.working_panel.remark.setText(judged.finding.title)
        self.working.show_judged(judged, reading_words(self.run))

    def _enlarge(self) -> None:
        larger = self.claim_panel.isVisible()
        self.claim_panel.setVisible(not larger)
        self.working_panel.setVisible(not larger)

    # The report is written by a process of its own: drawing it takes seconds

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the report", self._suggested(), "Report (*.html)")
        if name:
            self.save_report(Path(name))

    def _suggested(self) -> str:
        assert self.run is not None
        return f"{self.run.unit.tag}-run-{self.run.row.id}.html"

    def save_report(self, file: Path) -> None:
        """Write the report of the run that is shown; the message beside the filters says when it is there."""
        if self.run is None or self._process is not None:
            return
        self.message.setText("Writing the report…")
        process = QProcess(self)
        self._process = process
        process.finished.connect(lambda code, _status: self._saved(code, file))
        book, run = str(self.session.book_path), str(self.run.row.id)
        process.start(sys.executable, ["-m", "zincsmith.cli", "report", book, "--run", run, "-o", str(file)])

    def _saved(self, code: int, file: Path) -> None:
        assert self._process is not None
        error = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        self._process.deleteLater()
        self._process = None
        self.message.setText(
            f"Report saved: {file.name}" if code == 0 else f"The report was not written: {error[-200:]}"
        )

    def take_focus(self) -> None:
        self.claims.rows.setFocus()

    def restyle(self) -> None:
        self.plot.restyle()
        self.update()
