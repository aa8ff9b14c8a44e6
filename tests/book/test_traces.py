"""Samples of captures in a book: what was put in comes out, drawn from pyramids as from the samples, found out when
damaged."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zincsmith.book import traces
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.formats import packing
from zincsmith.model.errors import BookError


def kept(book: Path, codes: Any, code: Any = "i2") -> str:
    with BookWriter(book) as writer:
        packed = packing.pack(codes, code)
        writer.keep_traces([packed, packed])
    return packed.sha256


@pytest.fixture(scope="module")
def long_one(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str, Any]:
    book = tmp_path_factory.mktemp("traces") / "long.zbook"
    at = np.arange(1_000_003)
    codes = (9000 * np.sin(at * 1e-4) + 300 * np.random.default_rng(7).standard_normal(len(at))).astype("<i2")
    codes[700_001] = 32_000  # one sample that no drawing may lose
    return book, kept(book, codes), codes


@settings(max_examples=60, deadline=None)
@given(st.integers(-10, 1_000_010), st.integers(0, 1_000_010), st.integers(1, 3000))
def test_a_stretch_is_drawn_with_everything_that_is_in_it(
    long_one: tuple[Path, str, Any], start: int, length: int, width: int
) -> None:
    book, sha256, codes = long_one
    begin, end = max(0, start), min(len(codes), start + length)
    with BookReader(book) as reader:
        drawn = reader.traces.envelope(sha256, start, start + length, width)
        assert np.array_equal(reader.traces.read(sha256, start, start + length), codes[begin : max(begin, end)])
    if end <= begin:
        assert len(drawn) == 0
        return
    each = -(-(end - begin) // width)
    assert len(drawn) == -(-(end - begin) // each) <= width
    columns = range(0, len(drawn), max(1, len(drawn) // 40))
    for k in columns:
        own = codes[begin + k * each : min(end, begin + (k + 1) * each)]
        around = codes[max(0, begin + (k - 1) * each) : begin + (k + 2) * each]
        assert around.min() <= drawn[k, 0] <= own.min(), "nothing of the column is left out, nothing far is in it"
        assert own.max() <= drawn[k, 1] <= around.max()


def test_long_samples_are_drawn_without_being_read(long_one: tuple[Path, str, Any]) -> None:
    book, sha256, codes = long_one
    with BookReader(book) as reader:
        reader.traces._read_chunk = None  # type: ignore[method-assign,assignment]
        drawn = reader.traces.envelope(sha256, 0, len(codes), 1200)
        assert drawn.max() == 32_000
        assert reader.traces.count(sha256) == len(codes)


@pytest.mark.parametrize(("code", "count"), [("i1", 65_536), ("i1", 1), ("i2", 131_073), ("i4", 200_000)])
def test_samples_keep_all_their_bits(tmp_path: Path, code: Any, count: int) -> None:
    kind = np.dtype(packing.TYPES[code])
    most = np.iinfo(kind)
    codes = np.random.default_rng(3).integers(most.min, most.max, count, endpoint=True).astype(kind)
    packed = packing.pack(codes, code)
    with BookWriter(tmp_path / "b.zbook") as writer:
        writer.keep_traces([packed])
    with BookReader(tmp_path / "b.zbook") as reader:
        assert np.array_equal(reader.traces.read(packed.sha256), codes)
    with pytest.raises(ValueError, match="was said"):
        packing.pack(codes.astype("<i8"), code)


@pytest.mark.parametrize("harm", ["DELETE FROM chunk WHERE n = 1", "UPDATE chunk SET bytes = x'00' WHERE n = 1",
                                  "DELETE FROM trace"])  # fmt: skip
def test_damage_is_told(tmp_path: Path, harm: str) -> None:
    book = tmp_path / "b.zbook"
    sha256 = kept(book, np.arange(100_000).astype("<i2"))
    db = sqlite3.connect(book)
    assert traces.damage_of_trace(db, sha256) == ""
    db.execute(harm)
    db.commit()
    assert "gone, or damaged" in traces.damage_of_trace(db, sha256)
    db.close()
    with BookReader(book) as reader, pytest.raises(BookError, match="samples of a capture"):
        reader.traces.read(sha256)


def test_other_samples_under_the_hash_are_found_out(tmp_path: Path) -> None:
    book = tmp_path / "b.zbook"
    sha256 = kept(book, np.arange(70_000).astype("<i2"))
    db = sqlite3.connect(book)
    db.execute("UPDATE chunk SET bytes = ? WHERE n = 0", (packing.squeezed(np.zeros(packing.PIECE, "<i2")),))
    assert traces.damage_of_trace(db, sha256) == "are not what they were"
    db.close()
