"""Evidence is sealed: a chain of digests over the events of a run, as they are stored.

Each event's digest is over the digest before it and the event's own bytes, so that nothing can be changed, taken out,
put in or moved without every later digest being another. Documents are bound in by the event DocumentsBound, samples,
files and photographs by the hashes that events name. Whoever forges a whole chain anew is found out only by a digest
that was kept elsewhere: the one that the signed report prints.
"""

from __future__ import annotations

import hashlib
import json
import sqlite3
import zlib
from dataclasses import dataclass

from zincsmith.book.joined import Joined, joined_run, joined_runs

SEALED, NOT_SEALED, BROKEN = "sealed", "not sealed", "broken"
# Whatever comes last of a run is one of these: the digest beside the run is that of the latest of them.
CLOSING = ("RunClosed", "FindingsKept", "Signed", "Amended", "BenchSettled", "DoubtEnded", "CursorsRead")
FIELDS = "seq, run, step, at, bench_s, kind, v, body, digest"
Row = tuple[int, int | None, int | None, str, float | None, str, int, str, str | None]


_PLAIN = json.JSONEncoder(ensure_ascii=True, separators=(",", ":"))  # one for all: making one takes its time


def link(before: str, run: int | None, step: int | None, at: str, bench_s: float | None, kind: str, body: str) -> str:
    """The digest of an event after the one ``before`` (empty for the first), as hex."""
    said = _PLAIN.encode([before, run, step, at, bench_s, kind, 1, body])
    return hashlib.sha256(said.encode("ascii")).hexdigest()


def body_digest(body: str) -> str:
    return hashlib.sha256(body.encode("utf-8")).hexdigest()


@dataclass(frozen=True)
class RunSeal:
    """``digest`` is that of the last event, ``signed`` those of the signatures; ``why`` says what is broken;
    ``sealed_as`` is the number that it had in the book it came from, where that is another."""

    run: int
    state: str
    digest: str = ""
    signed: tuple[str, ...] = ()
    why: str = ""
    sealed_as: int | None = None

    @property
    def words(self) -> str:
        """What may be said: a chain that fits can have been made anew by whoever changed it."""
        if self.state == BROKEN:
            return f"THE EVIDENCE WAS CHANGED: {self.why}"
        came = f"; sealed as run {self.sealed_as} of the book it came from" if self.sealed_as is not None else ""
        return f"internally consistent{came}" if self.state == SEALED else "not sealed (from before seals were kept)"


def check_run(db: sqlite3.Connection, run: int) -> RunSeal:
    """Follow the chain of a run and what it binds in. Streams; memory does not grow with the run."""
    before, kept, signed, states = "", "", [], set()
    named: set[tuple[str, str]] = set()
    bound: list[tuple[str, str, int, str]] = []
    number = 0
    joined = joined_run(db, run)
    for seq, of_run, step, at, bench_s, kind, v, body, digest in db.execute(
        f"SELECT {FIELDS} FROM event WHERE run = ? ORDER BY seq", (run,)
    ):
        number += 1
        states.add(digest is not None)
        if digest is None:
            continue
        of_run = joined.sealed_as if joined is not None else of_run
        if v != 1 or link(before, of_run, step, at, bench_s, kind, body) != digest:
            return RunSeal(run, BROKEN, why=f"event {seq} ({kind}) is not what was written, or one before it is gone")
        before = digest
        if kind in CLOSING:
            kept = digest
        if kind == "Signed":
            signed.append(digest)
        if kind == "DocumentsBound":
            bound += [(str(k), str(key), int(n), str(sha)) for k, key, n, sha in json.loads(body)["documents"]]
        named |= named_by(kind, body)
    if len(states) != 1 or states == {False}:
        mixed = "some of its events carry a digest and some do not"
        return RunSeal(run, NOT_SEALED) if False in states and not signed else RunSeal(run, BROKEN, why=mixed)
    wrong = _missing(db, run, kept, before) or _documents(db, bound, joined) or _blobs(db, named)
    came = joined.other_number(run) if joined is not None else None
    return RunSeal(run, BROKEN if wrong else SEALED, before, tuple(signed), wrong, came)


def named_by(kind: str, body: str) -> set[tuple[str, str]]:
    """(table, hash) of what an event names that is stored beside the events."""
    if kind == "PointTaken":
        point = json.loads(body)["point"] if '"sha256":' in body else {}
        waves = {("wave", w["sha256"]) for w in point.get("waves", ())}
        return waves | {("trace", c["sha256"]) for one in point.get("captures", ()) for c in one["channels"]}
    if kind == "FileTaken":
        return {("source", json.loads(body)["sha256"])}
    if kind == "Noted" and (photo := json.loads(body).get("photo")):
        return {("photo", photo)}
    return set()


def _missing(db: sqlite3.Connection, run: int, kept: str, last: str) -> str:
    """Whether the end of the run is still there."""
    row = db.execute("SELECT digest, ended FROM run WHERE id = ?", (run,)).fetchone()
    if row is None:
        return "the list of runs does not hold it"
    if row[0] != (kept or None) or (row[1] is not None and not kept):
        return "its end is not the one that was written"
    return "" if last else "it has no events"


def _documents(db: sqlite3.Connection, bound: list[tuple[str, str, int, str]], joined: Joined | None) -> str:
    for kind, key, n, sha256 in bound:
        kind, key, n = joined.here(kind, key, n) if joined is not None else (kind, key, n)
        row = db.execute("SELECT body FROM document WHERE kind = ? AND key = ? AND n = ?", (kind, key, n)).fetchone()
        if row is None or body_digest(row[0]) != sha256:
            return f"the {kind} that it cites (revision {n}) is {'gone' if row is None else 'not what it was'}"
        if kind == "unit":
            wrong = _blobs(db, {("photo", p["sha256"]) for p in json.loads(row[0])["look"].get("photographs", ())})
            if wrong:
                return wrong
    return ""


def _blobs(db: sqlite3.Connection, named: set[tuple[str, str]]) -> str:
    words = {"wave": "samples of a record", "source": "a file that was taken in", "photo": "a photograph"}
    for table, sha256 in sorted(named):
        if table == "trace":
            from zincsmith.book.traces import damage_of_trace  # with it NumPy

            if wrong := damage_of_trace(db, sha256):
                return f"samples of a capture {wrong} ({sha256[:12]})"
            continue
        row = db.execute(f"SELECT bytes FROM {table} WHERE sha256 = ?", (sha256,)).fetchone()
        try:
            data = row[0] if row is None or table == "photo" else zlib.decompress(row[0])
        except (zlib.error, TypeError):
            data = b""
        if row is None or hashlib.sha256(data).hexdigest() != sha256:
            return f"{words[table]} {'are gone' if row is None else 'are not what they were'} ({sha256[:12]})"
    return ""


def check_documents(db: sqlite3.Connection) -> list[str]:
    """Documents whose body is not the one that was stored, cited or not."""
    rows = db.execute("SELECT kind, key, n, body, sha256 FROM document WHERE sha256 IS NOT NULL")
    return [f"{kind} {key}, revision {n}, is not what was stored" for kind, key, n, body, sha in rows
            if body_digest(body) != sha]  # fmt: skip


def check_projections(db: sqlite3.Connection) -> list[str]:
    """Tables that are made from the events, where they do not agree with them."""
    found = []
    # The number that an id begins with is that of the book; the rest stands in the event.
    wrong = db.execute(
        "SELECT r.run, r.point, r.quantity FROM reading r LEFT JOIN event e ON e.seq = r.seq WHERE e.seq IS NULL "
        "OR e.run IS NOT r.run OR r.id NOT LIKE r.run || '/%' "
        "OR NOT EXISTS (SELECT 1 FROM json_each(e.body, '$.point.readings') j "
        "WHERE substr(j.value ->> '$.id', instr(j.value ->> '$.id', '/')) = substr(r.id, instr(r.id, '/')) "
        "AND j.value ->> '$.value' IS r.value AND j.value ->> '$.unit' = r.unit "
        "AND j.value ->> '$.quantity' = r.quantity)"
    )
    found += [f"the list of readings differs from run {run}, point {point}, {q}" for run, point, q in wrong]
    wrong = db.execute(
        "SELECT r.id FROM run r JOIN event e ON e.run = r.id AND e.kind = 'RunOpened' WHERE r.began IS NOT e.at OR "
        "(r.id NOT IN (SELECT run FROM joined) AND (e.body ->> '$.unit' IS NOT r.unit OR "
        "e.body ->> '$.unit_n' IS NOT r.unit_n OR e.body ->> '$.rig_n' IS NOT r.rig_n OR "
        "e.body ->> '$.plan_n' IS NOT r.plan_n))"
    )
    runs = [run for (run,) in wrong]
    for run, one in joined_runs(db).items():  # as they read here
        cites = db.execute("SELECT unit, unit_n, rig_n, plan_n FROM run WHERE id = ?", (run,)).fetchone()
        for (body,) in db.execute("SELECT body FROM event WHERE run = ? AND kind = 'RunOpened'", (run,)):
            told = json.loads(one.as_here(run, "RunOpened", body))
            if cites != tuple(told[key] for key in ("unit", "unit_n", "rig_n", "plan_n")):
                runs.append(run)
    found += [f"the list of runs differs from the events of run {run}" for run in runs]
    return found


def check_log(db: sqlite3.Connection) -> str:
    """The chain of what belongs to no run: edits of documents, what was said at rest."""
    before = ""
    for seq, run, step, at, bench_s, kind, _v, body, digest in db.execute(
        f"SELECT {FIELDS} FROM event WHERE run IS NULL AND digest IS NOT NULL ORDER BY seq"
    ):
        if link(before, run, step, at, bench_s, kind, body) != digest:
            return f"event {seq} ({kind}) of no run is not what was written, or one before it is gone"
        before = digest
    return ""
