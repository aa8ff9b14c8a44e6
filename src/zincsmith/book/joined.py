"""Runs of another book under numbers of this one.

The chain of a run covers its number, and its events name the revisions that it cites: neither can be rewritten. So the
book keeps beside a joined run what it was sealed as, and everybody reads it as it is numbered here.
"""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass

from zincsmith.book.codec import dump, load
from zincsmith.model.errors import BookError

Place = tuple[str, str, int]  # kind, key and revision of a document
NAMES_DOCUMENTS = ("RunOpened", "DocumentsBound")


@dataclass(frozen=True)
class Joined:
    """``numbers`` that the run had: first that of its seal, then those in books between. ``documents`` are (kind, key,
    revision) as its events name them, and key and revision here, where these differ."""

    numbers: tuple[int, ...]
    documents: tuple[tuple[str, str, int, str, int], ...] = ()

    @property
    def sealed_as(self) -> int:
        return self.numbers[0]

    def other_number(self, run: int) -> int | None:
        """What the run was sealed as, where that is not its number here."""
        return self.sealed_as if self.sealed_as != run else None

    def here(self, kind: str, key: str, n: int) -> Place:
        """Where a document stands that its events name."""
        for of, was, was_n, now, now_n in self.documents:
            if (of, was, was_n) == (kind, key, n):
                return kind, now, now_n
        return kind, key, n

    def as_here(self, run: int, kind: str, body: str) -> str:
        """The body of an event of the run with the number and the revisions of this book. BookError for a body that is
        none of its kind."""
        for number in self.numbers:
            body = body.replace(f'"id":"{number}/', f'"id":"{run}/')
        if kind != "BenchSettled" and kind not in NAMES_DOCUMENTS:
            return body
        try:
            told = json.loads(body)
            if kind == "BenchSettled":
                told["run"] = run if told["run"] in self.numbers else told["run"]
            elif kind == "RunOpened":
                _, told["unit"], told["unit_n"] = self.here("unit", told["unit"], told["unit_n"])
                told["rig_n"] = self.here("rig", "bench", told["rig_n"])[2]
                told["plan_n"] = self.here("plan", "plan", told["plan_n"])[2]
            else:
                told["documents"] = [[*self.here(k, key, n), sha] for k, key, n, sha in told["documents"]]
        except (ValueError, KeyError, TypeError, RecursionError):
            raise BookError(f"an event of the joined run {run} ({kind}) cannot be read: the book is damaged") from None
        return json.dumps(told, ensure_ascii=False, separators=(",", ":"))


def as_sealed(text: str, run: int, sealed_as: int | None) -> str:
    """Dumped records with the ids of readings as they were when the run was sealed: what hashes of the evidence cover,
    so that they stay what they were."""
    return text if sealed_as is None else text.replace(f'"id":"{run}/', f'"id":"{sealed_as}/')


def joined_runs(db: sqlite3.Connection) -> dict[int, Joined]:
    """By number here; runs that are not in it read as they stand. BookError for what is no record of a joined run."""
    return {run: _read(run, body) for run, body in db.execute("SELECT run, body FROM joined")}


def joined_run(db: sqlite3.Connection, run: int) -> Joined | None:
    row = db.execute("SELECT body FROM joined WHERE run = ?", (run,)).fetchone()
    return _read(run, row[0]) if row else None


def keep(db: sqlite3.Connection, run: int, one: Joined) -> None:
    db.execute("INSERT INTO joined (run, body) VALUES (?, ?)", (run, dump(one)))


def _read(run: int, body: str) -> Joined:
    one = load(Joined, body)
    if not one.numbers:
        raise BookError(f"what the joined run {run} was sealed as is gone: the book is damaged")
    return one
