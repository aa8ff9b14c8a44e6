"""A part of a book as a book of its own: one run, or one unit with its runs. Runs keep their numbers, events what they
say and their digests: a seal that held holds. Only their places in the book are counted anew.

Also a join: the runs of such a part, into a book that has none of their numbers.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Collection, Iterable
from pathlib import Path

from zincsmith.book.file import clear_errors, close_writer, connect_reader, connect_writer, take_lock
from zincsmith.book.seal import BROKEN, check_run, named_by
from zincsmith.model.errors import BookError, InputError

# What belongs to a run, in the order in which it is joined; then what events name by a hash.
OF_RUN = {"run": "id", "event": "run", "reading": "run"}
BY_HASH = ("wave", "source", "photo")
OF_TRACE = ("chunk", "span")


def part_of(book: Path, out: Path, run: int | None = None, unit: str | None = None) -> list[int]:
    """Write it; returns the runs that it holds. InputError for a book that is there, and for a run or unit that is not;
    a book that is being written to is taken as it stands."""
    if out.exists():
        raise InputError("there is a file of that name already", file=str(out))
    source = connect_reader(book)
    try:
        with clear_errors(book):
            wanted = _wanted(source, book, run, unit)
            target = sqlite3.connect(out)
            source.backup(target)
            target.close()
    finally:
        source.close()
    try:
        db = connect_writer(out)
        with clear_errors(out):
            _cut(db, wanted, unit)
        close_writer(db)
        _hold(out, wanted)
    except BaseException:
        out.unlink(missing_ok=True)
        raise
    return wanted


def _wanted(db: sqlite3.Connection, book: Path, run: int | None, unit: str | None) -> list[int]:
    rows = db.execute("SELECT id, unit FROM run ORDER BY id").fetchall()
    found = [n for n, key in rows if (run is None or n == run) and (unit is None or key == unit)]
    if run is not None and not found:
        raise InputError(f"{book.name} has no run {run}", key="run")
    if unit is not None and not db.execute("SELECT 1 FROM head WHERE kind = 'unit' AND key = ?", (unit,)).fetchone():
        raise InputError(f"{book.name} has no unit {unit!r}", key="unit")
    return found


def _cut(db: sqlite3.Connection, runs: Collection[int], unit: str | None) -> None:
    """Everything that the runs do not cite goes."""
    db.execute("BEGIN")
    kept = json.dumps(list(runs))
    for table, column in OF_RUN.items():
        db.execute(
            f"DELETE FROM {table} WHERE {column} IS NULL OR {column} NOT IN (SELECT value FROM json_each(?))", (kept,)
        )
    cited = _cited(db, runs)
    if unit is not None:
        (n,) = db.execute("SELECT n FROM head WHERE kind = 'unit' AND key = ?", (unit,)).fetchone()
        cited.add(("unit", unit, n))
    for kind, key, n in db.execute("SELECT kind, key, n FROM document").fetchall():
        if (kind, key, n) not in cited:
            db.execute("DELETE FROM document WHERE kind = ? AND key = ? AND n = ?", (kind, key, n))
    db.execute("DELETE FROM head")
    newest: dict[tuple[str, str], int] = {}
    for kind, key, n in cited:
        newest[kind, key] = max(n, newest.get((kind, key), 0))
    _count_anew(db)
    db.executemany("INSERT INTO head (kind, key, n, seq) VALUES (?, ?, ?, ?)",
                   [(kind, key, n, 1) for (kind, key), n in sorted(newest.items())])  # fmt: skip
    named = _named(db)
    for table in BY_HASH:
        hashes = json.dumps(sorted(sha for of, sha in named if of == table))
        db.execute(f"DELETE FROM {table} WHERE sha256 NOT IN (SELECT value FROM json_each(?))", (hashes,))
    traces = json.dumps(sorted(sha for of, sha in named if of == "trace"))
    gone = "SELECT id FROM trace WHERE sha256 NOT IN (SELECT value FROM json_each(?))"
    for table in OF_TRACE:
        db.execute(f"DELETE FROM {table} WHERE trace IN ({gone})", (traces,))
    db.execute("DELETE FROM trace WHERE sha256 NOT IN (SELECT value FROM json_each(?))", (traces,))
    db.execute("COMMIT")
    db.execute("VACUUM")


def _count_anew(db: sqlite3.Connection) -> None:
    """Places from one on, without gaps; each is no greater than it was, so that none is ever there twice."""
    db.execute("CREATE TEMP TABLE place (old INTEGER PRIMARY KEY, new INTEGER NOT NULL)")
    db.execute("INSERT INTO place SELECT seq, row_number() OVER (ORDER BY seq) FROM event")
    for old, new in db.execute("SELECT old, new FROM place WHERE old <> new ORDER BY old").fetchall():
        db.execute("UPDATE event SET seq = ? WHERE seq = ?", (new, old))
    db.execute("UPDATE reading SET seq = (SELECT new FROM place WHERE old = reading.seq)")
    db.execute("DROP TABLE place")


def _cited(db: sqlite3.Connection, runs: Iterable[int]) -> set[tuple[str, str, int]]:
    """Every revision that an event of these runs binds in, or a run names."""
    found: set[tuple[str, str, int]] = set()
    for run in runs:
        unit, unit_n, rig_n, plan_n = db.execute(
            "SELECT unit, unit_n, rig_n, plan_n FROM run WHERE id = ?", (run,)
        ).fetchone()
        found |= {("unit", unit, unit_n), ("rig", "bench", rig_n), ("plan", "plan", plan_n)}
        for (body,) in db.execute("SELECT body FROM event WHERE run = ? AND kind = 'DocumentsBound'", (run,)):
            found |= {(str(kind), str(key), int(n)) for kind, key, n, _ in json.loads(body)["documents"]}
    return found


def _named(db: sqlite3.Connection) -> set[tuple[str, str]]:
    named: set[tuple[str, str]] = set()
    for kind, body in db.execute("SELECT kind, body FROM event"):
        named |= named_by(kind, body)
    for (body,) in db.execute("SELECT body FROM document WHERE kind = 'unit'"):
        named |= {("photo", p["sha256"]) for p in json.loads(body)["look"].get("photographs", ())}
    return named


def join(book: Path, part: Path) -> list[int]:
    """The runs of a part into a book, with the revisions, samples and files that they cite; nothing of either is
    renumbered or rewritten. Returns the runs. InputError where the book has one of the numbers, or another document
    under a revision that they cite; where their evidence was changed."""
    source = connect_reader(part)
    try:
        with clear_errors(part):
            runs = [n for (n,) in source.execute("SELECT id FROM run ORDER BY id")]
            for run in runs:
                if (seal := check_run(source, run)).state == BROKEN:
                    raise InputError(f"run {run} of {part.name}: {seal.why}; it is not joined", key="run")
            lock = take_lock(book)
            try:
                _join(book, source, runs)
            finally:
                os.close(lock)
    finally:
        source.close()
    return runs


def _join(book: Path, source: sqlite3.Connection, runs: list[int]) -> None:
    db = connect_writer(book)
    try:
        with clear_errors(book):
            there = [n for (n,) in db.execute("SELECT id FROM run") if n in runs]
            if there:
                numbers = ", ".join(map(str, there))
                why = "a run keeps its number, which its seal covers; compare both books beside each other instead"
                raise InputError(f"{book.name} has a run {numbers} of its own, and {why}", key="run")
            db.execute("BEGIN IMMEDIATE")
            try:
                _copy(db, source, runs, book)
                db.execute("COMMIT")
            except BaseException:
                db.execute("ROLLBACK")
                raise
    finally:
        close_writer(db)


def _copy(db: sqlite3.Connection, source: sqlite3.Connection, runs: list[int], book: Path) -> None:
    for kind, key, n in sorted(_cited(source, runs)):
        query = "SELECT kind, key, n, parent, at, why, body, sha256 FROM document WHERE kind = ? AND key = ? AND n = ?"
        row = source.execute(query, (kind, key, n)).fetchone()
        own = db.execute(query, (kind, key, n)).fetchone()
        if own is not None and own[6] != row[6]:
            raise InputError(f"{book.name} has another {kind} {key!r} under revision {n}", key=kind)
        if own is None:
            db.execute("INSERT INTO document (kind, key, n, parent, at, why, body, sha256) "
                       "VALUES (?, ?, ?, NULL, ?, ?, ?, ?)", (*row[:3], *row[4:]))  # fmt: skip
            db.execute("INSERT OR IGNORE INTO head (kind, key, n, seq) VALUES (?, ?, ?, "
                       "(SELECT coalesce(max(seq), 0) + 1 FROM event))", (kind, key, n))  # fmt: skip
    numbers = json.dumps(runs)
    _rows(db, source, "run", "WHERE id IN (SELECT value FROM json_each(?))", numbers)
    # Events and readings get new places in the order of the book; the chain of a run does not cover those.
    at = db.execute("SELECT coalesce(max(seq), 0) FROM event").fetchone()[0]
    places: dict[int, int] = {}
    events = source.execute("SELECT seq, run, step, at, bench_s, kind, v, body, digest FROM event WHERE run IN "
                            "(SELECT value FROM json_each(?)) ORDER BY seq", (numbers,))  # fmt: skip
    named: set[tuple[str, str]] = set()
    for seq, *rest in events:
        at += 1
        places[seq] = at
        named |= named_by(rest[4], rest[6])
        db.execute("INSERT INTO event (seq, run, step, at, bench_s, kind, v, body, digest) VALUES (?,?,?,?,?,?,?,?,?)",
                   (at, *rest))  # fmt: skip
    readings = source.execute("SELECT id, run, point, quantity, value, unit, seq FROM reading WHERE run IN "
                              "(SELECT value FROM json_each(?))", (numbers,))  # fmt: skip
    for *rest, seq in readings:
        db.execute("INSERT INTO reading (id, run, point, quantity, value, unit, seq) VALUES (?,?,?,?,?,?,?)",
                   (*rest, places[seq]))  # fmt: skip
    for (body,) in source.execute("SELECT body FROM document WHERE kind = 'unit'"):
        named |= {("photo", p["sha256"]) for p in json.loads(body)["look"].get("photographs", ())}
    for table, sha in sorted(named):
        if table == "trace":
            _trace(db, source, sha)
        else:
            _rows(db, source, table, "WHERE sha256 = ?", sha)


def _rows(db: sqlite3.Connection, source: sqlite3.Connection, table: str, where: str, value: str) -> None:
    for row in source.execute(f"SELECT * FROM {table} {where}", (value,)):
        db.execute(f"INSERT OR IGNORE INTO {table} VALUES ({','.join('?' * len(row))})", row)


def _trace(db: sqlite3.Connection, source: sqlite3.Connection, sha: str) -> None:
    if db.execute("SELECT 1 FROM trace WHERE sha256 = ?", (sha,)).fetchone():
        return
    row = source.execute("SELECT id, code, count FROM trace WHERE sha256 = ?", (sha,)).fetchone()
    if row is None:
        raise BookError(f"samples of a capture are gone ({sha[:12]})")
    new = db.execute("INSERT INTO trace (sha256, code, count) VALUES (?, ?, ?)", (sha, row[1], row[2])).lastrowid
    for table in OF_TRACE:
        for piece in source.execute(f"SELECT * FROM {table} WHERE trace = ?", (row[0],)):
            db.execute(f"INSERT INTO {table} VALUES ({','.join('?' * len(piece))})", (new, *piece[1:]))


def _hold(out: Path, runs: Iterable[int]) -> None:
    """What was sealed is sealed. BookError where it is not."""
    db = connect_reader(out)
    try:
        broken = [seal.why for run in runs if (seal := check_run(db, run)).state == BROKEN]
    finally:
        db.close()
    if broken:
        raise BookError(f"{out.name}: {broken[0]}")
