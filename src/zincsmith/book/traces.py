"""Samples of captures in the book: written once, read piece by piece, drawn from the extremes of stretches."""

from __future__ import annotations

import hashlib
import sqlite3
import zlib
from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from zincsmith.formats.packing import PIECE, TYPES, Codes, Packed, unsqueezed
from zincsmith.model.capture import Code
from zincsmith.model.errors import BookError


def keep(db: sqlite3.Connection, packed: Packed) -> None:
    """Into the book, once; inside the caller's transaction."""
    row = db.execute("SELECT id FROM trace WHERE sha256 = ?", (packed.sha256,)).fetchone()
    if row is not None:
        return
    cursor = db.execute(
        "INSERT INTO trace (sha256, code, count) VALUES (?, ?, ?)", (packed.sha256, packed.code, packed.count)
    )
    db.executemany(
        "INSERT INTO chunk VALUES (?, ?, ?)", ((cursor.lastrowid, n, c) for n, c in enumerate(packed.chunks))
    )
    db.executemany("INSERT INTO span VALUES (?, ?, ?)", ((cursor.lastrowid, s, b) for s, b in packed.levels.items()))


class TraceReader:
    """Samples of the channels of one book, piece by piece; the pieces read last are kept."""

    def __init__(self, db: sqlite3.Connection, name: str) -> None:
        self._db, self._name = db, name
        self._chunk = lru_cache(maxsize=16)(self._read_chunk)
        self._spans = lru_cache(maxsize=8)(self._read_spans)
        self._known = lru_cache(maxsize=1024)(self._row)

    def count(self, sha256: str) -> int:
        """How many samples. BookError where the book does not hold them."""
        return self._known(sha256)[2]

    def read(self, sha256: str, start: int = 0, stop: int | None = None) -> Codes:
        """The codes from ``start`` up to ``stop``, cut to those there are. BookError where they are not there, or
        damaged."""
        trace, code, count = self._known(sha256)
        start, stop = max(0, start), count if stop is None else min(stop, count)
        if stop <= start:
            return np.empty(0, dtype=TYPES[code])
        pieces = [self._chunk(trace, n, code) for n in range(start // PIECE, (stop - 1) // PIECE + 1)]
        first = start // PIECE * PIECE
        joined = pieces[0] if len(pieces) == 1 else np.concatenate(pieces)
        return joined[start - first : stop - first]

    def envelope(self, sha256: str, start: int, stop: int, width: int) -> Codes:
        """(columns, 2): the least and the greatest code of each of at most ``width`` stretches from ``start`` to
        ``stop``, all of one length but the last. Of a long record it may take in up to a stretch beside a column, and
        never leaves out anything of it."""
        trace, code, count = self._known(sha256)
        start, stop = max(0, start), min(stop, count)
        each = -(-max(1, stop - start) // max(1, width))
        if stop <= start:
            return np.empty((0, 2), dtype=TYPES[code])
        stretches = [row[0] for row in self._db.execute("SELECT stretch FROM span WHERE trace = ?", (trace,))]
        fits = [s for s in stretches if s * 2 <= each]
        if not fits:
            codes = self.read(sha256, start, stop)
            starts = np.arange(0, len(codes), each)
            return np.stack([np.minimum.reduceat(codes, starts), np.maximum.reduceat(codes, starts)], axis=1)
        stretch = max(fits)
        spans = self._spans(trace, stretch, code)
        begins = start + each * np.arange(-(-(stop - start) // each))
        first, last = begins // stretch, (np.minimum(begins + each, stop) - 1) // stretch
        # A stretch that two columns share counts for both: nothing of a column is ever left out.
        spans = spans[: int(last[-1]) + 1]
        low = np.minimum(np.minimum.reduceat(spans[:, 0], first), spans[last, 0])
        high = np.maximum(np.maximum.reduceat(spans[:, 1], first), spans[last, 1])
        return np.stack([low, high], axis=1)

    def pieces(self, sha256: str) -> Iterator[Codes]:
        """All of it, a piece at a time."""
        trace, code, count = self._known(sha256)
        for n in range(-(-count // PIECE)):
            yield self._read_chunk(trace, n, code)

    def _row(self, sha256: str) -> tuple[int, Code, int]:
        row = self._db.execute("SELECT id, code, count FROM trace WHERE sha256 = ?", (sha256,)).fetchone()
        if row is None:
            raise BookError(f"{self._name} does not hold the samples of a capture that it names")
        return row[0], row[1], row[2]

    def _read_chunk(self, trace: int, n: int, code: Code) -> Codes:
        row = self._db.execute("SELECT bytes FROM chunk WHERE trace = ? AND n = ?", (trace, n)).fetchone()
        return self._whole(row, code)

    def _read_spans(self, trace: int, stretch: int, code: Code) -> Codes:
        row = self._db.execute("SELECT bytes FROM span WHERE trace = ? AND stretch = ?", (trace, stretch)).fetchone()
        return self._whole(row, code).reshape(-1, 2)

    def _whole(self, row: tuple[bytes] | None, code: Code) -> Codes:
        try:
            if row is None:
                raise ValueError
            return unsqueezed(row[0], code)
        except (ValueError, zlib.error):
            raise BookError(f"{self._name}: the samples of a capture are damaged, or a piece of them is gone") from None


def damage_of_trace(db: sqlite3.Connection, sha256: str) -> str:
    """Empty where the samples are those that were written."""
    digest = hashlib.sha256()
    try:
        for piece in TraceReader(db, "the book").pieces(sha256):
            digest.update(piece.tobytes())
    except BookError:
        return "are gone, or damaged"
    return "" if digest.hexdigest() == sha256 else "are not what they were"
