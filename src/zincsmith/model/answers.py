"""What the engine says to a window: one record each. ``says`` is its name on the wire."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from zincsmith.model.states import State


@dataclass(frozen=True)
class Answer:
    """Something said by the engine."""

    says: ClassVar[str] = ""


@dataclass(frozen=True)
class Ready(Answer):
    """The book is open; ``interrupted``: the runs that were found without an end."""

    says: ClassVar[str] = "ready"
    state: State
    interrupted: tuple[int, ...]


@dataclass(frozen=True)
class News(Answer):
    """The book holds everything up to event ``seq``."""

    says: ClassVar[str] = "news"
    seq: int
    state: State


@dataclass(frozen=True)
class DocumentsChanged(Answer):
    """A document command has been dealt with, obeyed or refused."""

    says: ClassVar[str] = "documents"


@dataclass(frozen=True)
class Refused(Answer):
    """Why the command named ``do`` was not obeyed."""

    says: ClassVar[str] = "refused"
    do: str
    reason: str


@dataclass(frozen=True)
class TakenIn(Answer):
    """Files became this run."""

    says: ClassVar[str] = "taken in"
    run: int


@dataclass(frozen=True)
class Tried(Answer):
    """What an instrument answered: its identity, and readings by quantity."""

    says: ClassVar[str] = "tried"
    role: str
    identity: str
    readings: Mapping[str, tuple[float, ...]]


@dataclass(frozen=True)
class Scanned(Answer):
    """(address, identity) of whoever answered."""

    says: ClassVar[str] = "scanned"
    found: tuple[tuple[str, str], ...]


ANSWERS: Mapping[str, type[Answer]] = {one.says: one for one in Answer.__subclasses__()}
