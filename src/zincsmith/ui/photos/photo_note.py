"""A photograph taken down during the work: from the clipboard or a file, kept with the conditions of the moment."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog, QWidget

from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.photos.photo_work import prepare


class PhotoNote(QObject):
    """``take`` uses a picture on the clipboard, or asks for a file."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self._window, self._session = parent, session
        self._beside = Beside(self)

    def take(self) -> None:
        image = QGuiApplication.clipboard().image()
        if not image.isNull():
            self._prepare(image)
            return
        name, _ = QFileDialog.getOpenFileName(
            self._window, "Photograph", "", "Pictures (*.jpg *.jpeg *.png *.bmp *.webp)"
        )
        if name:
            self._prepare(Path(name))

    def _prepare(self, source: Path | QImage) -> None:
        session = self._session
        prepare(self._beside, source, session.note_photo, lambda why: session.refused.emit("photo", why))
