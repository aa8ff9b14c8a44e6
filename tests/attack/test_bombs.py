"""Files that say in few bytes that they hold much, lead out of themselves, or are broken: refused, no traceback."""

from __future__ import annotations

import io
import json
import os
import re
import sqlite3
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path
from random import Random

import h5py
import numpy as np
import pytest
from tests.attack.test_foreign_books import change_a_digit
from tests.conftest import sampled

from zincsmith.book.reader import BookReader
from zincsmith.cli.app import judged_run
from zincsmith.engine.book_check import check_book
from zincsmith.formats.table_file import read_columns
from zincsmith.model.errors import BookError, InputError, ZincsmithError
from zincsmith.report.html import render

MOST_BYTES = 2_000_000_000


def _differing_rows(path: Path) -> None:
    path.write_text(json.dumps([{f"k{n}": n} for n in range(20_000)]))


def _compressed_fill(path: Path) -> None:
    with h5py.File(path, "w") as file:
        file.create_dataset("voltage_V", shape=(10**10,), dtype="f8", chunks=(10**6,), compression="gzip")


def _huge_chunk(path: Path) -> None:
    with h5py.File(path, "w") as file:
        file.create_dataset("voltage_V", shape=(3 * 10**7,), dtype="f8", chunks=(3 * 10**7,), compression="gzip")


def _external(path: Path) -> None:
    (path.parent / "secret.bin").write_bytes(np.arange(100.0).tobytes())
    with h5py.File(path, "w") as file:
        file.create_dataset("voltage_V", shape=(100,), dtype="f8", external=[(str(path.parent / "secret.bin"), 0, 800)])


def _link(path: Path) -> None:
    with h5py.File(path.parent / "other.h5", "w") as file:
        file["x"] = np.arange(100.0)
    with h5py.File(path, "w") as file:
        file["voltage_V"] = h5py.ExternalLink(str(path.parent / "other.h5"), "x")


def _virtual(path: Path) -> None:
    layout = h5py.VirtualLayout(shape=(100,), dtype="f8")
    layout[:] = h5py.VirtualSource(str(path.parent / "other.h5"), "x", shape=(100,))
    with h5py.File(path, "w") as file:
        file.create_virtual_dataset("voltage_V", layout)


def _npz_fill(path: Path) -> None:
    head = io.BytesIO()
    np.lib.format.write_array_header_1_0(head, {"descr": "<f8", "fortran_order": False, "shape": (10**10,)})
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("voltage_V.npy", head.getvalue() + bytes(10_000_000))


def _npy_shape(path: Path) -> None:
    with path.open("wb") as file:
        np.lib.format.write_array_header_1_0(file, {"descr": "<f8", "fortran_order": False, "shape": (10**12, 4)})


def _sparse(path: Path) -> None:
    with path.open("wb") as file:
        file.write(b"time_s,voltage_V\n0,1\n")
        file.truncate(2 * 10**9)


BOMBS: dict[str, tuple[str, Callable[[Path], None], str]] = {
    "20 000 differing rows": ("a.json", _differing_rows, "columns"),
    "compressed fill": ("a.h5", _compressed_fill, "million numbers"),
    "one huge piece": ("a.h5", _huge_chunk, "too large"),
    "stored elsewhere": ("a.h5", _external, "another file"),
    "a link": ("a.h5", _link, "is a link"),
    "a virtual data set": ("a.h5", _virtual, "another file"),
    "packed fill": ("a.npz", _npz_fill, "million numbers"),
    "a huge shape": ("a.npy", _npy_shape, "million numbers"),
    "two sparse gigabytes": ("a.csv", _sparse, "MB"),
    "two sparse gigabytes of JSON": ("a.json", _sparse, "MB"),
}


@pytest.mark.parametrize("name", sampled(BOMBS, list(BOMBS)[1::2]))  # the first takes ten seconds
def test_it_is_refused_before_it_is_read(tmp_path: Path, name: str) -> None:
    """In a process of its own, whose memory is bounded: reading it all would end it."""
    file, make, words = BOMBS[name]
    make(tmp_path / file)
    limited = "import resource, runpy, sys; resource.setrlimit(resource.RLIMIT_AS, (3 * 10**9, 3 * 10**9)); " \
              "sys.argv = ['z', *sys.argv[1:]]; runpy.run_module('zincsmith.cli', run_name='__main__')"  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-c", limited, "analyse", "points", str(tmp_path / file)],
        capture_output=True, text=True, check=False, timeout=120, env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
    )  # fmt: skip
    assert done.returncode == 2, done.stderr[-400:]
    assert "Traceback" not in done.stderr
    assert words in done.stderr


@pytest.mark.parametrize(
    "text",
    ["/dev/zero", "folder", "fifo"],
)
def test_what_is_no_plain_file_is_not_opened(tmp_path: Path, text: str) -> None:
    path = Path(text) if text.startswith("/") else tmp_path / text
    if text == "folder":
        path.mkdir()
    if text == "fifo":
        os.mkfifo(path)
    with pytest.raises(InputError):
        read_columns(path)


def _samples(folder: Path) -> list[Path]:
    """A right file of each kind."""
    rows = {
        "time_s": np.arange(200) / 1e3,
        "voltage_V": np.sin(np.arange(200.0)),
        "current_A": np.cos(np.arange(200.0)),
    }
    csv = folder / "a.csv"
    csv.write_text("time_s,voltage_V,current_A\n" + "\n".join(f"{a:.4f},{b:.6f},{c:.6f}" for a, b, c in
                                                             zip(*rows.values(), strict=True)))  # fmt: skip
    as_json = folder / "a.json"
    as_json.write_text(json.dumps({"columns": {k: list(v) for k, v in rows.items()}}))
    by_row = folder / "b.json"
    by_row.write_text(
        json.dumps([dict(zip(rows, map(float, r), strict=True)) for r in zip(*rows.values(), strict=True)])
    )
    packed, one, hdf = folder / "a.npz", folder / "a.npy", folder / "a.h5"
    np.savez_compressed(packed, **rows)
    np.save(one, np.array(list(zip(*rows.values(), strict=True)), dtype=[(k, "f8") for k in rows]))
    with h5py.File(hdf, "w") as file:
        for name, column in rows.items():
            file.create_dataset(name, data=column, compression="gzip", chunks=(64,))
    return [csv, as_json, by_row, packed, one, hdf]


def mutated(data: bytes, dice: Random) -> bytes:
    """A few bytes changed, put in, taken out, or the end cut off."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 8)):
        at = dice.randrange(len(out))
        match dice.randrange(4):
            case 0:
                out[at] = dice.randrange(256)
            case 1:
                out[at:at] = dice.randbytes(dice.randint(1, 8))
            case 2:
                del out[at : at + dice.randint(1, 8)]
            case _:
                out[at] ^= 1 << dice.randrange(8)
        if len(out) < 8:
            break
    return bytes(out[: dice.randrange(8, len(out) + 1)] if dice.random() < 0.2 else out)


def _read_mutations(folder: Path, count: int) -> tuple[int, int]:
    """(accepted, refused) of so many mutations of each kind."""
    accepted = refused = 0
    for file in _samples(folder):
        data = file.read_bytes()
        for seed in range(count):
            bad = folder / f"mutated{file.suffix}"
            bad.write_bytes(mutated(data, Random(f"{file.name} {seed}")))
            try:
                read_columns(bad)
                accepted += 1
            except InputError:
                refused += 1
    return accepted, refused


def test_mutated_files_are_read_or_refused(tmp_path: Path) -> None:
    accepted, refused = _read_mutations(tmp_path, 25)
    assert accepted + refused == 150
    assert refused > 40


def test_right_files_of_every_kind_say_the_same(tmp_path: Path) -> None:
    found = [read_columns(f) for f in _samples(tmp_path)]
    for one in found:
        assert np.allclose(one.values["voltage_V"], found[1].values["voltage_V"], atol=1e-6)


@pytest.mark.long
def test_three_hundred_mutations_of_each_kind(tmp_path: Path) -> None:
    accepted, refused = _read_mutations(tmp_path, 300)
    print(f"\nmutated files: {accepted} read, {refused} refused, no traceback")
    assert accepted + refused == 1800


def test_a_day_that_is_none_is_told_in_words(finished_book: Path, tmp_path: Path) -> None:
    """As one changed byte leaves it: wherever days are counted the book says so, and no traceback does."""
    for table, column, told in (("document", "body", "calibrated"), ("run", "began", "began")):
        bad = tmp_path / f"{table}.zbook"
        bad.write_bytes(finished_book.read_bytes())
        db = sqlite3.connect(bad)
        for text, row in db.execute(f"SELECT {column}, rowid FROM {table}").fetchall():
            db.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = ?",
                       (re.sub(r"(20\d\d-\d\d)-(\d\d)", r"\1@\2", text), row))  # fmt: skip
        db.commit()
        db.close()
        with pytest.raises(BookError, match=f"{told}.*no date"):
            judged_run(bad, None)


@pytest.mark.long
def test_two_hundred_corrupted_books(finished_book: Path, tmp_path: Path) -> None:
    """Bytes anywhere in the file: checked, judged and reported, or refused in words; no figure is silently another."""
    with BookReader(finished_book) as reader:
        right = render(judged_run(finished_book, None)), reader.seal(1).digest
    data = finished_book.read_bytes()
    told = whole = 0
    for seed in range(200):
        dice = Random(seed)
        out = bytearray(data)
        for _ in range(dice.randint(1, 6)):
            out[dice.randrange(100, len(out))] = dice.randrange(256)
        bad = tmp_path / "bad.zbook"
        bad.write_bytes(out)
        try:
            damage = check_book(bad).damage
            text = render(judged_run(bad, None))
        except ZincsmithError:
            told += 1
            continue
        told += bool(damage)
        whole += not damage
        assert damage or text == right[0], f"seed {seed}: another report and nothing said"
    print(f"\ncorrupted books: {told} told, {whole} untouched where it counts, no traceback")


@pytest.mark.long
def test_fifty_changed_digits_are_found(finished_book: Path, tmp_path: Path) -> None:
    found = 0
    for seed in range(50):
        copy = tmp_path / "copy.zbook"
        copy.write_bytes(finished_book.read_bytes())
        change_a_digit(copy, Random(1000 + seed))
        found += bool(check_book(copy).damage)
    print(f"\nchanged digits: {found} of 50 found")
    assert found == 50
