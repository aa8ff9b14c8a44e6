"""Taking recorded files in as evidence: what the file holds, at which line, by what it was recorded, who answers."""

from __future__ import annotations

import shutil
import tempfile
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLineEdit, QWidget

from zincsmith.formats.columns import likely
from zincsmith.formats.table_file import read_columns
from zincsmith.model.commands import FileRequest, TakeIn
from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.procedures.catalogue import evidence
from zincsmith.procedures.fields import read_lines
from zincsmith.procedures.intake import Intake
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, button, clear, label

# What is written down outside a run: the conditions first, then what was read; a dash or nothing is not read.
LOOSE = (
    Column("load_percent", "load / %", "%", width=70),
    Column("input_voltage_V", "Vin / V", "V", width=80, kind="voltage"),
    Column("input_current_A", "Iin / A", "A", width=80, kind="current"),
    Column("input_power_W", "Pin / W", "W", width=80, kind="power"),
    Column("power_factor", "PF", "1", width=60),
    Column("output_voltage_V", "V / V", "V", width=80, kind="voltage"),
    Column("output_current_A", "I / A", "A", width=80, kind="current"),
    Column("case_temperature_degC", "case / °C", "degC", stretch=True, kind="temperature"),
)

HEADS = 24  # more columns than these are not offered
FILES = "Columns (*.csv *.txt *.tsv *.json *.h5 *.hdf5 *.npy *.npz);;All files (*)"


def heads_of(files: tuple[Path, ...]) -> tuple[str, ...]:
    """The heads of all files, each once; none where one cannot be read: taking it in says why."""
    try:
        return tuple(dict.fromkeys(h for f in files for h in read_columns(f).values))
    except ZincsmithError:
        return ()


def kind_of(heads: tuple[str, ...]) -> str:
    """What a file with these heads most likely holds; empty where they do not tell."""
    for kind, (_, one) in evidence().items():
        if one.tells and set(one.tells) <= set(likely(heads, list(one.wanted))):
            return kind
    return ""


class FileIntake(Panel):
    """Hidden until it is asked for. Signal ``left`` when it closes again."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__("Take in files and readings", "they become a run of this unit, judged like any other")
        self.session = session
        self.files: tuple[Path, ...] = ()
        self._rows: list[Row] = []
        self._written_to: Path | None = None
        self.accuracy: Path | None = None
        self.holds = Choice()
        self.holds.setAccessibleName("What the file holds")
        for _, one in sorted(evidence().values(), key=lambda found: found[1].written):
            self.holds.addItem(one.words, one.kind)
        self.holds.activated.connect(self._said)
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
        self._heads: tuple[str, ...] = ()
        self._kind_said = False  # by a person; until then the heads tell
        self._picks: dict[str, Choice] = {}
        self.columns = QWidget()
        self._column_grid = QGridLayout(self.columns)
        self._column_grid.setContentsMargins(0, 0, 0, 0)
        self._column_grid.setHorizontalSpacing(10)
        self._column_grid.setVerticalSpacing(4)
        self._column_grid.setColumnStretch(8, 1)
        self._beside = Beside(self)
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
        self.body.addWidget(self.columns)
        self.loose = EditTable("Readings written down", LOOSE)
        self.loose.setFixedHeight(150)
        self.loose.edited.connect(self._written)
        self.loose.wrong.connect(self.problem.setText)
        self.loose.show_rows([])
        self.body.addWidget(self.loose)
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
        self._heads = ()
        self._show_columns()
        self.take.setEnabled(not files)  # until the heads are known
        if files:
            self._beside.start(lambda: (heads_of(files),), lambda heads: self._show_heads(files, heads))

    def _show_heads(self, files: tuple[Path, ...], heads: tuple[str, ...]) -> None:
        if files == self.files:
            self._heads = heads
            self.take.setEnabled(True)
            if not self._kind_said and (kind := kind_of(heads)):
                self.holds.setCurrentIndex(self.holds.findData(kind))
            self._fit()

    def _show_columns(self) -> None:
        """Which column of the file is what, as far as its name tells; a person says the rest."""
        clear(self._column_grid)
        self._picks = {}
        wanted = self._intake().wanted
        guessed = likely(self._heads, list(wanted))
        for at, (name, words) in enumerate(wanted.items() if self._heads else ()):
            pick = Choice()
            pick.setAccessibleName(f"Column: {words}")
            pick.setFont(font(13, 600))
            pick.setFixedWidth(168)
            pick.addItem("not in the file", "")
            for head in self._heads[:HEADS]:
                pick.addItem(head, head)
            pick.setCurrentIndex(max(0, pick.findData(guessed.get(name, ""))))
            row, column = divmod(at, 4)
            self._column_grid.addWidget(label(words, 13, 400, "second"), row, 2 * column)
            self._column_grid.addWidget(pick, row, 2 * column + 1)
            self._picks[name] = pick
        self.columns.setVisible(bool(self._picks))

    def _choose(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Recorded files", "", FILES)
        if names:
            self.name_files(tuple(Path(n) for n in names))

    def _choose_sheet(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "How good each column is", "", "TOML (*.toml)")
        self.accuracy = Path(name) if name else None
        self.sheet.setText(self.accuracy.name if self.accuracy is not None else "Accuracy file…")

    def _said(self) -> None:
        self._kind_said = True
        self._fit()

    def _intake(self) -> Intake:
        return evidence()[self.holds.currentData()][1]

    def _fit(self) -> None:
        """What the file says itself need not be said."""
        intake = self._intake()
        self.load.setEnabled(intake.asks_load)
        self.loose.setVisible(intake.written)
        for one in (self.choose, self.sheet):
            one.setEnabled(not intake.written)
        if intake.written:
            self.named.setText("type below; each row is a point")
            self.loose.setFocus()
        self._show_columns()
        self.line.setPlaceholderText(intake.line_for or "230 50")

    def take_in(self) -> None:
        """Hand it to the engine; what is wrong with what was typed is said here, nothing is lost."""
        try:
            request = self._request()
        except InputError as error:
            self.problem.setText(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.problem.setText("Reading…")
        self.session.send(TakeIn(self.session.unit_key, request))

    def _written(self, rows: list[Row]) -> None:
        self._rows = [row for row in rows if any(row.get(c.key) is not None for c in LOOSE)]
        self.problem.setText("")
        self.loose.show_rows(self._rows)

    def _write_down(self) -> Path:
        """What was typed as a table of its own, which goes into the book as it stands. InputError for no row."""
        if not self._rows:
            raise InputError("write down at least one row: its line, its load, and what was read")
        used = [c.key for c in LOOSE if any(row.get(c.key) is not None for row in self._rows)]
        lines = [",".join(used)]
        lines += [",".join("" if row.get(k) is None else f"{row[k]:.10g}" for k in used) for row in self._rows]
        if self._written_to is None:  # one that was refused goes to the same place again
            self._written_to = Path(tempfile.mkdtemp(prefix="zincsmith-"))
        file = self._written_to / f"written down {datetime.now():%Y-%m-%d %H.%M}.csv"
        file.write_text("\n".join(lines) + "\n", "utf-8")
        return file

    def _request(self) -> FileRequest:
        intake = self._intake()
        if not intake.written and not self.files:
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
        files = [self._write_down()] if intake.written else self.files
        return FileRequest(
            kind=intake.kind,
            files=tuple(f.absolute() for f in files),
            operator=self.operator.text().strip(),
            line=lines[0] if lines else None,
            load_percent=load,
            instrument=self.recorder.text().strip(),
            accuracy=self.accuracy,
            called={name: head for name, pick in self._picks.items() if (head := pick.currentData())},
        )

    def _refused(self, do: str, reason: str) -> None:
        if do == "take in":
            self.problem.setText(reason)

    def taken(self) -> None:
        """It is in the book."""
        self.problem.setText("")
        self.name_files(())
        self._kind_said = False
        self._rows = []
        self.loose.show_rows([])
        if self._written_to is not None:  # it is in the book now
            shutil.rmtree(self._written_to, ignore_errors=True)
            self._written_to = None
        self.leave()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
            return
        super().keyPressEvent(event)
