"""Everything that can go wrong outside our own code.

    ZincsmithError
        InputError          a file, a field or an argument that cannot be used; says where
            LimitError      a setting beyond what unit, rig or plan allow
        InstrumentError     an instrument did not do what it was asked; says which, where, and during what
            Lost            nobody there, or the connection went away
            Late            no answer in time
            Garbled         an answer that is not in the agreed form
            Refused         the instrument reported an error, or its read-back differs from what was set
        BookError           the document on disk
            TooNew          written by a later version
            Full            no room left
            Busy            open for writing elsewhere

An abort and a tripped watch are outcomes of a run, not errors. Anything else is a bug.
"""

from __future__ import annotations


class ZincsmithError(Exception):
    """Base of all; its text is one sentence a person can act on."""


class InputError(ZincsmithError):
    """``file``, ``line`` and ``column`` (from 1) and ``key`` say where, as far as they are known."""

    def __init__(
        self,
        message: str,
        *,
        file: str | None = None,
        key: str | None = None,
        line: int | None = None,
        column: int | None = None,
    ) -> None:
        place = [str(file)] if file else []
        if line:
            place.append(f"line {line}" + (f", column {column}" if column else ""))
        if key:
            place.append(key)
        super().__init__(f"{': '.join(place)}: {message}" if place else message)
        self.message, self.file, self.key, self.line, self.column = message, file, key, line, column


class LimitError(InputError):
    """A setting that would exceed a limit; refused before it is sent."""


class InstrumentError(ZincsmithError):
    """``during`` is the command or query that failed."""

    def __init__(self, message: str, *, role: str, address: str, during: str = "") -> None:
        doing = f' during "{during}"' if during else ""
        super().__init__(f"{role.replace('_', ' ')} at {address}: {message}{doing}")
        self.message, self.role, self.address, self.during = message, role, address, during


class Lost(InstrumentError):
    """The connection could not be made, or went away."""


class Late(InstrumentError):
    """No answer within the time allowed."""


class Garbled(InstrumentError):
    """An answer that cannot be read."""


class Refused(InstrumentError):
    """The instrument did not accept a setting."""


class BookError(ZincsmithError):
    """The book cannot be used as asked."""


class TooNew(BookError):
    """Written by a later version of the program."""


class Full(BookError):
    """The disk has no room for the next event."""


class Busy(BookError):
    """Another program has the book open for writing."""
