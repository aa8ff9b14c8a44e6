"""Preparing a photograph away from the window's thread."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, Signal
from PySide6.QtGui import QImage

from zincsmith.model.errors import InputError
from zincsmith.ui.photo_intake import pack, prepare_file


class Ready(QObject):
    done = Signal(object, str)
    refused = Signal(str)


class Work(QRunnable):
    """Prepares one picture away from the window's thread."""

    def __init__(self, ready: Ready, source: Path | QImage) -> None:
        super().__init__()
        self._ready, self._source = ready, source

    def run(self) -> None:
        try:
            if isinstance(self._source, Path):
                self._ready.done.emit(prepare_file(self._source), self._source.stem[:60])
            else:
                self._ready.done.emit(pack(self._source), "pasted")
        except InputError as error:
            self._ready.refused.emit(str(error))
