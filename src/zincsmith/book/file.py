"""Opening the file: who it belongs to, which version, who else has it."""

from __future__ import annotations

import fcntl
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

from zincsmith.model.errors import BookError, Busy, Full, TooNew

APPLICATION_ID = 0x5A494E43  # "ZINC"


def migrations() -> list[tuple[int, str]]:
    """(version, SQL) in order."""
    folder = resources.files("zincsmith.book") / "migrations"
    files = sorted((f for f in folder.iterdir() if f.name.endswith(".sql")), key=lambda f: f.name)
    return [(int(f.name.removesuffix(".sql")), f.read_text("utf-8")) for f in files]


@contextmanager
def clear_errors(path: Path) -> Iterator[None]:
    """Turn SQLite's errors into ours, with the book's name."""
    try:
        yield
    except sqlite3.DatabaseError as error:
        text = str(error)
        if "full" in text:
            raise Full(f"{path.name}: the disk is full; free some space, nothing that was shown is lost") from error
        if "locked" in text:
            raise Busy(f"{path.name}: another program keeps the book locked") from error
        if "not a database" in text:
            raise BookError(f"{path.name} is not a Zincsmith book") from error
        raise BookError(f"{path.name}: {text}") from error


def take_lock(path: Path) -> int:
    """Take the writer's lock; returns the descriptor that holds it. Busy when somebody else has it.

    The lock is a whole-file lock of the operating system: it goes when its process goes, however that ends, and
    does not meet the byte locks of SQLite.
    """
    try:
        fd = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    except OSError as error:
        raise BookError(f"{path}: cannot be opened for writing ({error.strerror})") from None
    try:
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(fd)
        raise Busy(f"{path.name} is open for writing in another window or run; close it there first") from None
    return fd


def connect_writer(path: Path) -> sqlite3.Connection:
    """A connection that survives a kill and a power cut: WAL with full synchronization. Migrates if needed."""
    with clear_errors(path):
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            _check_owner(connection, path)
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute("PRAGMA synchronous=FULL")
            _migrate(connection, path)
        except BaseException:
            connection.close()
            raise
        return connection


def connect_reader(path: Path) -> sqlite3.Connection:
    """A connection that can only read."""
    if not path.is_file():
        raise BookError(f"{path}: there is no such book")
    with clear_errors(path):
        connection = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, isolation_level=None)
        try:
            version = _check_owner(connection, path)
            if version < migrations()[-1][0]:
                raise BookError(f"{path.name} is empty or of an earlier version; open it for writing once")
        except BaseException:
            connection.close()
            raise
        return connection


def close_writer(connection: sqlite3.Connection) -> None:
    """Back to one single file, if no reader is in the way."""
    try:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        connection.execute("PRAGMA journal_mode=DELETE")
    except sqlite3.OperationalError:
        pass  # a reader still has it open; the next clean close tidies up
    connection.close()


def _check_owner(connection: sqlite3.Connection, path: Path) -> int:
    owner = connection.execute("PRAGMA application_id").fetchone()[0]
    version: int = connection.execute("PRAGMA user_version").fetchone()[0]
    tables = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
    if owner != APPLICATION_ID and tables:
        raise BookError(f"{path.name} is a database of another program, not a Zincsmith book")
    newest = migrations()[-1][0]
    if version > newest:
        raise TooNew(
            f"{path.name} was written by a later version of Zincsmith (format {version}, this one knows {newest})"
        )
    return version


def _migrate(connection: sqlite3.Connection, path: Path) -> None:
    version = connection.execute("PRAGMA user_version").fetchone()[0]
    steps = [(n, sql) for n, sql in migrations() if n > version]
    if steps and version:
        shutil.copy2(path, path.with_suffix(f".format-{version}.zbook"))
    for n, sql in steps:
        connection.executescript(
            f"BEGIN;\n{sql}\nPRAGMA application_id={APPLICATION_ID};\nPRAGMA user_version={n};\nCOMMIT;"
        )


def damage_of(path: Path) -> list[str]:
    """What SQLite finds wrong with the file, in its words; empty when it is whole. BookError when it is no book."""
    connection = connect_reader(path)
    try:
        found = [str(row[0]) for row in connection.execute("PRAGMA integrity_check(20)")]
    except sqlite3.DatabaseError as error:
        return [str(error)]
    finally:
        connection.close()
    return [] if found == ["ok"] else found
