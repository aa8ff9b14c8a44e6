"""Photographs from anywhere: only pixels come in, upright, and hostile files are refused politely."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import pytest
from PySide6.QtCore import QBuffer, QIODevice, Qt
from PySide6.QtGui import QColor, QImage, QPainter

from zincsmith.model.errors import InputError
from zincsmith.ui.photos.photo_intake import LONGEST_SIDE, MOST_BYTES, prepare, prepare_file

pytestmark = pytest.mark.usefixtures("qapp")


def picture(width: int = 60, height: int = 40, kind: str = "PNG") -> bytes:
    """Left half red, right half blue."""
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(QColor("blue"))
    painter = QPainter(image)
    painter.fillRect(0, 0, width // 2, height, QColor("red"))
    painter.end()
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    assert image.save(out, kind, 95)
    return bytes(out.data().data())


def jpeg_with_exif(orientation: int) -> bytes:
    """A JPEG whose camera was held askew, and that says where it was taken."""
    tiff = b"MM\x00*" + struct.pack(">IH", 8, 2)
    tiff += struct.pack(">HHIHH", 0x0112, 3, 1, orientation, 0) + struct.pack(">HHII", 0x010E, 2, 12, 38)
    tiff += struct.pack(">I", 0) + b"secret place"
    exif = b"Exif\x00\x00" + tiff
    data = picture(60, 40, "JPEG")
    return data[:2] + b"\xff\xe1" + struct.pack(">H", len(exif) + 2) + exif + data[2:]


def png_of_claimed_size(width: int, height: int) -> bytes:
    """A small file that says it is huge."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + header + chunk(b"IDAT", zlib.compress(b"\x00" * 1000)) + chunk(b"IEND", b"")


def test_a_picture_comes_in_upright_and_without_its_metadata() -> None:
    plain = prepare(jpeg_with_exif(1))
    turned = prepare(jpeg_with_exif(6))
    assert (plain.width, plain.height) == (60, 40)
    assert (turned.width, turned.height) == (40, 60)
    for one in (plain, turned):
        assert b"secret" not in one.data
        assert b"Exif" not in one.data
        image = QImage.fromData(one.data)
        assert (image.width(), image.height()) == (one.width, one.height)
    upright = QImage.fromData(turned.data)
    assert upright.pixelColor(20, 10).red() > 200, "turned a quarter clockwise, left is on top"
    assert upright.pixelColor(20, 50).blue() > 200


def test_the_same_picture_has_the_same_name() -> None:
    assert prepare(picture()).sha256 == prepare(picture()).sha256
    assert prepare(picture()).sha256 != prepare(picture(62)).sha256


def test_a_large_picture_is_brought_to_a_sensible_size() -> None:
    found = prepare(picture(LONGEST_SIDE + 1000, 20, "JPEG"))
    assert found.width == LONGEST_SIDE


def test_transparency_becomes_white() -> None:
    image = QImage(20, 20, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.transparent)
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(out, "PNG")
    found = QImage.fromData(prepare(bytes(out.data().data())).data)
    assert found.pixelColor(10, 10).lightness() > 250


@pytest.mark.qt_log_ignore(".*JPEG.*")  # the library's own remark on a damaged picture
@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "no photograph"),
        (b"MZ" + b"\x00" * 500, "no photograph"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>", "no photograph"),
        (png_of_claimed_size(60_000, 60_000), "the most is 80 million pixels"),
        (png_of_claimed_size(2_000_000_000, 2_000_000_000), "no photograph|the most is|no stated size"),
        (picture()[:90], "damaged|no photograph|no stated size"),
        (b"\xff\xd8\xff\xe0" + b"\x00" * 200, "damaged|no stated size|no photograph"),
    ],
    ids=["empty", "program", "script", "bomb", "absurd", "cut", "rubbish"],
)
def test_what_is_no_picture_is_refused_politely(data: bytes, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        prepare(data)


def test_an_oversize_or_absent_file_is_named(tmp_path: Path) -> None:
    big = tmp_path / "big.jpg"
    with big.open("wb") as out:
        out.truncate(MOST_BYTES + 1)
    with pytest.raises(InputError, match="40 MB") as refused:
        prepare_file(big)
    assert str(big) in str(refused.value)
    for absent in (tmp_path / "nowhere.jpg", tmp_path):
        with pytest.raises(InputError, match=r"cannot be read|no photograph"):
            prepare_file(absent)
