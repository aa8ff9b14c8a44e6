"""Photographs of the unit: by drop, paste or file; stored once each, with a caption."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QIcon, QImage, QKeyEvent, QPixmap
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListView, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from zincsmith.model.intake import Photograph
from zincsmith.model.unit import Unit
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.session import Session
from zincsmith.ui.photos.photo_work import prepare
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.panel import button, label, tip
from zincsmith.ui.widgets.rating_edit import RatingEdit

THUMB = 76


class PhotoStrip(QWidget):
    """Thumbnails with captions. Signals: ``captioned`` (the photographs with another caption), ``wrong``."""

    captioned = Signal(tuple)
    wrong = Signal(str)

    def __init__(self, session: Session, thumb: int = THUMB) -> None:
        super().__init__()
        self._session, self._thumb = session, thumb
        self._photos: tuple[Photograph, ...] = ()
        self._icons: dict[str, QIcon] = {}
        self._beside = Beside(self)
        self.setAcceptDrops(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.list = QListWidget()
        self.list.setAccessibleName("Photographs")
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setIconSize(QSize(thumb, thumb))
        self.list.setGridSize(QSize(thumb + 12, thumb + 26))
        self.list.setFont(font(12))
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setAcceptDrops(False)
        self.list.setMinimumHeight(40)
        self.list.currentRowChanged.connect(self._chosen)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.caption = RatingEdit()
        self.caption.setFont(font(13))
        self.caption.setPlaceholderText("caption")
        self.caption.setAccessibleName("Caption of the photograph")
        self.caption.editingFinished.connect(self._name)
        file, self.paste = button("File…", weight=400), button("Paste", weight=400)
        self.take = button("Remove", weight=400)
        file.setAccessibleName("Add a photograph from a file")
        file.clicked.connect(self._file)
        self.paste.setAccessibleName("Paste a photograph")
        self.paste.clicked.connect(self.paste_now)
        self.take.setAccessibleName("Remove the photograph")
        self.take.clicked.connect(self._remove)
        self.empty = label("Drop pictures here, paste them, or choose a file.", 13, 400, "second", wrap=True)
        column.addWidget(self.empty)
        for one in (self.caption, file, self.paste, self.take):
            row.addWidget(one)
        column.addLayout(row)
        self.list.hide()
        self._chosen()

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        self.setEnabled(unit is not None and not locked)
        photos = unit.look.photographs if unit is not None else ()
        missing = any(p.sha256 not in self._icons for p in photos)
        if photos == self._photos and not missing:
            return
        self._photos = photos
        at = self.list.currentRow()
        self.list.blockSignals(True)
        self.list.clear()
        for n, photo in enumerate(photos):
            item = QListWidgetItem(self._icon(photo.sha256), f"{n + 1} {photo.caption}")
            item.setToolTip(tip(photo.caption))
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.list.setCurrentRow(min(max(at, 0), len(photos) - 1))
        self.empty.setVisible(not photos)
        self.list.setVisible(bool(photos))
        self._chosen()

    def _icon(self, sha256: str) -> QIcon:
        if sha256 not in self._icons:
            data = self._session.photo(sha256)
            picture = QPixmap()
            if data is None or not picture.loadFromData(data):
                return QIcon()
            side = 2 * self._thumb
            scaled = picture.scaled(
                side, side, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self._icons[sha256] = QIcon(scaled)
        return self._icons[sha256]

    def _chosen(self, *_: int) -> None:
        at = self.list.currentRow()
        there = 0 <= at < len(self._photos)
        self.caption.setVisible(there)
        self.take.setVisible(there)
        if there and not self.caption.hasFocus():
            self.caption.setText(self._photos[at].caption)

    # Taking in

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() or event.mimeData().hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        data = event.mimeData()
        event.acceptProposedAction()
        if data.hasUrls():
            for url in data.urls():
                if url.isLocalFile():
                    self.take_in(Path(url.toLocalFile()))
                else:
                    self.wrong.emit("Only pictures on this computer can be taken in.")
        elif data.hasImage():
            self.take_in(QImage(data.imageData()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_V and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.paste_now()
        else:
            super().keyPressEvent(event)

    def paste_now(self) -> None:
        """From the clipboard: a picture, or files."""
        data = QGuiApplication.clipboard().mimeData()
        if data is not None and data.hasImage():
            self.take_in(QImage(data.imageData()))
        elif data is not None and data.hasUrls():
            for url in data.urls():
                self.take_in(Path(url.toLocalFile()))
        else:
            self.wrong.emit("The clipboard holds no picture.")

    def _file(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Photographs", "", "Pictures (*.jpg *.jpeg *.png *.bmp *.webp)")
        for name in names:
            self.take_in(Path(name))

    def take_in(self, source: Path | QImage) -> None:
        """Prepare a picture in the background, then store it."""
        self.wrong.emit("")
        prepare(self._beside, source, self._session.add_photo, self.wrong.emit)

    def _name(self) -> None:
        at = self.list.currentRow()
        if 0 <= at < len(self._photos) and self.caption.text().strip() != self._photos[at].caption:
            photos = list(self._photos)
            photos[at] = replace(photos[at], caption=self.caption.text().strip())
            self.captioned.emit(tuple(photos))

    def _remove(self) -> None:
        at = self.list.currentRow()
        if 0 <= at < len(self._photos):
            self.captioned.emit(tuple(p for k, p in enumerate(self._photos) if k != at))
