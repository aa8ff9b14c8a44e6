"""Files of columns from outside: CSV of any sane dialect, JSON, HDF5, NumPy. Accepted whole, or refused whole.

What is certain is accepted and noted: preambles, units, blank cells, NaN and SCPI's 9.91E+37 (not a number), a last
line that was cut. What is not is refused with file, line, column, reason and remedy.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from zincsmith.formats.columns import Array, Columns, refuse_large
from zincsmith.formats.delimited import EXPORT, Dialect, cells_of, is_number, look_at
from zincsmith.formats.structured_file import READERS
from zincsmith.model.errors import InputError

MOST_BYTES_TEXT = 256_000_000
NOT_A_NUMBER, INFINITE = 9.91e37, 9.9e37  # SCPI-1999, volume 1, 7.2.1 (from memory)
NEAR = 1e33
NOTHING = ["", "nan", "NaN", "NAN", "NA", "N/A", "n/a", "null", "NULL", "None", "none", "-", "--", "-nan", "-NaN"]


def read_columns(file: Path) -> Columns:
    """Read a file by its suffix, else as text. InputError with line and column for whatever is refused."""
    if not file.is_file():
        raise InputError("there is no such file", file=str(file))
    suffix = file.suffix.lower()
    refuse_large(file, MOST_BYTES_TEXT)
    found = READERS[suffix](file) if suffix in READERS else _from_text(file)
    return _without_markers(found)


def _without_markers(found: Columns) -> Columns:
    """Turn SCPI's not-a-number into NaN, count what is missing, refuse what is infinite or empty."""
    if not found.values or not len(next(iter(found.values.values()))):
        raise InputError(f"there are no rows of numbers. {EXPORT}", file=str(found.file))
    notes, values = list(found.notes), dict(found.values)
    for head, column in found.values.items():
        # The sum of squares tells at once whether there is anything to mark or to count.
        with np.errstate(over="ignore", invalid="ignore"):
            clean = float(np.dot(column, column)) < (INFINITE - NEAR) ** 2
        if clean:
            continue
        greatest = max(abs(float(np.fmax.reduce(column))), abs(float(np.fmin.reduce(column))))
        if not greatest < INFINITE - NEAR:
            marked = np.abs(np.abs(column) - NOT_A_NUMBER) < NEAR
            over = np.isinf(column) | (np.abs(np.abs(column) - INFINITE) < NEAR)
            if over.any():
                at = int(np.flatnonzero(over)[0])
                raise InputError(
                    "the cell is infinite: the instrument was over its range. Record again on a larger range, or leave "
                    "that row out",
                    file=str(found.file),
                    line=_line_of(found, at),
                    key=head,
                )
            column = np.where(marked, np.nan, column)
            values[head] = column
        missing = len(column) - int(np.count_nonzero(column == column))
        if missing:
            notes.append(f"{missing} {'cell' if missing == 1 else 'cells'} of {head!r} without a value")
    return Columns(found.file, values, found.units, found.twice, found.line, tuple(notes))


def _line_of(found: Columns, row: int) -> int | None:
    if found.line is None:
        return None
    dialect = look_at(found.file)
    for n, (line, text) in enumerate(_rows_of(found.file, dialect)):
        if n == row:
            return line
        del text
    return None


# Text


def _from_text(file: Path) -> Columns:
    dialect = look_at(file)
    notes = []
    if dialect.passed:
        notes.append(f"{dialect.passed} {'line' if dialect.passed == 1 else 'lines'} before the head passed over")
    if not dialect.headed:
        notes.append("no head: columns are called by their number")
    columns, more = _parse(file, dialect)
    names = [name or f"column {n}" for n, name in enumerate(dialect.names, 1)]
    values: dict[str, Array] = {}
    units: dict[str, str] = {}
    twice = []
    for n, (name, column) in enumerate(zip(names, columns, strict=True), 1):
        if not dialect.names[n - 1] and not np.any(column == column):
            continue  # what follows a delimiter at the end of each line
        if name in values:
            twice.append(name)
            name = f"{name} ({n})"
        values[name] = column
        if dialect.units and dialect.units[n - 1]:
            units[name] = dialect.units[n - 1]
    return Columns(file, values, units, tuple(twice), dialect.first, (*notes, *more))


def _parse(file: Path, dialect: Dialect) -> tuple[list[Array], list[str]]:
    """All numbers of a text file, column by column, and notes. InputError at the first cell that is none."""
    import pyarrow as pa
    from pyarrow import csv

    width = len(dialect.names)
    names = [str(n) for n in range(width)]
    broken: list[tuple[int, str]] = []

    def ragged(row: Any) -> str:
        broken.append((row.actual_columns, row.text))
        return "skip"

    try:
        table = csv.read_csv(
            _source(file, dialect),
            read_options=csv.ReadOptions(
                column_names=names, skip_rows=dialect.first - 1, encoding=dialect.encoding.removesuffix("-sig")
            ),
            parse_options=csv.ParseOptions(
                delimiter="\t" if dialect.delimiter == " " else dialect.delimiter,
                invalid_row_handler=ragged,
            ),
            convert_options=csv.ConvertOptions(
                column_types={n: pa.float64() for n in names},
                null_values=NOTHING,
                decimal_point=dialect.decimal,
            ),
        )
    except (pa.ArrowInvalid, pa.ArrowKeyError, UnicodeDecodeError) as error:
        _refuse_first_wrong(file, dialect)
        raise InputError(
            f"cannot be read as columns of numbers ({str(error)[:99]}). {EXPORT}", file=str(file)
        ) from None
    notes = _cut_or_refused(file, dialect, broken) if broken else []
    left = [table.column(n) for n in reversed(range(width))]
    del table  # each column is let go once it is taken, so that nothing stands in memory twice
    return [_as_array(left.pop()) for _ in range(width)], notes


def _as_array(column: Any) -> Array:
    """One column as an array, NaN where there is no value.

    Straight from the buffers: the reader's own conversion looks for a data-frame library first, which costs more than
    reading the file.
    """
    out = np.empty(len(column))
    at = 0
    for chunk in column.chunks:
        filled = chunk.fill_null(float("nan")) if chunk.null_count else chunk
        count = len(filled)
        out[at : at + count] = np.frombuffer(filled.buffers()[1])[filled.offset : filled.offset + count]
        at += count
    return out


def _source(file: Path, dialect: Dialect) -> Any:
    """What the reader reads: the file itself, or its rows with tabs where blanks stand between the columns."""
    if dialect.delimiter != " ":
        return str(file)
    import io

    text = file.read_bytes().decode(dialect.encoding, errors="replace")
    rows = "\n".join("\t".join(line.split()) for line in text.splitlines())
    return io.BytesIO(rows.encode(dialect.encoding.removesuffix("-sig")))


def _rows_of(file: Path, dialect: Dialect) -> Iterator[tuple[int, str]]:
    """(line, text) of every row that is not blank, from the first of the numbers on."""
    with file.open(encoding=dialect.encoding, errors="replace", newline=None) as source:
        for line, text in enumerate(source, 1):
            if line >= dialect.first and text.strip():
                yield line, text.rstrip("\r\n")


def _cut_or_refused(file: Path, dialect: Dialect, broken: list[tuple[int, str]]) -> list[str]:
    """Rows of another length: only the last line of a file may be cut short."""
    width = len(dialect.names)
    last = (0, "")
    for line, text in _rows_of(file, dialect):
        cells = cells_of(text, dialect.delimiter)
        if last[1]:
            raise InputError(
                f"the row has {len(cells_of(last[1], dialect.delimiter))} cells, the head {width}: cells are missing "
                "or a delimiter stands in one. Mend the row or leave it out",
                file=str(file),
                line=last[0],
            )
        last = (line, text) if len(cells) != width else (0, "")
    cut = broken[-1][0] < width
    if not cut:
        raise InputError(
            f"the row has {broken[-1][0]} cells, the head has {width}", file=str(file), line=last[0] or None
        )
    return ["the last line was cut and is left out"]


def _refuse_first_wrong(file: Path, dialect: Dialect) -> None:
    """Find the first cell that is no number, and refuse it where it stands."""
    for line, text in _rows_of(file, dialect):
        cells = cells_of(text, dialect.delimiter)
        for at, cell in enumerate(cells[: len(dialect.names)]):
            word = cell.lower().lstrip("+-")
            if cell in NOTHING or is_number(cell, dialect.decimal) or word in ("inf", "infinity"):
                continue
            other = "," if dialect.decimal == "." else "."
            hint = (
                f"Here {dialect.decimal!r} is the decimal sign: write all numbers alike, no signs between thousands."
                if is_number(cell, other) or (other in cell and dialect.decimal in cell)
                else "Leave the cell blank where nothing was read, or leave the row out."
            )
            raise InputError(
                f"{cell[:40]!r} is no number. {hint}",
                file=str(file),
                line=line,
                column=at + 1,
                key=dialect.names[at] or None,
            )
