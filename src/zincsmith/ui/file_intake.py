"""Taking recorded files in as evidence: what the file holds, at which line, by what it was recorded, who answers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLineEdit, QWidget

from zincsmith.model.errors import InputError
from zincsmith.ui.plan.options_form import read_lines
from zincsmith.ui.session import Session
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import Panel, button, label

HOLDS = (
    ("a table of points: efficiency and regulation", "points"),
    ("watts over time: standby power", "standby"),
    ("volts and amps over time: harmonics", "power"),
)
FILES = "Columns (*.csv *.txt *.tsv *.json *.h5 *.hdf5 *.npy *.npz);;All files (*)"


class FileIntake(Panel):
    """Hidden until it is asked for. Signal ``left`` when it closes again."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__("Take in recorded files", "they become a run of this unit, judged like any other")
        self.session = session
        self.files: tuple[Path, ...] = ()
        self.accuracy: Path | None = None
        self.holds = Choice()
        self.holds.setAccessibleName("What the file holds")
        for words, kind in HOLDS:
            self.holds.addItem(words, kind)
        self.holds.activated.connect(self._fit)
        self.choose = button("Choose files…")
        self.choose.clicked.connect(self._choose)
        self.named = label("no file yet", 13, 600)
        self.named.setMinimumWidth(1)
        self.line = self._edit("Line, V Hz", "230 50")
        self.load = self._edit("Load, %", "100")
        self.recorder = self._edit("Recorded by", "the rig's own instruments")
        self.operator = self._edit("Who answers for it", "name")
        self.sheet = button("Accuracy file…")
        self.sheet.clicked.connect(self._choose_sheet)
        self.take = button("Take in", "main")
        self.take.clicked.connect(self.take_in)
        self.leave_button = button("Leave  Esc")
        self.leave_button.clicked.connect(self.leave)
        self.problem = label("", 13, 400, "problem", wrap=True)
        self._lay_out()
        session.refused.connect(self._refused)
        self._fit()
        self.hide()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        rows: tuple[tuple[str, QWidget, str, QWidget], ...] = (
            ("It holds", self.holds, "Line, V Hz", self.line),
            ("Files", self.choose, "Load, %", self.load),
            ("Recorded by", self.recorder, "Who answers for it", self.operator),
            ("How good it is", self.sheet, "", self.take),
        )
        for at, (words, edit, other_words, other) in enumerate(rows):
            for column, (text, widget) in ((0, (words, edit)), (3, (other_words, other))):
                name = label(text, 13, 400, "second")
                name.setBuddy(widget)
                grid.addWidget(name, at, column)
                grid.addWidget(widget, at, column + 1)
        grid.addWidget(self.named, 1, 2)
        grid.addWidget(self.leave_button, 3, 5)
        grid.setColumnStretch(2, 1)
        grid.setColumnMinimumWidth(4, 240)
        self.body.addLayout(grid)
        self.body.addWidget(self.problem)

    @staticmethod
    def _edit(name: str, hint: str) -> QLineEdit:
        made = QLineEdit()
        made.setFont(font(13, 600))
        made.setAccessibleName(name)
        made.setPlaceholderText(hint)
        return made

    def begin(self) -> None:
        """Show it, with what is known filled in."""
        opened = self.session.view.opened
        if opened is not None and not self.operator.text():
            self.operator.setText(opened.operator)
            self.operator.setCursorPosition(0)
        self.problem.setText("")
        self.show()
        self.choose.setFocus()

    def leave(self) -> None:
        self.hide()
        self.left.emit()

    def name_files(self, files: tuple[Path, ...]) -> None:
        self.files = files
        self.named.setText(", ".join(f.name for f in files) or "no file yet")

    def _choose(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Recorded files", "", FILES)
        if names:
            self.name_files(tuple(Path(n) for n in names))

    def _choose_sheet(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "How good each column is", "", "TOML (*.toml)")
        self.accuracy = Path(name) if name else None
        self.sheet.setText(self.accuracy.name if self.accuracy is not None else "Accuracy file…")

    def _fit(self) -> None:
        """What the file says itself need not be said."""
        kind = self.holds.currentData()
        self.load.setEnabled(kind == "power")
        self.line.setPlaceholderText("for volts that are no line of the unit" if kind == "points" else "230 50")

    def take_in(self) -> None:
        """Hand it to the engine; what is wrong with what was typed is said here, nothing is lost."""
        try:
            body = self._body()
        except InputError as error:
            self.problem.setText(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.problem.setText("Reading…")
        self.session.send("take in", unit=self.session.unit_key, **body)

    def _body(self) -> dict[str, Any]:
        if not self.files:
            raise InputError("choose a file first")
        lines = read_lines(self.line.text())
        if len(lines) > 1:
            raise InputError("one line: volts and hertz, such as 230 50")
        try:
            load = float(self.load.text() or 100.0)
        except ValueError:
            raise InputError(f"{self.load.text()!r} is no load in percent") from None
        if not self.operator.text().strip():
            raise InputError("somebody answers for a file: say who")
        return {
            "kind": self.holds.currentData(),
            "files": [str(f.absolute()) for f in self.files],
            "line": [lines[0].voltage_V, lines[0].frequency_Hz] if lines else None,
            "load_percent": load,
            "instrument": self.recorder.text().strip(),
            "accuracy": str(self.accuracy) if self.accuracy is not None else "",
            "operator": self.operator.text().strip(),
        }

    def _refused(self, do: str, reason: str) -> None:
        if do == "take in":
            self.problem.setText(reason)

    def taken(self) -> None:
        """It is in the book."""
        self.problem.setText("")
        self.name_files(())
        self.leave()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
            return
        super().keyPressEvent(event)
