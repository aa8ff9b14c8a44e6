"""Columns from outside: any sane dialect is read whole, anything else is refused in its place."""

from __future__ import annotations

import json
from pathlib import Path

import h5py
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from zincsmith.formats.table_file import read_columns
from zincsmith.formats.units_text import split_head, unit_of
from zincsmith.model.errors import InputError

ROWS = 20
TEXT = "time_s,voltage_V\n" + "".join(f"{n * 0.1:.1f},{n + 0.25}\n" for n in range(ROWS))
VOLTS = np.arange(ROWS) + 0.25


def written(folder: Path, text: str | bytes, name: str = "a.csv") -> Path:
    file = folder / name
    file.write_bytes(text if isinstance(text, bytes) else text.encode())
    return file


DIALECTS = {
    "comma": TEXT.encode(),
    "semicolon and decimal comma": TEXT.replace(",", ";").replace(".", ",").encode(),
    "tab and decimal comma": TEXT.replace(",", "\t").replace(".", ",").encode(),
    "blanks": TEXT.replace(",", "   ").encode(),
    "carriage returns": TEXT.replace("\n", "\r\n").encode(),
    "utf-8 with mark": TEXT.encode("utf-8-sig"),
    "utf-16": TEXT.encode("utf-16"),
    "utf-16 without mark": TEXT.encode("utf-16-le"),
    "latin-1": ("Prüfling 7\n" + TEXT).encode("latin-1"),
    "preamble": ("Model,HG-4\nSample rate,10\nDate,2026-01-02\n\n" + TEXT).encode(),
    "units in the head": TEXT.replace("time_s,voltage_V", "time (s),Voltage [V]").encode(),
    "millivolts": TEXT.replace("voltage_V", "voltage_mV").encode(),
    "a row of units": TEXT.replace("time_s,voltage_V", "Time,Voltage\ns,mV").encode(),
    "quotes": ('"time_s";"voltage_V"\n' + "".join(f'"{n * 0.1:.1f}";"{n + 0.25}"\n' for n in range(ROWS))).encode(),
    "decimal commas in quotes": (
        '"time_s","voltage_V"\n' + "".join(f'"{n * 0.1:.1f}","{n + 0.25}"\n'.replace(".", ",") for n in range(ROWS))
    ).encode(),
    "a delimiter at the end": TEXT.replace("\n", ",\n").encode(),
    "a remark as head": ("# " + TEXT).encode(),
    "blank lines": TEXT.replace("\n0.5", "\n\n0.5").encode(),
    "more channels": "".join(f"{line},7\n" for line in TEXT.replace("voltage_V", "voltage_V,ch 2").split("\n")[:-1])
    .replace("ch 2,7", "ch 2")
    .encode(),
}


@pytest.mark.parametrize("dialect", DIALECTS)
def test_every_sane_dialect_gives_the_same_numbers(tmp_path: Path, dialect: str) -> None:
    found = read_columns(written(tmp_path, DIALECTS[dialect]))
    time, volts = found.find("time_s", "s"), found.find("voltage_V", "V")
    assert time is not None
    assert volts is not None
    factor = 1e-3 if dialect in ("millivolts", "a row of units") else 1.0
    assert volts == pytest.approx(factor * VOLTS, rel=1e-12)
    assert time == pytest.approx(0.1 * np.arange(ROWS))
    assert found.find("current_A", "A") is None


def test_json_hdf5_and_numpy_give_the_same_numbers(tmp_path: Path) -> None:
    time = 0.1 * np.arange(ROWS)
    (tmp_path / "a.json").write_text(json.dumps({"time_s": list(time), "voltage_V": list(VOLTS)}))
    rows = [{"time_s": t, "voltage_V": v} for t, v in zip(time, VOLTS, strict=True)]
    (tmp_path / "b.json").write_text(json.dumps(rows))
    np.savez(tmp_path / "c.npz", time_s=time, voltage_V=VOLTS)
    named = np.zeros(ROWS, dtype=[("time_s", float), ("voltage_V", np.float32)])
    named["time_s"], named["voltage_V"] = time, VOLTS
    np.save(tmp_path / "d.npy", named)
    with h5py.File(tmp_path / "e.h5", "w") as file:
        file["record/time_s"] = time
        file["record/voltage"] = 1000.0 * VOLTS
        file["record/voltage"].attrs["unit"] = "mV"
    for name in ("a.json", "b.json", "c.npz", "d.npy", "e.h5"):
        found = read_columns(tmp_path / name)
        assert found.find("voltage_V", "V") == pytest.approx(VOLTS), name
        assert found.find("time_s", "s") == pytest.approx(time), name


@pytest.mark.parametrize(
    ("change", "note"),
    [
        (("0.5,5.25", "0.5,NaN"), "1 cell of 'voltage_V' without a value"),
        (("0.5,5.25", "0.5,"), "1 cell of 'voltage_V' without a value"),
        (("0.5,5.25", "0.5,9.91E+37"), "1 cell of 'voltage_V' without a value"),
        (("1.9,19.25\n", "1.9"), "the last line was cut"),
        (("time_s,voltage_V\n", ""), "called by their number"),
    ],
)
def test_what_is_certain_is_accepted_with_a_note(tmp_path: Path, change: tuple[str, str], note: str) -> None:
    found = read_columns(written(tmp_path, TEXT.replace(*change)))
    assert any(note in n for n in found.notes)


@pytest.mark.parametrize(
    ("change", "line", "column", "why"),
    [
        (("0.5,5.25", "0.5,OL"), 7, 2, "'OL' is no number"),
        (("0.5,5.25", "0.5,inf"), 7, None, "over its range"),
        (("0.5,5.25", "0.5,9.9E+37"), 7, None, "over its range"),
        (("0.5,5.25", "0.5"), 7, None, "the row has 1 cells"),
        (("0.5,5.25", "0.5,5.25,9"), 7, None, "the row has 3 cells"),
        (("0.5,5.25", '0.5,"5,25"'), 7, 2, "is no number"),
    ],
)
def test_what_is_not_certain_is_refused_in_its_place(
    tmp_path: Path, change: tuple[str, str], line: int, column: int | None, why: str
) -> None:
    with pytest.raises(InputError, match=why) as refused:
        read_columns(written(tmp_path, TEXT.replace(*change)))
    assert (refused.value.line, refused.value.column) == (line, column)


@pytest.mark.parametrize(
    ("name", "content", "why"),
    [
        ("a.csv", b"", "empty"),
        ("a.csv", b"time_s,voltage_V\n", "no rows of numbers"),
        ("a.csv", b"good morning\nand good night\n", "no rows of numbers"),
        ("a.csv", bytes(range(256)) * 20, "no text"),
        ("a.json", b"[1, 2", "no JSON"),
        ("a.json", b'{"a": [1, "x"]}', "row 2 is no number"),
        ("a.json", b'{"a": [1, 2], "b": [1]}', "not of one length"),
        ("a.h5", b"x" * 99, "no HDF5"),
        ("a.npy", b"x" * 99, "no NumPy"),
    ],
)
def test_rubbish_is_refused(tmp_path: Path, name: str, content: bytes, why: str) -> None:
    with pytest.raises(InputError, match=why):
        read_columns(written(tmp_path, content, name))
    with pytest.raises(InputError, match="no such file"):
        read_columns(tmp_path / "nowhere.csv")


def test_pickled_objects_are_never_read(tmp_path: Path) -> None:
    np.save(tmp_path / "a.npy", np.array([{"a": 1}], dtype=object), allow_pickle=True)
    with pytest.raises(InputError, match="no NumPy file of plain numbers"):
        read_columns(tmp_path / "a.npy")


def test_two_columns_of_one_name_are_asked_back(tmp_path: Path) -> None:
    found = read_columns(written(tmp_path, TEXT.replace("time_s", "voltage_V")))
    with pytest.raises(InputError, match="2 columns are called"):
        found.find("voltage_V", "V")
    assert found.find("voltage_V (2)", "V") is not None
    with pytest.raises(InputError, match="is in V, A is wanted"):
        read_columns(written(tmp_path, TEXT)).find("voltage_V", "A")


@given(content=st.binary(max_size=600), name=st.sampled_from(["a.csv", "a.json", "a.npz", "a.npy", "a.h5", "a.txt"]))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_random_bytes_are_read_or_refused_and_nothing_else(tmp_path: Path, content: bytes, name: str) -> None:
    try:
        found = read_columns(written(tmp_path, content, name))
    except InputError:
        return
    assert found.values
    assert len({len(c) for c in found.values.values()}) == 1


@given(text=st.text(alphabet='0123456789.,;\t\n"eE+- nNaAs_()V', max_size=200))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_nearly_numbers_are_read_or_refused_and_nothing_else(tmp_path: Path, text: str) -> None:
    try:
        found = read_columns(written(tmp_path, text))
    except InputError:
        return
    assert not any(np.isinf(c).any() for c in found.values.values())


@pytest.mark.parametrize(
    ("head", "name", "unit"),
    [
        ("voltage_mV", "voltage", ("V", 1e-3)),
        ("Voltage (kV)", "Voltage", ("V", 1e3)),
        ("CH1 [MW]", "CH1", ("W", 1e6)),
        ("t / ms", "t", ("s", 1e-3)),
        ("load_percent", "load", ("percent", 1.0)),
        ("ch 2", "ch 2", None),
        ("power_factor", "power_factor", None),
        ("time min", "time", ("s", 60.0)),
    ],
)
def test_units_are_split_from_heads(head: str, name: str, unit: tuple[str, float] | None) -> None:
    assert split_head(head) == (name, unit)


def test_case_counts_in_a_prefix() -> None:
    assert unit_of("mV") == ("V", 1e-3)
    assert unit_of("MV") == ("V", 1e6)
    assert unit_of("µA") == ("A", 1e-6)
    assert unit_of("parsec") is None
