"""A whole book as a folder of open files, and back: an equal book.

Tables are JSON lines, one record a line, with what stands in the book as it stands there; samples are HDF5; photographs
and files that were taken in stand beside them under their hashes. Nothing in it is executed, and what comes in is held
against its own hashes.
"""

from __future__ import annotations

import hashlib
import json
import os
import sqlite3
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from zincsmith.book.file import clear_errors, close_writer, connect_reader, connect_writer, migrations, take_lock
from zincsmith.book.seal import BROKEN, check_documents, check_log, check_run
from zincsmith.book.traces import TraceReader, keep
from zincsmith.formats.packing import TYPES, pack
from zincsmith.model.errors import InputError

FORM = "zincsmith exchange 1"
# By file: the table, and its columns with what each means. The order of the columns is that of the table.
TABLES: dict[str, tuple[str, dict[str, str]]] = {
    "events": ("event", {
        "seq": "number in the book, in order of time", "run": "its run; null: of no run", "step": "action of the plan",
        "at": "UTC, ISO 8601", "bench_s": "s of bench time since the run began", "kind": "what happened",
        "v": "form of the body", "body": "the event itself, JSON as text",
        "digest": "SHA-256 of the chain of its run up to here; null: written before books were sealed",
    }),
    "documents": ("document", {
        "kind": "unit, rig or plan", "key": "which one", "n": "revision, from 1", "parent": "the one it came from",
        "at": "UTC, ISO 8601", "why": "what was changed", "body": "the document, JSON as text",
        "sha256": "of the body",
    }),
    "heads": ("head", {
        "kind": "unit, rig or plan", "key": "which one", "n": "the revision in force",
        "seq": "the event that made it so",
    }),
    "runs": ("run", {
        "id": "number of the run", "unit": "key of its unit", "unit_n": "revision of the unit it cites",
        "rig_n": "of the rig", "plan_n": "of the plan", "procedure": "of its first part", "began": "UTC, ISO 8601",
        "ended": "UTC, ISO 8601", "outcome": "how it closed", "digest": "SHA-256 that seals it",
    }),
    "joined": ("joined", {
        "run": "a run that came from another book under another number",
        "body": "JSON as text: numbers it had, first that of its seal; documents (kind, key and revision as its events "
        "name them, key and revision here)",
    }),
    "readings": ("reading", {
        "id": "RUN/POINT/QUANTITY", "run": "its run", "point": "number of the point", "quantity": "what was read",
        "value": "in unit; null: nothing was shown", "unit": "V, A, W, Hz, degC, ohm, F or 1", "seq": "its event",
    }),
    "photos": ("photo", {
        "sha256": "of the bytes, and the name of the file in photos/", "type": "png or jpeg", "width": "pixels",
        "height": "pixels", "at": "UTC, ISO 8601",
    }),
    "sources": ("source", {
        "sha256": "of the bytes, and the name of the file in sources/", "name": "as it was taken in",
        "at": "UTC, ISO 8601",
    }),
}  # fmt: skip
BLOBS = {"photos": "photos", "sources": "sources"}  # tables whose bytes stand in a folder beside them
SQUEEZED = ("sources",)  # of these the book keeps the bytes compressed
SAMPLES, WAVES = "samples.h5", "waves"
LONGEST_LINE = 64_000_000  # characters
AT_ONCE = 500


def write_book(book: Path, folder: Path) -> list[Path]:
    """Everything in a book, as it stands at one moment, also while a run is writing. InputError where the folder cannot
    be written, or the book is none."""
    db = connect_reader(book)
    try:
        with clear_errors(book):
            db.execute("BEGIN")  # one moment for all tables
            folder.mkdir(parents=True, exist_ok=True)
            made = [_write_table(db, folder, name) for name in TABLES]
            made += [_write_samples(db, folder, book.name), _write_about(folder)]
            db.execute("ROLLBACK")
    except OSError as error:
        raise InputError(f"the files cannot be written ({error.strerror})", file=str(folder)) from None
    finally:
        db.close()
    return made


def _write_table(db: sqlite3.Connection, folder: Path, name: str) -> Path:
    table, columns = TABLES[name]
    file = folder / f"{name}.jsonl"
    beside = folder / BLOBS[name] if name in BLOBS else None
    if beside is not None:
        beside.mkdir(exist_ok=True)
    more = ", bytes" if beside is not None else ""
    order = "seq" if "seq" in columns and table == "event" else "rowid" if table != "document" else "kind, key, n"
    cursor = db.execute(f"SELECT {', '.join(columns)}{more} FROM {table} ORDER BY {order}")
    with file.open("w", encoding="utf-8") as out:
        while rows := cursor.fetchmany(AT_ONCE):
            for row in rows:
                record = dict(zip(columns, row, strict=False))
                if beside is not None:
                    data = zlib.decompress(row[-1]) if name in SQUEEZED else row[-1]
                    (beside / str(record["sha256"])).write_bytes(data)
                out.write(json.dumps(record, ensure_ascii=False) + "\n")
    return file


def _write_samples(db: sqlite3.Connection, folder: Path, name: str) -> Path:
    import h5py

    file = folder / SAMPLES
    reader = TraceReader(db, name)
    with h5py.File(file, "w") as out:
        out.attrs["form"] = FORM
        for sha256, code, _count in db.execute("SELECT sha256, code, count FROM trace ORDER BY id").fetchall():
            made = out.create_dataset(f"traces/{sha256}", data=reader.read(sha256), compression="gzip", shuffle=True)
            made.attrs["code"] = code
        for sha256, data in db.execute("SELECT sha256, bytes FROM wave ORDER BY rowid"):
            out.create_dataset(f"{WAVES}/{sha256}", data=np.frombuffer(data, dtype=np.uint8))
    return file


def _write_about(folder: Path) -> Path:
    """The data dictionary."""
    file = folder / "dictionary.json"
    about = {
        "form": FORM, "book": migrations()[-1][0],
        "tables": {f"{name}.jsonl": columns for name, (_, columns) in TABLES.items()},
        SAMPLES: {
            "traces/SHA256": "codes of one channel of a capture; a sample is offset + code * scale, which stand "
            "with the channel in its event", f"{WAVES}/SHA256": "a record of the power meter, as the book keeps it",
        },
    }  # fmt: skip
    file.write_text(json.dumps(about, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    return file


# And back


def read_book(folder: Path, book: Path) -> list[str]:
    """A new book of such a folder; what of it is not as it was sealed, in words, nothing for a whole one. InputError,
    with file and line, for what is no such folder, or a book that is there already."""
    if book.exists():
        raise InputError("it is there already; name a new one", file=str(book), key="book")
    _check_about(folder)
    part = book.with_name(f".{book.name}.part")
    part.unlink(missing_ok=True)
    try:
        lock = take_lock(part)
        db = connect_writer(part)
        try:
            with clear_errors(part):
                db.execute("BEGIN")
                for name in TABLES:
                    _read_table(db, folder, name)
                _read_samples(db, folder)
                db.execute("COMMIT")
                broken = _broken(db)
        finally:
            close_writer(db)
            os.close(lock)
        part.replace(book)
    finally:
        part.unlink(missing_ok=True)
    return broken


def _check_about(folder: Path) -> None:
    file = folder / "dictionary.json"
    try:
        about = json.loads(file.read_text("utf-8"))
    except OSError:
        raise InputError("there is no dictionary.json: it is no folder of a whole book", file=str(folder)) from None
    except ValueError:
        raise InputError("is no JSON", file=str(file)) from None
    known = migrations()[-1][0]
    if not isinstance(about, dict) or about.get("form") != FORM or about.get("book") != known:
        raise InputError(f"is of another form; this version reads {FORM!r} of books of format {known}", file=str(file))


def _lines(file: Path, columns: dict[str, str]) -> Iterator[tuple[int, dict[str, Any]]]:
    """Each line with its number. InputError for what is no record of the table."""
    try:
        stream = file.open(encoding="utf-8")
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    with stream:
        number = 0
        try:
            while line := stream.readline(LONGEST_LINE):
                number += 1
                record = json.loads(line)
                if not isinstance(record, dict) or set(record) != set(columns):
                    raise InputError(f"a record has {', '.join(columns)}", file=str(file), line=number)
                if not all(isinstance(v, str | int | float | None) for v in record.values()):
                    raise InputError("holds something else than text and numbers", file=str(file), line=number)
                yield number, record
        except (ValueError, RecursionError):
            raise InputError("is no JSON of one line", file=str(file), line=number) from None


def _read_table(db: sqlite3.Connection, folder: Path, name: str) -> None:
    table, columns = TABLES[name]
    file, beside = folder / f"{name}.jsonl", folder / BLOBS[name] if name in BLOBS else None
    names = [*columns, *(("bytes",) if beside is not None else ())]
    query = f"INSERT INTO {table} ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})"
    for number, record in _lines(file, columns):
        values = [record[c] for c in columns]
        if beside is not None:
            data = _bytes_of(beside, str(record["sha256"]))
            values.append(zlib.compress(data) if name in SQUEEZED else data)
        try:
            db.execute(query, values)
        except (sqlite3.IntegrityError, sqlite3.InterfaceError, OverflowError) as error:
            raise InputError(f"does not fit into the book ({error})", file=str(file), line=number) from None


def _bytes_of(folder: Path, sha256: str) -> bytes:
    """The file of a hash, which it has to have. InputError where it is not there, or is another."""
    if not (len(sha256) == 64 and sha256.isalnum()):
        raise InputError(f"{sha256[:80]!r} is no SHA-256", file=str(folder))
    try:
        data = (folder / sha256).read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(folder / sha256)) from None
    if hashlib.sha256(data).hexdigest() != sha256:
        raise InputError("is not what its name says", file=str(folder / sha256))
    return data


def _read_samples(db: sqlite3.Connection, folder: Path) -> None:
    import h5py

    file = folder / SAMPLES
    try:
        with h5py.File(file, "r") as found:
            for sha256, one in found.get("traces", {}).items():
                code = str(one.attrs.get("code", ""))
                if code not in TYPES:
                    raise InputError(f"{sha256[:16]}: codes of no known form", file=str(file))
                packed = pack(np.asarray(one[()]).astype(TYPES[code], casting="safe"), code)
                if packed.sha256 != sha256:
                    raise InputError(f"{sha256[:16]}: is not what its name says", file=str(file))
                keep(db, packed)
            for sha256, one in found.get(WAVES, {}).items():
                data = np.asarray(one[()], dtype=np.uint8).tobytes()
                if hashlib.sha256(zlib.decompress(data)).hexdigest() != sha256:
                    raise InputError(f"{sha256[:16]}: is not what its name says", file=str(file))
                db.execute("INSERT INTO wave (sha256, bytes) VALUES (?, ?)", (sha256, data))
    except (OSError, TypeError, KeyError, AttributeError, zlib.error) as error:
        raise InputError(f"is no HDF5 of samples ({error})", file=str(file)) from None


def _broken(db: sqlite3.Connection) -> list[str]:
    """What of it is not as it was sealed."""
    found = [*check_documents(db), *((log,) if (log := check_log(db)) else ())]
    for (run,) in db.execute("SELECT id FROM run ORDER BY id").fetchall():
        seal = check_run(db, run)
        if seal.state == BROKEN:
            found.append(f"run {run}: {seal.words}")
    return found
