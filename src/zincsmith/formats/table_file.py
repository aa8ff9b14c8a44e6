"""Files of columns from outside: CSV of any sane dialect, JSON, HDF5, NumPy. Accepted whole, or refused whole.

What is certain is accepted and noted: preambles, units, blank cells, NaN and SCPI's 9.91E+37 (not a number), a last
line that was cut. What is not is refused with file, line, column, reason and remedy.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.delimited import EXPORT, Dialect, cells_of, is_number, look_at
from zincsmith.formats.units_text import split_head, unit_of
from zincsmith.model.errors import InputError

Array = NDArray[np.float64]

NOT_A_NUMBER, INFINITE = 9.91e37, 9.9e37  # SCPI-1999, volume 1, 7.2.1 (from memory)
NEAR = 1e33
MOST_COLUMNS = 4096
NOTHING = ["", "nan", "NaN", "NAN", "NA", "N/A", "n/a", "null", "NULL", "None", "none", "-", "--", "-nan", "-NaN"]


@dataclass(frozen=True)
class Columns:
    """Columns by their heads as they stand, in the unit they stand in; a cell without a value is NaN.

    ``units`` are units that stand apart from the head (a row below it, an attribute). ``line`` is the line of the
    first row, None where a file has no lines. ``notes`` tell what was passed over.
    """

    file: Path
    values: Mapping[str, Array]
    units: Mapping[str, str]
    twice: tuple[str, ...]
    line: int | None
    notes: tuple[str, ...]

    def find(self, wanted: str, base: str) -> Array | None:
        """The column of a quantity in its base unit; None when there is none.

        ``wanted`` is a head, or a head without its unit: ``voltage_V`` finds ``voltage_mV`` and ``Voltage (mV)`` too.
        InputError when two fit, or the unit is of another kind.
        """
        name, _ = split_head(wanted)
        exact = [h for h in self.values if h == wanted]
        loose = [h for h in self.values if split_head(h)[0].lower().replace(" ", "_") == name.lower().replace(" ", "_")]
        heads = exact or loose
        if not heads:
            return None
        if len(heads) > 1 or heads[0] in self.twice:
            raise InputError(
                f"{max(2, len(heads))} columns are called {wanted!r}; rename one, or name the column that is meant",
                file=str(self.file),
                key=wanted,
            )
        head = heads[0]
        unit = unit_of(self.units[head]) if self.units.get(head) else split_head(head)[1]
        if unit is None:
            unit = (base, 1.0)
        if unit[0] != base:
            raise InputError(
                f"column {head!r} is in {unit[0] or 'no unit'}, {base or 'a plain number'} is wanted: name another",
                file=str(self.file),
                key=wanted,
            )
        return self.values[head] * unit[1] if unit[1] != 1.0 else self.values[head]

    def need(self, wanted: str, base: str, option: str) -> Array:
        """As find; InputError, with what there is and the ``option`` that names another, when there is none."""
        found = self.find(wanted, base)
        if found is None:
            heads = ", ".join(list(self.values)[:12])
            raise InputError(
                f"there is no column {wanted!r}; there are: {heads}. Name it with {option}", file=str(self.file)
            )
        return found


def read_columns(file: Path) -> Columns:
    """Read a file by its suffix, else as text. InputError with line and column for whatever is refused."""
    if not file.is_file():
        raise InputError("there is no such file", file=str(file))
    suffix = file.suffix.lower()
    if suffix == ".json":
        found = _from_json(file)
    elif suffix in (".h5", ".hdf5", ".hdf"):
        found = _from_hdf5(file)
    elif suffix in (".npy", ".npz"):
        found = _from_numpy(file)
    else:
        found = _from_text(file)
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


# JSON, HDF5, NumPy


def _from_json(file: Path) -> Columns:
    try:
        found = json.loads(file.read_bytes())
    except (ValueError, RecursionError) as error:
        raise InputError(f"this is no JSON ({str(error)[:100]})", file=str(file)) from None
    if isinstance(found, dict) and isinstance(found.get("columns"), dict):
        found = found["columns"]
    if isinstance(found, list) and found and all(isinstance(row, dict) for row in found):
        heads = list(dict.fromkeys(key for row in found for key in row))
        found = {head: [row.get(head) for row in found] for head in heads}
    if not isinstance(found, dict) or not found:
        raise InputError(
            'a file of columns is {"time_s": [...], "voltage_V": [...]}, or a list of rows with these keys',
            file=str(file),
        )
    columns = {str(k): _json_column(file, str(k), v) for k, v in found.items() if isinstance(v, list)}
    return _even(file, columns, {})


def _json_column(file: Path, head: str, cells: list[Any]) -> Array:
    out = np.full(len(cells), np.nan)
    for n, cell in enumerate(cells):
        if cell is None:
            continue
        if isinstance(cell, bool) or not isinstance(cell, int | float):
            raise InputError(f"row {n + 1} is no number: {str(cell)[:40]!r}", file=str(file), key=head)
        try:
            out[n] = cell
        except OverflowError:
            raise InputError(f"row {n + 1} is no number that can be held", file=str(file), key=head) from None
    return out


def _from_hdf5(file: Path) -> Columns:
    import h5py

    columns: dict[str, Array] = {}
    units: dict[str, str] = {}
    try:
        with h5py.File(file, "r") as source:

            def take(path: str, item: Any) -> None:
                if isinstance(item, h5py.Dataset) and item.ndim == 1 and item.dtype.kind in "iuf":
                    head = path.rsplit("/", 1)[-1]
                    columns[path if head in columns else head] = np.asarray(item[...], dtype=np.float64)
                    unit = item.attrs.get("unit", item.attrs.get("units", ""))
                    if unit:
                        units[head] = unit.decode() if isinstance(unit, bytes) else str(unit)

            source.visititems(take)
    except (OSError, RuntimeError, ValueError, KeyError) as error:
        raise InputError(f"this is no HDF5 file that can be read ({str(error)[:100]})", file=str(file)) from None
    return _even(file, columns, units)


def _from_numpy(file: Path) -> Columns:
    try:
        with np.load(file, allow_pickle=False) if file.suffix == ".npz" else _One(file) as found:
            columns = {name: found[name] for name in found}
    except (OSError, ValueError, EOFError, KeyError) as error:
        raise InputError(f"this is no NumPy file of plain numbers ({str(error)[:100]})", file=str(file)) from None
    for head, column in columns.items():
        if column.ndim != 1 or column.dtype.kind not in "iuf":
            raise InputError("a column is one row of plain numbers", file=str(file), key=head)
    return _even(file, {h: np.asarray(c, dtype=np.float64) for h, c in columns.items()}, {})


class _One:
    """A single array as a set of columns: named fields, or columns by their number."""

    def __init__(self, file: Path) -> None:
        array = np.load(file, allow_pickle=False)
        if array.dtype.names:
            self._found = {name: array[name] for name in array.dtype.names}
        elif array.ndim == 2 and array.shape[1] <= MOST_COLUMNS:
            self._found = {str(n + 1): array[:, n] for n in range(array.shape[1])}
        else:
            raise ValueError("an array with named fields, or rows and columns, is wanted")

    def __enter__(self) -> dict[str, NDArray[Any]]:
        return self._found

    def __exit__(self, *error: object) -> None:
        pass


def _even(file: Path, columns: dict[str, Array], units: dict[str, str]) -> Columns:
    if not columns:
        raise InputError("no columns of numbers are found", file=str(file))
    lengths = {head: len(c) for head, c in columns.items()}
    if len(set(lengths.values())) > 1:
        words = ", ".join(f"{h} {n}" for h, n in list(lengths.items())[:6])
        raise InputError(f"the columns are not of one length: {words}", file=str(file))
    return Columns(file, columns, units, (), None, ())
