"""The runs of another book into this one, with everything they cite, sealed as they were.

Both books may have a run 1, a revision 3 of the rig, or a unit of one tag that is another piece. What comes in takes
what is free here; `joined` keeps what it was sealed as, so that its seal holds and whoever reads it reads the numbers
of this book.
"""

from __future__ import annotations

import json
import os
import sqlite3
from dataclasses import dataclass
from pathlib import Path

from zincsmith.book.file import clear_errors, close_writer, connect_reader, connect_writer, take_lock
from zincsmith.book.joined import Joined, Place, joined_run, keep
from zincsmith.book.part import OF_TRACE, cited_by
from zincsmith.book.seal import BROKEN, check_run, named_by
from zincsmith.model.errors import BookError, InputError

SAME_PIECE = ("maker", "model", "tag", "serial")
EVENT = "step, at, bench_s, kind, v, body, digest"


@dataclass(frozen=True)
class JoinedAs:
    """A run of the other book, its number here, and whether it was here before."""

    was: int
    now: int
    known: bool = False


def join(book: Path, part: Path) -> list[JoinedAs]:
    """Take the runs of a part in; a run that the book has already is left as it is. InputError where the evidence of a
    run was changed; nothing is joined then."""
    source = connect_reader(part)
    try:
        with clear_errors(part):
            runs = [n for (n,) in source.execute("SELECT id FROM run ORDER BY id")]
            for run in runs:
                if (seal := check_run(source, run)).state == BROKEN:
                    raise InputError(f"run {run} of {part.name}: {seal.why}; it is not joined", key="run")
            lock = take_lock(book)
            try:
                return _into(book, source, runs, part.stem)
            finally:
                os.close(lock)
    finally:
        source.close()


def _into(book: Path, source: sqlite3.Connection, runs: list[int], name: str) -> list[JoinedAs]:
    db = connect_writer(book)
    try:
        with clear_errors(book):
            db.execute("BEGIN IMMEDIATE")
            try:
                done = _Joining(db, source, name).all(runs)
                db.execute("COMMIT")
            except BaseException:
                db.execute("ROLLBACK")
                raise
    finally:
        close_writer(db)
    return done


class _Joining:
    """``name`` tells pieces apart that both books call the same."""

    def __init__(self, db: sqlite3.Connection, source: sqlite3.Connection, name: str) -> None:
        self._db, self._source, self._name = db, source, name
        self._named: set[tuple[str, str]] = set()  # what stands beside the events that came in
        self._keys: dict[str, str] = {}  # of units, as they are called here

    def all(self, runs: list[int]) -> list[JoinedAs]:
        known = {run: there for run in runs if (there := self._there(run)) is not None}
        fresh = [run for run in runs if run not in known]
        if fresh:
            places = {place: self._document(place) for place in sorted(cited_by(self._source, fresh))}
            numbers = self._numbers(fresh)
            at = self._db.execute("SELECT coalesce(max(seq), 0) FROM event").fetchone()[0]
            for run in fresh:  # one after the other: the book is in the order of what was done to it
                at = self._run(run, numbers[run], places, at)
            self._blobs()
        return [JoinedAs(n, known.get(n) or numbers[n], n in known) for n in runs]

    def _there(self, run: int) -> int | None:
        """Its number here, where it is here: by the very event that began it."""
        began = self._source.execute("SELECT at, body, digest FROM event WHERE run = ? AND kind = 'RunOpened'",
                                     (run,)).fetchone()  # fmt: skip
        row = began and self._db.execute("SELECT run FROM event WHERE kind = 'RunOpened' AND at = ? AND body = ? "
                                         "AND digest IS ?", began).fetchone()  # fmt: skip
        return int(row[0]) if row else None

    def _numbers(self, runs: list[int]) -> dict[int, int]:
        """What is free stays; else what comes after all there are."""
        taken = {n for (n,) in self._db.execute("SELECT id FROM run")}
        after = max(taken | set(runs))
        found = {}
        for run in runs:
            if run in taken:
                after += 1
            found[run] = after if run in taken else run
        return found

    # Documents

    def _document(self, place: Place) -> Place:
        """Where a revision stands here: the same text where there is one, else a number that is free."""
        kind, key, n = place
        row = self._source.execute("SELECT at, why, body, sha256 FROM document WHERE kind = ? AND key = ? AND n = ?",
                                   place).fetchone()  # fmt: skip
        if row is None:
            raise BookError(f"the {kind} that a run cites (revision {n}) is gone")
        at, why, body, sha256 = row
        if kind == "unit":
            self._named |= {("photo", p["sha256"]) for p in json.loads(body)["look"].get("photographs", ())}
            if key not in self._keys:
                self._keys[key] = self._key(key)
            key = self._keys[key]
        own = dict(self._db.execute("SELECT n, body FROM document WHERE kind = ? AND key = ?", (kind, key)).fetchall())
        if own.get(n) == body:
            return kind, key, n
        if same := [m for m, text in own.items() if text == body]:
            return kind, key, same[0]
        n = max(own) + 1 if n in own else n
        self._db.execute("INSERT INTO document (kind, key, n, parent, at, why, body, sha256) "
                         "VALUES (?, ?, ?, NULL, ?, ?, ?, ?)", (kind, key, n, at, why, body, sha256))  # fmt: skip
        # Touched before anything else: whatever is open in this book stays what is open.
        self._db.execute("INSERT INTO head (kind, key, n, seq) VALUES (?, ?, ?, 0) ON CONFLICT DO NOTHING",
                         (kind, key, n))  # fmt: skip
        return kind, key, n

    def _key(self, key: str) -> str:
        """A piece keeps its key; another piece of that key is told apart by the book it comes from. It is the same
        where the two are called the same today, or share a revision: what it is called is edited like the rest."""
        query = "SELECT body FROM document WHERE kind = 'unit' AND key = ? ORDER BY n"
        theirs = [body for (body,) in self._source.execute(query, (key,))]
        names = [key, f"{key} of {self._name}"]
        names += [f"{names[1]} ({n})" for n in range(2, 100)]
        for name in names:
            ours = [body for (body,) in self._db.execute(query, (name,))]
            if not ours or set(ours) & set(theirs) or _piece(ours[-1]) == _piece(theirs[-1]):
                return name
        raise InputError(f"the book has a hundred pieces that are called {key!r}", key="unit")

    # Runs

    def _run(self, run: int, number: int, places: dict[Place, Place], at: int) -> int:
        """One run with its events and readings behind place ``at``; the last place afterwards."""
        was = joined_run(self._source, run) or Joined((run,))
        now = _followed(was, run, number, places, cited_by(self._source, [run]))
        if now is not None:
            keep(self._db, number, now)
        columns = "unit, unit_n, rig_n, plan_n, procedure, began, ended, outcome, digest"
        unit, unit_n, rig_n, plan_n, *rest = self._source.execute(
            f"SELECT {columns} FROM run WHERE id = ?", (run,)
        ).fetchone()
        _, unit, unit_n = places["unit", unit, unit_n]
        rig_n, plan_n = places["rig", "bench", rig_n][2], places["plan", "plan", plan_n][2]
        self._db.execute(f"INSERT INTO run (id, {columns}) VALUES ({','.join('?' * 10)})",
                         (number, unit, unit_n, rig_n, plan_n, *rest))  # fmt: skip
        seqs: dict[int, int] = {}
        events = self._source.execute(f"SELECT seq, {EVENT} FROM event WHERE run = ? ORDER BY seq", (run,))
        for at, (seq, *event) in enumerate(events, at + 1):  # noqa: B020 - it goes on from where it is
            seqs[seq] = at
            self._named |= named_by(event[3], event[5])
            marks = ",".join("?" * 9)
            self._db.execute(f"INSERT INTO event (seq, run, {EVENT}) VALUES ({marks})", (at, number, *event))
        readings = self._source.execute("SELECT id, point, quantity, value, unit, seq FROM reading WHERE run = ?",
                                        (run,))  # fmt: skip
        for name, *what, seq in readings:
            self._db.execute("INSERT INTO reading (id, run, point, quantity, value, unit, seq) VALUES (?,?,?,?,?,?,?)",
                             (f"{number}/{name.partition('/')[2]}", number, *what, seqs[seq]))  # fmt: skip
        return at

    # Samples and files

    def _blobs(self) -> None:
        """What events and units name by a hash, each once."""
        for table, sha in sorted(self._named):
            if table == "trace":
                self._trace(sha)
            else:
                for row in self._source.execute(f"SELECT * FROM {table} WHERE sha256 = ?", (sha,)):
                    marks = ",".join("?" * len(row))
                    self._db.execute(f"INSERT OR IGNORE INTO {table} VALUES ({marks})", row)

    def _trace(self, sha: str) -> None:
        if self._db.execute("SELECT 1 FROM trace WHERE sha256 = ?", (sha,)).fetchone():
            return
        row = self._source.execute("SELECT id, code, count FROM trace WHERE sha256 = ?", (sha,)).fetchone()
        if row is None:
            raise BookError(f"samples of a capture are gone ({sha[:12]})")
        new = self._db.execute("INSERT INTO trace (sha256, code, count) VALUES (?, ?, ?)", (sha, *row[1:])).lastrowid
        for table in OF_TRACE:
            for piece in self._source.execute(f"SELECT * FROM {table} WHERE trace = ?", (row[0],)):
                self._db.execute(f"INSERT INTO {table} VALUES ({','.join('?' * len(piece))})", (new, *piece[1:]))


def _piece(body: str) -> list[str]:
    told = json.loads(body)
    return [str(told.get(key, "")).strip().lower() for key in SAME_PIECE]


def _followed(was: Joined, run: int, number: int, places: dict[Place, Place], cited: set[Place]) -> Joined | None:
    """What a run was sealed as, from here; None where it reads as it stands. ``cited`` are its documents in the other
    book, which may have numbered them anew itself."""
    sealed = {(kind, now, now_n): (kind, key, n) for kind, key, n, now, now_n in was.documents}
    documents = []
    for place in sorted(cited):
        kind, key, n = sealed.get(place, place)
        _, now, now_n = places[place]
        if (key, n) != (now, now_n):
            documents.append((kind, key, n, now, now_n))
    numbers = was.numbers if run in was.numbers else (*was.numbers, run)
    if numbers == (number,) and not documents:
        return None
    return Joined(numbers, tuple(documents))
