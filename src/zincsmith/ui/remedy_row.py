"""What a choke or a capacitor would leave of the ripple that is looked at, and the plan that tries it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zincsmith.analysis.remedy import Remedy
from zincsmith.book.reader import BookReader
from zincsmith.formats.entry import parse_entry
from zincsmith.formats.remedy_text import LIKE
from zincsmith.model.capture import CaptureChannel
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.planning.composer import both_ways, change_to, retest
from zincsmith.procedures.waveforms.findings import line_Hz, nominal_V
from zincsmith.showing.remedies import drawn_A, lines_of, prediction, remedy_of
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import button, label
from zincsmith.ui.widgets.trace_view import Shown, TraceView


class RemedyRow(QWidget):
    """Hidden until asked for. Signal ``planned``: the plan measures with and without it."""

    planned = Signal()

    def __init__(self, session: Session, trace: TraceView) -> None:
        super().__init__()
        self.session, self.trace = session, trace
        self.parts, self.source = QLineEdit(), QLineEdit()
        for edit, name, like in (
            (self.parts, "What is added", LIKE),
            (self.source, "Series resistance that is there", "ohm, for a capacitor alone"),
        ):
            edit.setAccessibleName(name)
            edit.setPlaceholderText(like)
            edit.setFont(font(13))
            edit.returnPressed.connect(self.predict)
        self.source.setFixedWidth(190)
        self.plan = button("Plan both ways", weight=400)
        self.plan.setToolTip("The ripple as it is, then changed so, and what the change did")
        self.plan.clicked.connect(self._plan)
        self.told = label("", 13, wrap=True)
        self.problem = label("", 13, 400, "problem", wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        row = QHBoxLayout()
        row.addWidget(label("Add", 13, 600))
        row.addWidget(self.parts, 1)
        row.addWidget(self.source)
        row.addWidget(self.plan)
        layout.addLayout(row)
        layout.addWidget(self.told)
        layout.addWidget(self.problem)
        self._beside, self._latest = Beside(self), 0
        self.hide()

    def begin(self) -> None:
        self.told.setText("")
        self._wrong("")
        self.plan.setEnabled(False)
        self.show()
        self.parts.setFocus()

    def leave(self) -> None:
        self.hide()

    def _wrong(self, words: str) -> None:
        self.problem.setText(words)
        self.problem.setVisible(bool(words))

    def predict(self) -> None:
        """Work it out and tell it; what was typed stays where it makes no sense."""
        try:
            work = self._asked()
        except InputError as error:
            self._wrong(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self._wrong("")
        self._latest += 1
        self.told.setText("…")
        self._beside.start(work, partial(self._tell, self._latest))

    def _tell(self, job: int, found: list[str] | str) -> None:
        """What was worked out, unless something else was asked for since."""
        if job != self._latest:
            return
        if isinstance(found, str):
            self.told.setText("")
            self._wrong(found)
            return
        self.told.setText("\n".join(found))
        self.plan.setEnabled(not self.session.read_only and not self.session.view.active)

    def _asked(self) -> Callable[[], Iterator[list[str] | str]]:
        """The work, with all that it needs. InputError for what makes no sense."""
        shown, reader = self.trace.shown, self.session.reader
        if shown is None or reader is None:
            raise InputError("there is no record here")
        channel = next((c for c in shown.capture.channels if c.quantity == "output_voltage"), None)
        if channel is None:
            raise InputError("this capture is no record of an output")
        typed = self.source.text().strip()
        remedy = remedy_of(self.parts.text(), source_ohm=parse_entry(typed, "ohm") if typed else None)
        row = reader.run(shown.of[0])
        plate = reader.unit(row.unit, row.unit_n).nameplate
        nominal, drawn = nominal_V(plate, channel.port), drawn_A(shown.at, plate, channel.port)
        if nominal is None or not drawn:
            raise InputError("at no load a filter has nothing to work into: choose a figure under load")
        return partial(_work, reader.path, channel, shown, remedy, nominal, drawn)

    def _plan(self) -> None:
        """The ripple as it is, the change behind a gate, and the ripple once more."""
        unit, rig = self.session.unit, self.session.rig
        if unit is None or rig is None:
            return
        name = " ".join(self.parts.text().split())
        try:
            change = change_to(configuration=name[:60], changes=f"added at the output: {name}")
            plan = both_ways(retest(unit, rig, ["ripple"]), change)
            self.session.revise_plan(plan, "remedy of the ripple, both ways")
        except InputError as error:
            self._wrong(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.planned.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
            return
        super().keyPressEvent(event)


def _work(
    book: Path, channel: CaptureChannel, shown: Shown, remedy: Remedy, nominal_V: float, current_A: float
) -> Iterator[list[str] | str]:
    """In a thread: lines to tell, or what stands in the way."""
    try:
        with BookReader(book) as reader:
            volts = channel.offset + channel.scale * reader.traces.read(channel.sha256)
        found = prediction(volts, shown.capture.step_s, remedy, nominal_V, current_A, line_Hz(shown.at))
        yield lines_of(found, remedy, current_A)
    except ZincsmithError as error:
        yield f"{str(error)[:1].upper()}{str(error)[1:]}."
