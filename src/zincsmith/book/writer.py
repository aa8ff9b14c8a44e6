"""The only writer of a book. Every append is committed, and on the disk, before it returns."""

from __future__ import annotations

import hashlib
import os
import shutil
import sqlite3
import time
import zlib
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from zincsmith.book.codec import DOCUMENTS, dump, load
from zincsmith.book.file import clear_errors, close_writer, connect_writer, take_lock
from zincsmith.book.joined import Joined, joined_runs
from zincsmith.book.seal import CLOSING, body_digest, link
from zincsmith.formats.plain_text import storable
from zincsmith.model.errors import BookError
from zincsmith.model.events import DocumentsBound, Event, PointTaken, Revised, RunClosed, RunOpened, RunResumed
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

if TYPE_CHECKING:
    from zincsmith.formats.packing import Packed


class BookWriter:
    """Open with a path (created if absent); close, or use as a context manager."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._tips: dict[int | None, str] = {}
        self._lock = take_lock(path)
        try:
            self._db = connect_writer(path)
        except BaseException:
            os.close(self._lock)
            raise

    def __enter__(self) -> BookWriter:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, tb: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        close_writer(self._db)
        os.close(self._lock)

    @cached_property
    def _joined(self) -> dict[int, Joined]:
        """Read once: nothing is joined to a book that somebody has open for writing."""
        return joined_runs(self._db)

    # Events

    def append(
        self, *events: Event, run: int | None = None, step: int | None = None, bench_s: float | None = None
    ) -> int:
        """Write events in one commit; returns the last one's sequence number once it is on the disk."""
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            return [self._insert(event, run, step, bench_s) for event in events][-1]

    def commit_s(self) -> float:
        """How long one commit takes on the disk of this book, in s: the least of three that change nothing."""
        with clear_errors(self.path):
            version = self._db.execute("PRAGMA user_version").fetchone()[0]
            times = []
            for _ in range(3):
                began = time.monotonic()
                with _Transaction(self._db, self._tips):
                    self._db.execute(f"PRAGMA user_version={version}")
                times.append(time.monotonic() - began)
        return min(times)

    def free_bytes(self) -> int:
        """Room left on the disk of this book."""
        return shutil.disk_usage(self.path.parent).free

    def open_run(self, opened: RunOpened) -> int:
        """Begin a run; returns its number."""
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            run = self.next_run()
            self._insert(opened, run, None, None)
            self._insert(self._bound(opened), run, None, None)
            return run

    def _bound(self, opened: RunOpened) -> DocumentsBound:
        """What a run cites, by the hash of what is stored."""
        cited = (("unit", opened.unit, opened.unit_n), ("rig", "bench", opened.rig_n), ("plan", "plan", opened.plan_n))
        query = "SELECT body FROM document WHERE kind = ? AND key = ? AND n = ?"
        rows = [(*one, self._db.execute(query, one).fetchone()) for one in cited]
        return DocumentsBound(tuple((kind, key, n, body_digest(row[0])) for kind, key, n, row in rows if row))

    def next_run(self) -> int:
        """The number that the next run will have."""
        run: int = self._db.execute("SELECT coalesce(max(id), 0) + 1 FROM run").fetchone()[0]
        return run

    def write_run(self, opened: RunOpened, events: Iterable[Event]) -> int:
        """A whole run in one commit, whole or not at all; returns its number."""
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            run = self.next_run()
            self._insert(opened, run, None, None)
            self._insert(self._bound(opened), run, None, None)
            for step, event in enumerate(events, 1):
                self._insert(event, run, step, None)
            return run

    def _insert(self, event: Event, run: int | None, step: int | None, bench_s: float | None) -> int:
        at, kind, body = datetime.now(UTC).isoformat(timespec="milliseconds"), type(event).__name__, dump(event)
        bench_s = float(bench_s) if bench_s is not None else None
        as_sealed = self._joined[run].sealed_as if run in self._joined else run
        digest = link(self._tip(run), as_sealed, step, at, bench_s, kind, body)
        cursor = self._db.execute(
            "INSERT INTO event (run, step, at, bench_s, kind, v, body, digest) VALUES (?, ?, ?, ?, ?, 1, ?, ?)",
            (run, step, at, bench_s, kind, body, digest),
        )
        seq = cursor.lastrowid or 0
        self._tips[run] = digest
        self._project(event, run, seq, at)
        if kind in CLOSING:
            self._db.execute("UPDATE run SET digest = ? WHERE id = ?", (digest, run))
        return seq

    def _tip(self, run: int | None) -> str:
        """The digest of the last event of a run, or of what belongs to none."""
        if run not in self._tips:
            query = "SELECT digest FROM event WHERE run IS ? AND digest IS NOT NULL ORDER BY seq DESC LIMIT 1"
            row = self._db.execute(query, (run,)).fetchone()
            self._tips[run] = row[0] if row else ""
        return self._tips[run]

    def _project(self, event: Event, run: int | None, seq: int, at: str) -> None:
        if isinstance(event, RunOpened):
            self._db.execute(
                "INSERT INTO run (id, unit, unit_n, rig_n, plan_n, procedure, began) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (run, event.unit, event.unit_n, event.rig_n, event.plan_n, _names(event), at),
            )
        elif isinstance(event, RunResumed):
            self._db.execute("UPDATE run SET ended = NULL, outcome = NULL WHERE id = ?", (run,))
        elif isinstance(event, RunClosed):
            self._db.execute("UPDATE run SET ended = ?, outcome = ? WHERE id = ?", (at, event.outcome, run))
        elif isinstance(event, PointTaken):
            self._db.executemany(
                "INSERT OR REPLACE INTO reading (id, run, point, quantity, value, unit, seq) "
                "VALUES (?, ?, ?, ?, ?, ?, ?)",
                [(r.id, run, event.point.number, r.quantity, r.value, r.unit, seq) for r in event.point.readings],
            )

    # Documents

    def revise(self, kind: str, key: str, record: object, why: str) -> int:
        """Store a whole new revision of a document and make it the head. An unchanged one is not stored again."""
        if not isinstance(record, DOCUMENTS[kind]):
            raise BookError(f"a {type(record).__name__} is no {kind}")
        body, key, why = dump(record), storable(key), storable(why)
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            head = self._head(kind, key)
            if head is not None and self._body(kind, key, head) == body:
                self._move(kind, key, head, None)
                return head
            n = self._store(kind, key, head, body, why)
            self._move(kind, key, n, Revised(kind, key, n, why))
            return n

    def keep_revision(self, kind: str, key: str, record: object, why: str) -> int:
        """Store a revision for a run to cite, beside the chain of edits: the head stays, nothing leads to it by undo or
        redo. Returns its number."""
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            return self._store(kind, key, None, dump(record), why)

    def _store(self, kind: str, key: str, parent: int | None, body: str, why: str) -> int:
        n: int = self._db.execute(
            "SELECT coalesce(max(n), 0) + 1 FROM document WHERE kind = ? AND key = ?", (kind, key)
        ).fetchone()[0]
        self._db.execute(
            "INSERT INTO document (kind, key, n, parent, at, why, body, sha256) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (kind, key, n, parent, datetime.now(UTC).isoformat(timespec="seconds"), why, body, body_digest(body)),
        )
        return n

    def keep_photo(self, sha256: str, kind: str, size: tuple[int, int], data: bytes) -> None:
        """Store a photograph under its hash, once. BookError when the hash is another's."""
        if hashlib.sha256(data).hexdigest() != sha256:
            raise BookError("a photograph does not carry the hash it was announced with")
        at = datetime.now(UTC).isoformat(timespec="seconds")
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            self._db.execute(
                "INSERT OR IGNORE INTO photo (sha256, type, width, height, at, bytes) VALUES (?, ?, ?, ?, ?, ?)",
                (sha256, kind, *size, at, data),
            )

    def keep_waves(self, samples: Mapping[str, bytes]) -> None:
        """Store the samples of records under their hashes, each once."""
        rows = [(sha256, zlib.compress(data)) for sha256, data in samples.items()]
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            self._db.executemany("INSERT OR IGNORE INTO wave (sha256, bytes) VALUES (?, ?)", rows)

    def keep_traces(self, traces: Iterable[Packed]) -> None:
        """Store the samples of captures under their hashes, each once, all of them or none."""
        from zincsmith.book.traces import keep  # with it NumPy, which a window does not open a book for

        with clear_errors(self.path), _Transaction(self._db, self._tips):
            for packed in traces:
                keep(self._db, packed)

    def keep_source(self, sha256: str, name: str, data: bytes) -> None:
        """Store a file that was taken in as evidence, once."""
        at = datetime.now(UTC).isoformat(timespec="seconds")
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            self._db.execute(
                "INSERT OR IGNORE INTO source (sha256, name, at, bytes) VALUES (?, ?, ?, ?)",
                (sha256, name, at, zlib.compress(data)),
            )

    def undo(self, kind: str, key: str) -> bool:
        """Move the head to its parent; False when there is nothing to undo."""
        return self._step(kind, key, "SELECT parent FROM document WHERE kind = ? AND key = ? AND n = ?", "undo")

    def redo(self, kind: str, key: str) -> bool:
        """Move the head to its latest child; False when there is nothing to redo."""
        return self._step(kind, key, "SELECT max(n) FROM document WHERE kind = ? AND key = ? AND parent = ?", "redo")

    def choose(self, kind: str, key: str) -> None:
        """Make a document of a kind the current one. BookError when there is none of that key."""
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            head = self._head(kind, key)
            if head is None:
                raise BookError(f"{self.path.name} holds no {kind} {key!r}")
            self._move(kind, key, head, Revised(kind, key, head, "chosen", moved=True))

    def head(self, kind: str, key: str) -> int | None:
        return self._head(kind, key)

    def unit(self, key: str) -> Unit:
        """The head revision; so for rig and plan. BookError when there is none."""
        return load(Unit, self._head_body("unit", key))

    def rig(self) -> Rig:
        return load(Rig, self._head_body("rig", "bench"))

    def plan(self) -> Plan:
        return load(Plan, self._head_body("plan", "plan"))

    def _head_body(self, kind: str, key: str) -> str:
        head = self._head(kind, key)
        if head is None:
            raise BookError(f"{self.path.name} holds no {kind} {key!r}")
        return self._body(kind, key, head)

    def _head(self, kind: str, key: str) -> int | None:
        row = self._db.execute("SELECT n FROM head WHERE kind = ? AND key = ?", (kind, key)).fetchone()
        return row[0] if row else None

    def _body(self, kind: str, key: str, n: int) -> str:
        query = "SELECT body FROM document WHERE kind = ? AND key = ? AND n = ?"
        body: str = self._db.execute(query, (kind, key, n)).fetchone()[0]
        return body

    def _step(self, kind: str, key: str, query: str, why: str) -> bool:
        with clear_errors(self.path), _Transaction(self._db, self._tips):
            head = self._head(kind, key)
            if head is None:
                return False
            row = self._db.execute(query, (kind, key, head)).fetchone()
            if row is None or row[0] is None:
                return False
            self._move(kind, key, row[0], Revised(kind, key, row[0], why, moved=True))
            return True

    def _move(self, kind: str, key: str, n: int, event: Revised | None) -> None:
        seq = self._insert(event, None, None, None) if event else self._latest()
        self._db.execute("INSERT OR REPLACE INTO head (kind, key, n, seq) VALUES (?, ?, ?, ?)", (kind, key, n, seq))

    def _latest(self) -> int:
        seq: int = self._db.execute("SELECT coalesce(max(seq), 0) FROM event").fetchone()[0]
        return seq

    def unfinished(self) -> list[int]:
        """Runs that began and never closed: whoever ran them died."""
        return [row[0] for row in self._db.execute("SELECT id FROM run WHERE outcome IS NULL ORDER BY id")]

    def rebuild(self) -> None:
        """Make the projections again from the events."""
        from zincsmith.book.codec import load_event

        with clear_errors(self.path), _Transaction(self._db, self._tips):
            self._db.execute("DELETE FROM run")
            self._db.execute("DELETE FROM reading")
            rows = self._db.execute("SELECT seq, run, at, kind, body, digest FROM event ORDER BY seq").fetchall()
            for seq, run, at, kind, body, digest in rows:
                told = self._joined[run].as_here(run, kind, body) if run in self._joined else body
                self._project(load_event(kind, told), run, seq, at)
                if kind in CLOSING:
                    self._db.execute("UPDATE run SET digest = ? WHERE id = ?", (digest, run))


def _names(opened: RunOpened) -> str:
    return " ".join(name for name, _ in opened.procedures)


class _Transaction:
    """BEGIN IMMEDIATE ... COMMIT, or ROLLBACK on any error."""

    def __init__(self, db: sqlite3.Connection, tips: dict[int | None, str]) -> None:
        self._db, self._tips = db, tips

    def __enter__(self) -> None:
        self._db.execute("BEGIN IMMEDIATE")

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, tb: TracebackType | None) -> None:
        if kind is None:
            self._db.execute("COMMIT")
            return
        self._tips.clear()  # what was not kept is no link of a chain
        if self._db.in_transaction:
            self._db.execute("ROLLBACK")
