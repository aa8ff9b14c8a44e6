"""Reading a book: what screens, reports and the command line show. Any number of readers beside one writer."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Container, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any, Generic, TypeAlias, TypeVar

from zincsmith.book.codec import load, load_event
from zincsmith.book.file import clear_errors, connect_reader
from zincsmith.book.joined import joined_runs
from zincsmith.book.seal import RunSeal, check_documents, check_log, check_projections, check_run
from zincsmith.model.errors import BookError
from zincsmith.model.feeding import Feeding
from zincsmith.model.figures import FIGURES
from zincsmith.model.plan import Plan
from zincsmith.model.practice import Practice
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.recipe import Recipe
from zincsmith.model.rig import Rig
from zincsmith.model.roles import ROLES
from zincsmith.model.unit import Unit

if TYPE_CHECKING:
    from zincsmith.book.traces import TraceReader
    from zincsmith.model.events import RunClosed, RunOpened

AT_ONCE = 500  # events
BULK = "kind NOT IN ('Polled', 'Intended', 'WatchSet')"  # as in the index event_told


T = TypeVar("T")
E = TypeVar("E")


@dataclass(frozen=True)
class WrittenAs(Generic[E]):
    """An event as it stands in the book; ``at`` is UTC in ISO form, ``bench_s`` bench seconds."""

    seq: int
    run: int | None
    step: int | None
    at: str
    bench_s: float | None
    event: E


Written: TypeAlias = WrittenAs[Any]


@dataclass(frozen=True)
class RunRow:
    id: int
    unit: str
    unit_n: int
    rig_n: int
    plan_n: int
    procedure: str
    began: str
    ended: str | None
    outcome: str | None
    sealed_as: int | None = None  # its number in the book it was sealed in, where that is another


@dataclass(frozen=True)
class UnitRow:
    """A unit of the book, as a list shows it."""

    key: str
    maker: str
    model: str
    tag: str


class BookReader:
    """Open with a path; close, or use as a context manager."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._db = connect_reader(path)

    def __enter__(self) -> BookReader:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, tb: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        self._db.close()

    def events(self, *, after: int = 0, run: int | None = None, kinds: tuple[type, ...] = ()) -> Iterator[Written]:
        """Events in order, after a sequence number, of one run, of some kinds."""
        query, values = "SELECT seq, run, step, at, bench_s, kind, body FROM event WHERE seq > ?", [after]
        if run is not None:
            query, values = query + " AND run = ?", [*values, run]
        if kinds:
            query += f" AND kind IN ({', '.join('?' * len(kinds))})"
        with clear_errors(self.path):
            cursor = self._db.execute(query + " ORDER BY seq", (*values, *(k.__name__ for k in kinds)))
            while rows := cursor.fetchmany(AT_ONCE):  # memory does not grow with the book
                yield from self._written(rows)

    def _written(self, rows: list[tuple[Any, ...]]) -> list[Written]:
        joined = joined_runs(self._db)
        said = ((r, joined[r[1]].as_here(r[1], r[5], r[6]) if r[1] in joined else r[6]) for r in rows)
        return [Written(r[0], r[1], r[2], r[3], r[4], load_event(r[5], body)) for r, body in said]

    def of_kind(self, kind: type[E], run: int | None = None) -> Iterator[WrittenAs[E]]:
        """Those of one kind, in order."""
        return self.events(run=run, kinds=(kind,))

    def told(self, *, after: int | None = None, before: int | None = None, most: int = 400) -> list[Written]:
        """At most so many events that a log shows, in order: the first ``after`` a number, else the last ``before``
        one (None: the end of the book). Walks an index: what it costs does not grow with the book."""
        forward = after is not None
        place, order = ("seq > ?", "ASC") if forward else ("seq < ?", "DESC")
        value = after if forward else before if before is not None else 1 << 62
        query = (
            f"SELECT seq, run, step, at, bench_s, kind, body FROM event WHERE {BULK} AND {place} "
            f"ORDER BY seq {order} LIMIT ?"
        )
        with clear_errors(self.path):
            rows = self._db.execute(query, (value, most)).fetchall()
        return self._written(rows if forward else rows[::-1])

    def told_with(self, text: str, after: int) -> int | None:
        """The first event that a log shows after a number whose body holds a text; None when there is none."""
        like = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        query = f"SELECT seq FROM event WHERE {BULK} AND seq > ? AND body LIKE ? ESCAPE '\\' ORDER BY seq LIMIT 1"
        with clear_errors(self.path):
            row = self._db.execute(query, (after, f"%{like}%")).fetchone()
        return row[0] if row else None

    def tape_rows(self, after: int, most: int) -> list[tuple[int, int | None, float | None, str, object, object]]:
        """(seq, run, bench_s, kind, source_on or title, load_on) of the next events that a tape is made of."""
        query = (
            "SELECT seq, run, bench_s, kind, CASE kind WHEN 'Polled' THEN body ->> '$.source_on' WHEN 'StageBegan' "
            "THEN body ->> '$.title' END, CASE kind WHEN 'Polled' THEN body ->> '$.load_on' END FROM event "
            "WHERE seq > ? ORDER BY seq LIMIT ?"
        )
        with clear_errors(self.path):
            return self._db.execute(query, (after, most)).fetchall()

    def last_seq(self) -> int:
        seq: int = self._db.execute("SELECT coalesce(max(seq), 0) FROM event").fetchone()[0]
        return seq

    def runs(self) -> list[RunRow]:
        with clear_errors(self.path):
            query = "SELECT id, unit, unit_n, rig_n, plan_n, procedure, began, ended, outcome FROM run ORDER BY id"
            joined = joined_runs(self._db)
            rows = self._db.execute(query).fetchall()
        return [RunRow(*(*row, joined[row[0]].other_number(row[0]) if row[0] in joined else None)) for row in rows]

    def run(self, number: int | None = None) -> RunRow:
        """One run, the latest unless told; BookError when there is none."""
        runs = self.runs()
        if not runs:
            raise BookError(f"{self.path.name} holds no run yet")
        if number is None:
            return runs[-1]
        for row in runs:
            if row.id == number:
                return row
        raise BookError(f"{self.path.name} holds no run {number}; it holds {runs[0].id} to {runs[-1].id}")

    def opened(self, run: int) -> RunOpened:
        from zincsmith.model.events import RunOpened

        return next(self.of_kind(RunOpened, run)).event

    def seal(self, run: int) -> RunSeal:
        """Whether the evidence of a run is what was written."""
        with clear_errors(self.path):
            return check_run(self._db, run)

    def changed_beside(self) -> list[str]:
        """What is not what was stored, apart from the runs: documents, the tables made from events, the log."""
        with clear_errors(self.path):
            log = check_log(self._db)
            return [*check_documents(self._db), *check_projections(self._db), *([log] if log else [])]

    def closed(self, run: int) -> RunClosed | None:
        from zincsmith.model.events import RunClosed, RunResumed

        found = [w.event for w in self.events(run=run, kinds=(RunClosed, RunResumed))]
        return found[-1] if found and isinstance(found[-1], RunClosed) else None

    def current_key(self, kind: str) -> str | None:
        """The document of a kind that was touched last, None when there is none."""
        with clear_errors(self.path):
            row = self._db.execute("SELECT key FROM head WHERE kind = ? ORDER BY seq DESC LIMIT 1", (kind,)).fetchone()
        return row[0] if row else None

    def units(self) -> list[UnitRow]:
        """Every unit of the book, those of one model together."""
        query = (
            "SELECT h.key, d.body ->> '$.maker', d.body ->> '$.model', d.body ->> '$.tag' "
            "FROM head h JOIN document d ON d.kind = h.kind AND d.key = h.key AND d.n = h.n "
            "WHERE h.kind = 'unit' ORDER BY 2, 3, 4"
        )
        with clear_errors(self.path):
            return [UnitRow(*row) for row in self._db.execute(query)]

    def unit(self, key: str | None = None, n: int | None = None) -> Unit:
        record = self._document(Unit, "unit", key, n)
        self._known("figure", [c.figure for c in record.nameplate.claims], FIGURES)
        return record

    def rig(self, n: int | None = None) -> Rig:
        record = self._document(Rig, "rig", "bench", n)
        self._known("role", [i.role for i in record.instruments], ROLES)
        self._known("quantity", [a.quantity for i in record.instruments for a in i.accuracy], QUANTITIES)
        for one in record.instruments:
            if one.calibrated:
                self._day(one.calibrated, f"the day on which the {ROLES[one.role].lower()} was calibrated")
        return record

    def day_of(self, row: RunRow) -> date:
        """When a run began. BookError for what is no date."""
        self._day(row.began[:10], f"when run {row.id} began")
        return date.fromisoformat(row.began[:10])

    def _day(self, text: str, what: str) -> None:
        """BookError for what is no date: it is counted from wherever a rig or a run is shown."""
        try:
            date.fromisoformat(text)
        except ValueError:
            raise BookError(
                f"{self.path.name} gives {text[:40]!r} as {what}, which is no date: the book is damaged; see "
                "zincsmith book check"
            ) from None

    def _known(self, what: str, named: Sequence[str], known: Container[str]) -> None:
        """BookError for a word that stands in a document and nobody knows: screens and reports look it up."""
        for word in named:
            if word not in known:
                raise BookError(
                    f"{self.path.name} names the {what} {word[:40]!r}, which this program does not know: the book is "
                    "damaged, or a newer program or a package that is not installed here wrote it; see "
                    "zincsmith book check"
                )

    def plan(self, n: int | None = None) -> Plan:
        return self._document(Plan, "plan", "plan", n)

    def recipe(self) -> Recipe | None:
        """The one that was used last; None where the book holds none."""
        return self._document(Recipe, "recipe", None, None) if self.current_key("recipe") is not None else None

    def feeding(self) -> Feeding | None:
        """What units must feed, as it was said last; None where nobody has."""
        return self._document(Feeding, "feeding", None, None) if self.current_key("feeding") is not None else None

    def practice(self) -> Practice | None:
        """What makes it a book of practice; None where it is none."""
        return self._document(Practice, "practice", None, None) if self.current_key("practice") is not None else None

    def photo(self, sha256: str) -> bytes:
        """A photograph's bytes; BookError when the book does not hold it."""
        with clear_errors(self.path):
            row = self._db.execute("SELECT bytes FROM photo WHERE sha256 = ?", (sha256,)).fetchone()
        if row is None:
            raise BookError(f"{self.path.name} holds no such photograph")
        data: bytes = row[0]
        return data

    def samples(self, sha256: str) -> bytes:
        """The samples of a record; BookError when the book does not hold them, or they are not what they were."""
        with clear_errors(self.path):
            row = self._db.execute("SELECT bytes FROM wave WHERE sha256 = ?", (sha256,)).fetchone()
        if row is None:
            raise BookError(f"{self.path.name} does not hold the samples of a record that it names")
        data = zlib.decompress(row[0])
        if hashlib.sha256(data).hexdigest() != sha256:
            raise BookError(f"{self.path.name}: the samples of a record are not what they were when they were taken")
        return data

    @cached_property
    def traces(self) -> TraceReader:
        """Samples of captures; with it NumPy, which a window does not open a book for."""
        from zincsmith.book.traces import TraceReader

        return TraceReader(self._db, self.path.name)

    def source(self, sha256: str) -> tuple[str, bytes]:
        """(name, bytes) of a file that was taken in; BookError when the book does not hold it."""
        with clear_errors(self.path):
            row = self._db.execute("SELECT name, bytes FROM source WHERE sha256 = ?", (sha256,)).fetchone()
        if row is None:
            raise BookError(f"{self.path.name} does not hold a file that it names")
        try:
            return row[0], zlib.decompress(row[1])
        except zlib.error:
            raise BookError(f"{self.path.name}: the file {row[0]!r} in it is damaged") from None

    def revision(self, kind: str, key: str) -> tuple[int, bool, bool] | None:
        """(head, can undo, can redo) of a document."""
        row = self._db.execute("SELECT n FROM head WHERE kind = ? AND key = ?", (kind, key)).fetchone()
        if row is None:
            return None
        n = row[0]
        query = "SELECT parent FROM document WHERE kind = ? AND key = ? AND n = ?"
        parent = self._db.execute(query, (kind, key, n)).fetchone()[0]
        query = "SELECT count(*) FROM document WHERE kind = ? AND key = ? AND parent = ?"
        children = self._db.execute(query, (kind, key, n)).fetchone()[0]
        return n, parent is not None, children > 0

    def _document(self, cls: type[T], kind: str, key: str | None, n: int | None) -> T:
        key = key if key is not None else self.current_key(kind)
        with clear_errors(self.path):
            query = (
                "SELECT d.body FROM document d LEFT JOIN head h ON h.kind = d.kind AND h.key = d.key "
                "WHERE d.kind = ? AND d.key = ? AND d.n = coalesce(?, h.n)"
            )
            row = self._db.execute(query, (kind, key, n)).fetchone()
        if row is None:
            raise BookError(f"{self.path.name} holds no {kind}" + (f" {key!r}" if key else ""))
        return load(cls, row[0])
