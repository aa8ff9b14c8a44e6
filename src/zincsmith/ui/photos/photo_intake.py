"""Photographs from outside: checked, turned upright, freed of metadata, brought to a sensible size."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PySide6.QtGui import QImage, QImageReader, QImageWriter, QPainter

from zincsmith.model.errors import InputError

MOST_BYTES = 40_000_000
MOST_PIXELS = 80_000_000
LONGEST_SIDE = 3000
FORMATS = ("jpeg", "jpg", "png", "bmp", "webp")


@dataclass(frozen=True)
class Prepared:
    """A photograph ready for the book: JPEG, upright, nothing but pixels."""

    data: bytes
    sha256: str
    width: int
    height: int
    type: str = "image/jpeg"


def prepare_file(file: Path) -> Prepared:
    """InputError when the file is no picture, too large or damaged."""
    try:
        if file.stat().st_size > MOST_BYTES:
            raise InputError("larger than 40 MB; take a smaller copy", file=str(file))
        data = file.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    try:
        return prepare(data)
    except InputError as error:
        raise InputError(error.message, file=str(file)) from None


def prepare(data: bytes) -> Prepared:
    """From the bytes of a picture file. The size is looked at before anything is unpacked."""
    if len(data) > MOST_BYTES:
        raise InputError("larger than 40 MB; take a smaller copy")
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setDecideFormatFromContent(True)
    reader.setAutoTransform(True)
    kind = bytes(reader.format().data()).decode("ascii", "replace")
    if kind not in FORMATS:
        raise InputError("this is no photograph that can be read: JPEG, PNG, BMP or WebP")
    size = reader.size()
    if not size.isValid() or size.width() * size.height() > MOST_PIXELS:
        shown = f"{size.width()} x {size.height()} pixels" if size.isValid() else "of no stated size"
        raise InputError(f"the picture is {shown}; the most is {MOST_PIXELS // 1_000_000} million pixels")
    image = reader.read()
    if image.isNull():
        raise InputError(f"the picture is damaged: {reader.errorString().rstrip('.').lower()}")
    return pack(image)


def pack(image: QImage) -> Prepared:
    """Only the pixels, on white where the picture was transparent."""
    if max(image.width(), image.height()) > LONGEST_SIDE:
        image = image.scaled(
            QSize(LONGEST_SIDE, LONGEST_SIDE),
            Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
    clean = QImage(image.size(), QImage.Format.Format_RGB32)
    clean.fill(Qt.GlobalColor.white)
    painter = QPainter(clean)
    painter.drawImage(0, 0, image)
    painter.end()
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QImageWriter(out, QByteArray(b"jpeg"))
    writer.setQuality(88)
    if not writer.write(clean):
        raise InputError("the picture could not be packed")
    data = bytes(out.data().data())
    return Prepared(data, hashlib.sha256(data).hexdigest(), clean.width(), clean.height())
