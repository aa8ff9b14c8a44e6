"""Preparing a photograph away from the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

from PySide6.QtGui import QImage

from zincsmith.model.errors import InputError
from zincsmith.ui.beside import Beside
from zincsmith.ui.photos.photo_intake import Prepared, pack, prepare_file

Take = Callable[[Prepared, str], object]


def prepare(beside: Beside, source: Path | QImage, take: Take, refused: Callable[[str], object]) -> None:
    """Prepare one picture: ``take`` is given it with its caption, ``refused`` the reason why it is none."""

    def told(found: tuple[Prepared, str] | str) -> None:
        if isinstance(found, str):
            refused(found)
        else:
            take(*found)

    beside.start(partial(_prepared, source), told)


def _prepared(source: Path | QImage) -> Iterator[tuple[Prepared, str] | str]:
    try:
        if isinstance(source, Path):
            yield prepare_file(source), source.stem[:60]
        else:
            yield pack(source), "pasted"
    except InputError as error:
        yield str(error)
