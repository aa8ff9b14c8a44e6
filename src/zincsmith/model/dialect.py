"""Command dialects: how the operations of a role are said to one kind of instrument."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.record import Record, Span
from zincsmith.model.rig import Accuracy
from zincsmith.model.roles import FURTHER, NEEDED, RECORDING


def known_operations(role: str) -> tuple[str, ...]:
    """Everything a dialect of a role may say: what is needed, ranges of what it reads, the error queue."""
    ranges = [f"{do}_range_{q.name}" for q in QUANTITIES.values() if q.role == role for do in ("set", "get")]
    return (*NEEDED[role], *FURTHER.get(role, ()), *ranges, "next_error")


@dataclass(frozen=True)
class Operation(Record):
    """Either a command with ``{value}`` in it, or a query with the form of its reply.

    ``quantities`` names what the numbers of a reading are, in their order; ``settle_s`` is waited after a command,
    before anything else is asked; ``place`` says which number of a reply of several is meant, from 1.
    """

    command: str | None = None
    query: str | None = None
    reply: Literal["number", "numbers", "boolean", "word", "error", "block"] | None = None
    quantities: tuple[str, ...] = ()
    settle_s: float = 0.0
    place: int | None = None

    @property
    def to_say(self) -> str:
        """Its command. ValueError for a query: a dialect file that has it so is refused before."""
        if self.command is None:
            raise ValueError("a query was used as a command")
        return self.command

    @property
    def to_ask(self) -> str:
        """Its query. ValueError for a command."""
        if self.query is None:
            raise ValueError("a command was used as a query")
        return self.query


@dataclass(frozen=True)
class Quirks(Record):
    """``termination`` ends a line both ways; ``completion`` asks whether a setting is done before going on;
    ``reads_back`` False is an instrument that cannot say what it was set to; ``retries`` is how often something that
    failed is tried again, over a fresh connection, before the instrument is given up. ``code`` is what a sample of a
    scope is, signed or not and in bytes, ``big_endian`` whether its first byte is the greater."""

    termination: Literal["LF", "CR LF", "CR"] = "LF"
    completion: bool = False
    reads_back: bool = True
    retries: int = 0
    code: Literal["i1", "u1", "i2", "u2"] = "i1"
    big_endian: bool = False


@dataclass(frozen=True)
class Dialect(Record):
    """``limits`` holds by what is set (voltage, current ...) the least and the most this instrument takes.

    ``accuracy`` is its data sheet by range, for a rig that states none of its own.
    """

    role: str
    words: str
    operation: dict[str, Operation]
    limits: dict[str, Span] = field(default_factory=dict)
    quirks: Quirks = Quirks()
    accuracy: tuple[Accuracy, ...] = ()

    @property
    def records(self) -> bool:
        """Whether it gives waveforms."""
        return all(name in self.operation for name in RECORDING)
