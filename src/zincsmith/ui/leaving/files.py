"""What leaves the book: report and files, each written by a process of its own, because drawing takes seconds."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from zincsmith.judge.conventions import as_options
from zincsmith.judge.judging import JudgedRun
from zincsmith.procedures.base import Conventions


class Leaving(QObject):
    """Signal ``said`` carries what is going on, in words, and at last whether it is there."""

    said = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._window = parent
        self._process: QProcess | None = None

    def ask_report(self, book: Path, run: JudgedRun) -> None:
        """Ask where, then write the report."""
        name = f"{run.unit.tag}-run-{run.row.id}.pdf"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save the report", name, "Report (*.pdf *.html)")
        if chosen:
            self.report(book, run.row.id, Path(chosen), run.conventions)

    def ask_folder(self, book: Path, run: JudgedRun) -> None:
        """Ask where, then write readings, findings and log as files."""
        chosen = QFileDialog.getExistingDirectory(self._window, "A folder for readings, findings and log")
        if chosen:
            folder = Path(chosen) / f"{run.unit.tag}-run-{run.row.id}"
            self.folder(book, run.row.id, folder, run.conventions)

    def report(self, book: Path, run: int, file: Path, conventions: Conventions | None = None) -> None:
        """As PDF or HTML, by the name; ``conventions`` are those in force where it leaves from."""
        self._start("report", book, run, file, "report", conventions)

    def folder(self, book: Path, run: int, folder: Path, conventions: Conventions | None = None) -> None:
        self._start("export", book, run, folder, "files", conventions)

    def _start(self, command: str, book: Path, run: int, out: Path, what: str, conventions: Conventions | None) -> None:
        if self._process is not None:
            self.said.emit("One thing at a time: something is still being written.")
            return
        self.said.emit(f"Writing the {what}…")
        process = QProcess(self)
        self._process = process
        process.finished.connect(lambda code, _status: self._ended(process, code, out, what))
        told = ["--run", str(run), "-o", str(out), *as_options(conventions or Conventions())]
        process.start(sys.executable, ["-m", "zincsmith.cli", command, str(book), *told])

    def _ended(self, process: QProcess, code: int, out: Path, what: str) -> None:
        error = bytes(process.readAllStandardError().data()).decode(errors="replace").strip()
        process.deleteLater()
        self._process = None
        saved = "Report saved" if what == "report" else "Files saved in"
        self.said.emit(f"{saved}: {out.name}" if code == 0 else f"The {what} could not be written: {error[-200:]}")
