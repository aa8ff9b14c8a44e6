"""How a text file of columns is written: encoding, delimiter, decimal sign, where its head and its numbers begin."""

from __future__ import annotations

import codecs
import csv
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from zincsmith.formats.units_text import unit_of
from zincsmith.model.errors import InputError

HEAD_BYTES = 1 << 16
MOST_PREAMBLE = 400  # lines before the numbers begin
LOOKED_AT = 12  # rows of numbers that have to agree
EXPORT = "Export it again as text: comma, semicolon or tab between columns, one head row, one row a sample."
_NUMBER = {
    ".": re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eEdD][+-]?\d+)?"),
    ",": re.compile(r"[+-]?(?:\d+,?\d*|,\d+)(?:[eEdD][+-]?\d+)?"),
}
_WORDS = {"", "nan", "na", "n/a", "null", "none", "inf", "+inf", "-inf", "infinity", "-infinity", "-", "--"}


@dataclass(frozen=True)
class Dialect:
    """``first`` is the line, from 1, on which the numbers begin; ``names`` are the heads as they stand, without quotes,
    ``units`` the row of units below them, empty when there is none. ``passed`` counts lines before the head.
    """

    encoding: str
    delimiter: str
    decimal: str
    first: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    passed: int
    headed: bool


def encoding_of(file: Path, head: bytes) -> str:
    """The encoding by its mark or by its looks. InputError for what is no text."""
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if head.startswith(mark):
            return name
    zeros = head.count(0)
    if zeros:
        odd = head[1::2].count(0)
        if zeros > 0.3 * len(head) and max(odd, zeros - odd) > 0.9 * zeros:
            return "utf-16-le" if odd > zeros - odd else "utf-16-be"
        raise InputError(f"this is no text: byte 0 at place {head.index(0)}. {EXPORT}", file=str(file))
    control = sum(b < 32 and b not in (9, 10, 11, 12, 13, 26) for b in head)
    if control > 0.02 * len(head):
        raise InputError(
            f"this is no text: {control} control characters among its first bytes. {EXPORT}", file=str(file)
        )
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def look_at(file: Path) -> Dialect:
    """Read the beginning of a file and say how it is written. InputError when no numbers in columns are found."""
    try:
        with file.open("rb") as source:
            head = source.read(HEAD_BYTES)
            more = bool(source.read(1))
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    if not head.strip():
        raise InputError(f"the file is empty. {EXPORT}", file=str(file))
    encoding = encoding_of(file, head)
    lines = head.decode(encoding, errors="ignore").splitlines()
    if more and lines:
        lines.pop()  # cut by where reading stopped
    found = []
    for delimiter in (";", "\t", ",", "|", " "):
        if delimiter == "," or any(delimiter in line for line in lines):
            made = _with(lines, delimiter, encoding)
            found += [made] if made is not None else []
    if not found:
        raise InputError(f"no rows of numbers are found in its first {len(lines)} lines. {EXPORT}", file=str(file))
    # More columns first; of the same number the rarer sign, which stands higher in the list.
    return max(found, key=lambda d: (len(d.names) > 1, -d.first, len(d.names)))


def cells_of(line: str, delimiter: str) -> list[str]:
    """The cells of a line, without quotes and blanks around them."""
    if delimiter == " ":
        return line.split()
    if '"' in line:
        return [c.strip() for c in next(csv.reader([line], delimiter=delimiter), [])]
    return [c.strip() for c in line.split(delimiter)]


def is_number(cell: str, decimal: str) -> bool:
    return _NUMBER[decimal].fullmatch(cell) is not None


def _numeric(cells: Sequence[str], decimal: str) -> bool:
    """Whether a row is one of numbers: each cell a number or a word for none, half of them numbers."""
    known = [is_number(c, decimal) for c in cells]
    return all(k or c.lower() in _WORDS for k, c in zip(known, cells, strict=True)) and 2 * sum(known) >= len(cells)


def _with(lines: Sequence[str], delimiter: str, encoding: str) -> Dialect | None:
    rows = [cells_of(line, delimiter) for line in lines[: MOST_PREAMBLE + LOOKED_AT]]
    for decimal in (".", ","):
        for first in range(min(len(rows), MOST_PREAMBLE)):
            width = len(rows[first])
            if not _numeric(rows[first], decimal):
                continue
            after = [r for r in rows[first : first + LOOKED_AT] if any(r)]
            fitting = sum(len(r) == width and _numeric(r, decimal) for r in after)
            if fitting < max(1, len(after) - 1) or (width == 1 and delimiter != ","):
                continue
            return _headed(rows, first, width, delimiter, decimal, encoding)
    return None


def _headed(rows: list[list[str]], first: int, width: int, delimiter: str, decimal: str, encoding: str) -> Dialect:
    """Find the head, and a row of units below it, right before the numbers."""

    def row(at: int) -> list[str] | None:
        while at >= 0 and not any(rows[at]):
            at -= 1
        if at < 0:
            return None
        cells = rows[at]
        if len(cells) > width and not any(cells[width:]):
            cells = cells[:width]
        return cells if len(cells) == width and any(cells) else None

    above, higher = row(first - 1), row(first - 2)
    names: list[str] | None = above
    units: list[str] = []
    if above is not None and higher is not None and all(not c or unit_of(c) is not None for c in above):
        names, units = higher, above
    if names is None:
        return Dialect(
            encoding, delimiter, decimal, first + 1, tuple(str(n + 1) for n in range(width)), (), first, False
        )
    names[0] = names[0].lstrip("#% ")  # a head that is written as a remark
    passed = first - 1 - bool(units)
    return Dialect(encoding, delimiter, decimal, first + 1, tuple(names), tuple(units), max(0, passed), True)
