"""A part of a book as a book of its own: one run, or one unit with its runs. Runs keep their numbers, events what they
say and their digests: a seal that held holds. Only their places in the book are counted anew.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Collection, Iterable
from pathlib import Path

from zincsmith.book.file import clear_errors, close_writer, connect_reader, connect_writer
from zincsmith.book.joined import Place, joined_run
from zincsmith.book.seal import BROKEN, check_run, named_by
from zincsmith.model.errors import BookError, InputError

# What belongs to a run; then what events name by a hash.
OF_RUN = {"run": "id", "event": "run", "reading": "run", "joined": "run"}
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
    cited = cited_by(db, runs)
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


def cited_by(db: sqlite3.Connection, runs: Iterable[int]) -> set[Place]:
    """Every revision that an event of these runs binds in, or a run names."""
    found: set[Place] = set()
    for run in runs:
        unit, unit_n, rig_n, plan_n = db.execute(
            "SELECT unit, unit_n, rig_n, plan_n FROM run WHERE id = ?", (run,)
        ).fetchone()
        found |= {("unit", unit, unit_n), ("rig", "bench", rig_n), ("plan", "plan", plan_n)}
        for (body,) in db.execute("SELECT body FROM event WHERE run = ? AND kind = 'DocumentsBound'", (run,)):
            named = {(str(kind), str(key), int(n)) for kind, key, n, _ in json.loads(body)["documents"]}
            one = joined_run(db, run)
            found |= {one.here(*place) for place in named} if one is not None else named
    return found


def _named(db: sqlite3.Connection) -> set[tuple[str, str]]:
    named: set[tuple[str, str]] = set()
    for kind, body in db.execute("SELECT kind, body FROM event"):
        named |= named_by(kind, body)
    for (body,) in db.execute("SELECT body FROM document WHERE kind = 'unit'"):
        named |= {("photo", p["sha256"]) for p in json.loads(body)["look"].get("photographs", ())}
    return named


def _hold(out: Path, runs: Iterable[int]) -> None:
    """What was sealed is sealed. BookError where it is not."""
    db = connect_reader(out)
    try:
        broken = [seal.why for run in runs if (seal := check_run(db, run)).state == BROKEN]
    finally:
        db.close()
    if broken:
        raise BookError(f"{out.name}: {broken[0]}")
