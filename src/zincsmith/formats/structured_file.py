"""Columns from JSON, HDF5 and NumPy files. What is too large, or leads out of the file, is refused before it is read.

A file says in few bytes that it holds much: compressed fill, huge shapes, rows that all differ. Sizes are therefore
taken from what it declares, and JSON is read a piece at a time.
"""

from __future__ import annotations

import json
import math
import re
import zipfile
from array import array
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TextIO

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.columns import MOST_COLUMNS, MOST_NUMBERS, Array, Columns, refuse_large, refuse_many
from zincsmith.model.errors import InputError

MOST_JSON_BYTES = 128_000_000
MOST_CHUNK_BYTES = 64_000_000  # of one compressed piece
LONGEST_ROW = 4 * (1 << 20)  # characters
PIECE = 1 << 20  # characters of JSON taken at once
SHAPES = 'a file of columns is {"time_s": [...], "voltage_V": [...]}, or a list of rows with these keys'
_LIST = re.compile(r'"((?:[^"\\]|\\.)*)"\s*:\s*\[([^\[\]{}"]*)\]')


def from_json(file: Path) -> Columns:
    """Columns by name, or a list of rows with these keys."""
    refuse_large(file, MOST_JSON_BYTES)
    try:
        with file.open(encoding="utf-8-sig") as source:
            first = source.read(PIECE).lstrip()
            columns = _rows(file, first[1:], source) if first[:1] == "[" else _named(file, first + source.read())
    except (ValueError, RecursionError) as error:
        raise InputError(f"this is no JSON ({str(error)[:100]})", file=str(file)) from None
    return _even(file, columns, {})


def _named(file: Path, text: str) -> dict[str, Array]:
    """Lists by name, each taken in pieces; what stands between them has to be JSON by itself."""
    columns: dict[str, Array] = {}
    rest, at = [], 0
    for found in _LIST.finditer(text):
        rest += [text[at : found.start()], f'"{found.group(1)}":[]']
        at = found.end()
        head = json.loads(f'"{found.group(1)}"')
        columns[head] = _numbers(file, head, text, found.start(2), found.end(2))
        refuse_many(file, sum(map(len, columns.values())), len(columns))
    rest.append(text[at:])
    if sum(map(len, rest)) > PIECE + 64 * len(columns):
        raise InputError(SHAPES, file=str(file))
    frame = json.loads("".join(rest))
    if isinstance(frame, dict) and isinstance(frame.get("columns"), dict):
        frame = frame["columns"]
    if not isinstance(frame, dict) or not frame:
        raise InputError(SHAPES, file=str(file))
    for head, value in frame.items():  # lists that hold more than numbers: refused where they stand
        if isinstance(value, list) and value:
            columns[head] = _cells(file, head, value)
    return {head: columns[head] for head, value in frame.items() if isinstance(value, list) and head in columns}


def _numbers(file: Path, head: str, text: str, start: int, end: int) -> Array:
    out, row = array("d"), 0
    while start < end:
        stop = text.find(",", min(start + PIECE, end), end)
        stop = end if stop < 0 else stop
        piece = text[start:stop]
        if piece.strip() or stop < end:
            cells = json.loads(f"[{piece}]")
            out.extend(_cells(file, head, cells, row))
            row += len(cells)
        elif row:
            raise ValueError("a list ends with a comma")
        start = stop + 1
    return np.array(out)


def _cells(file: Path, head: str, cells: list[Any], before: int = 0) -> Array:
    out = np.full(len(cells), np.nan)
    for n, cell in enumerate(cells):
        if cell is not None:
            out[n] = _number(file, head, cell, before + n + 1)
    return out


def _number(file: Path, head: str, cell: Any, row: int) -> float:
    if isinstance(cell, bool) or not isinstance(cell, int | float):
        raise InputError(f"row {row} is no number: {str(cell)[:40]!r}", file=str(file), key=head[:80])
    try:
        return float(cell)
    except OverflowError:
        raise InputError(f"row {row} is no number that can be held", file=str(file), key=head[:80]) from None


def _rows(file: Path, begun: str, source: TextIO) -> dict[str, Array]:
    """Rows one by one; a key that a row lacks is a cell without a value."""
    columns: dict[str, array[float]] = {}
    count = 0
    rows = _each(begun, source)
    for count, row in enumerate(rows, 1):
        if not isinstance(row, dict):
            for _ in rows:  # what is no JSON at all is said to be that
                pass
            raise InputError(SHAPES, file=str(file))
        for head, cell in row.items():
            if head not in columns:
                refuse_many(file, (len(columns) + 1) * count, len(columns) + 1)
                columns[head] = array("d", [math.nan]) * (count - 1)
            columns[head].append(math.nan if cell is None else _number(file, head, cell, count))
        for column in columns.values():
            if len(column) < count:
                column.append(math.nan)
        if len(columns) * count > MOST_NUMBERS:
            refuse_many(file, len(columns) * count)
    if not count:
        raise InputError(SHAPES, file=str(file))
    return {head: np.array(columns.pop(head)) for head in list(columns)}


def _each(buffer: str, source: TextIO) -> Iterator[Any]:
    """The values of a JSON list whose bracket has been read, one by one: neither the list nor its text is held."""
    decoder, comma = json.JSONDecoder(), False
    at = 0
    while True:
        at += len(buffer[at : at + 64]) - len(buffer[at : at + 64].lstrip())
        if at >= len(buffer) or buffer[at].isspace():
            more = source.read(PIECE)
            if not more:
                raise ValueError("the list does not end")
            buffer, at = buffer[at:] + more, 0
            continue
        if buffer[at] == "]" and not comma:
            if (buffer[at + 1 :] + source.read(PIECE)).strip():
                raise ValueError("something follows the list")
            return
        try:
            value, end = decoder.raw_decode(buffer, at)
            whole = end < len(buffer)
        except ValueError:
            whole = False
            if len(buffer) - at > LONGEST_ROW:
                raise
        if not whole:
            more = source.read(PIECE)
            if not more:
                decoder.raw_decode(buffer, at)
                raise ValueError("the list does not end")
            buffer, at = buffer[at:] + more, 0
            continue
        yield value
        at = end
        at, comma, buffer = _past_comma(buffer, at, source)


def _past_comma(buffer: str, at: int, source: TextIO) -> tuple[int, bool, str]:
    """Past the comma after a value; whether there was one. ValueError for anything but a comma or the end."""
    while True:
        rest = buffer[at:].lstrip() if at + 64 >= len(buffer) else buffer[at : at + 64].lstrip()
        if rest:
            break
        more = source.read(PIECE) if at + 64 >= len(buffer) else ""
        if not more and at + 64 >= len(buffer):
            raise ValueError("the list does not end")
        buffer, at = (buffer[at:] + more, 0) if more else (buffer, at + 64)
    if rest[0] == ",":
        return buffer.index(",", at) + 1, True, buffer
    if rest[0] != "]":
        raise ValueError(f"a comma is missing before {rest[:20]!r}")
    return buffer.index("]", at), False, buffer


def from_hdf5(file: Path) -> Columns:
    """Every data set of one dimension that holds numbers, wherever it lies in the file."""
    import h5py

    columns: dict[str, Array] = {}
    units: dict[str, str] = {}
    try:
        with h5py.File(file, "r") as source:
            wanted = _data_sets(file, source)
            refuse_many(file, sum(item.size for _, item in wanted), max(1, len(wanted)))
            for path, item in wanted:
                head = path.rsplit("/", 1)[-1]
                head = path if head in columns else head
                columns[head] = np.asarray(item[...], dtype=np.float64)
                unit = item.attrs.get("unit", item.attrs.get("units", ""))
                if isinstance(unit, bytes | str) and unit:
                    units[head] = unit.decode("utf-8", "replace") if isinstance(unit, bytes) else unit
    except InputError:
        raise
    except Exception as error:  # noqa: BLE001 - the library leaks errors of many kinds for a damaged file
        raise InputError(f"this is no HDF5 file that can be read ({str(error)[:100]})", file=str(file)) from None
    return _even(file, columns, units)


def _data_sets(file: Path, source: Any) -> list[tuple[str, Any]]:
    """(path, data set) of one dimension with numbers. InputError for what leads out of the file or unpacks to much."""
    import h5py

    found: list[tuple[str, Any]] = []

    def take(path: str, item: Any) -> None:
        if isinstance(item, h5py.Group):
            for name in item:
                if isinstance(item.get(name, getlink=True), h5py.ExternalLink | h5py.SoftLink):
                    raise InputError(f"{path}/{name} is a link: copy what it names into the file", file=str(file))
        elif isinstance(item, h5py.Dataset) and item.ndim == 1 and item.dtype.kind in "iuf":
            if item.external or item.is_virtual:
                raise InputError(f"{path} is stored in another file: copy it into this one", file=str(file))
            if item.chunks and math.prod(item.chunks) * item.dtype.itemsize > MOST_CHUNK_BYTES:
                raise InputError(f"{path} is packed in pieces that are too large", file=str(file))
            found.append((path, item))

    take("", source)
    source.visititems(take)
    return found


def from_numpy(file: Path) -> Columns:
    """A set of named columns, an array with named fields, or one with rows and columns."""
    try:
        if file.suffix.lower() == ".npz":
            _refuse_members(file)
            with np.load(file, allow_pickle=False) as found:
                columns = {name: found[name] for name in found}
        else:
            with file.open("rb") as source:
                _declared(file, source)
            columns = _fields(np.load(file, allow_pickle=False))
    except InputError:
        raise
    except Exception as error:  # noqa: BLE001 - the library leaks errors of many kinds for a damaged file
        raise InputError(f"this is no NumPy file of plain numbers ({str(error)[:100]})", file=str(file)) from None
    for head, column in columns.items():
        if column.ndim != 1 or column.dtype.kind not in "iuf":
            raise InputError("a column is one row of plain numbers", file=str(file), key=head[:80])
    return _even(file, {h: np.asarray(c, dtype=np.float64) for h, c in columns.items()}, {})


def _refuse_members(file: Path) -> None:
    """What each member declares, before any of it is unpacked."""
    with zipfile.ZipFile(file) as packed:
        members = [m for m in packed.infolist() if m.filename.endswith(".npy")]
        refuse_many(file, 0, max(1, len(members)))
        numbers = 0
        for member in members:
            with packed.open(member) as source:
                numbers += _declared(file, source)
            refuse_many(file, numbers)


def _declared(file: Path, source: Any) -> int:
    """How many numbers an array declares to hold. InputError for too many."""
    version = np.lib.format.read_magic(source)
    reader = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
    shape, _, kind = reader(source, max_header_size=10_000)
    numbers = math.prod(shape) * max(1, kind.itemsize // 8)
    refuse_many(file, numbers)
    return numbers


def _fields(found: NDArray[Any]) -> dict[str, NDArray[Any]]:
    if found.dtype.names:
        return {name: found[name] for name in found.dtype.names}
    if found.ndim == 2 and found.shape[1] <= MOST_COLUMNS:
        return {str(n + 1): found[:, n] for n in range(found.shape[1])}
    raise ValueError("an array with named fields, or rows and columns, is wanted")


def _even(file: Path, columns: dict[str, Array], units: dict[str, str]) -> Columns:
    if not columns:
        raise InputError("no columns of numbers are found", file=str(file))
    lengths = {head: len(c) for head, c in columns.items()}
    if len(set(lengths.values())) > 1:
        words = ", ".join(f"{h[:40]} {n}" for h, n in list(lengths.items())[:6])
        raise InputError(f"the columns are not of one length: {words}", file=str(file))
    return Columns(file, columns, units, (), None, ())


READERS: dict[str, Callable[[Path], Columns]] = {
    ".json": from_json,
    **dict.fromkeys((".h5", ".hdf5", ".hdf"), from_hdf5),
    **dict.fromkeys((".npy", ".npz"), from_numpy),
}
