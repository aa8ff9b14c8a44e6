"""Commands and answers as lines between window and engine: the name, a tab, the record as JSON."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from zincsmith.book.codec import dump, load
from zincsmith.model.answers import ANSWERS, Answer
from zincsmith.model.commands import COMMANDS, Command
from zincsmith.model.errors import BookError

T = TypeVar("T")


def line_of(message: Command | Answer) -> bytes:
    """One message as a line."""
    name = message.do if isinstance(message, Command) else message.says
    return f"{name}\t{dump(message)}\n".encode()


def command_of(line: bytes) -> Command:
    """The command that a line says. BookError when it is none."""
    return _read(line, COMMANDS)


def answer_of(line: bytes) -> Answer:
    """The answer that a line says. BookError when it is none."""
    return _read(line, ANSWERS)


def _read(line: bytes, kinds: Mapping[str, type[T]]) -> T:
    name, _, body = line.decode(errors="replace").partition("\t")
    if name not in kinds:
        raise BookError(f"window and engine do not understand each other: nothing is called {name[:40]!r} between them")
    try:
        return load(kinds[name], body)
    except BookError as error:
        raise BookError(f"window and engine do not understand each other: {name}: {error}") from error
