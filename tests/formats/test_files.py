"""Unit, rig and plan files: what is wrong is refused with file, line, key and reason."""

from collections.abc import Callable
from pathlib import Path

import pytest

from zincsmith.formats.plan_file import find_plan
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.errors import InputError

EXAMPLES = Path(__file__).parents[2] / "examples"


def changed(source: Path, tmp_path: Path, old: str, new: str) -> Path:
    text = source.read_text()
    assert old in text
    file = tmp_path / source.name
    file.write_text(text.replace(old, new, 1))
    return file


@pytest.mark.parametrize(
    ("old", "new", "key", "reason"),
    [
        ("voltage_V = 24", "voltage_V = 0", "output.voltage_V", "cannot be a rating"),
        ("voltage_V = 24", "voltage_V = 1e99", "output.voltage_V", "cannot be a rating"),
        ("voltage_V = 24", 'voltage_V = "24"', "output.voltage_V", "must be a number"),
        ("voltage_V = 24", "voltage_V = inf", "output.voltage_V", "finite"),
        ("[100, 240]", "[240, 100]", "input.voltage_V", "above the upper end"),
        ("[100, 240]", "[100]", "input.voltage_V#2", "is missing"),
        ("tolerance_percent = 2", "tolerence_percent = 2", "output.tolerence_percent", "unknown key"),
        ('maker = "Tarnbrook"', "", "maker", "is missing"),
        ('tag = "HB-07"', 'tag = " "', "tag", "must not be empty"),
    ],
)
def test_a_wrong_unit_is_refused_in_place(tmp_path: Path, old: str, new: str, key: str, reason: str) -> None:
    file = changed(EXAMPLES / "units" / "tarnbrook-tb2425.toml", tmp_path, old, new)
    with pytest.raises(InputError, match=reason) as refused:
        read_unit(file)
    assert refused.value.key == key
    assert str(file) in str(refused.value)
    if new:
        line = next(
            n for n, text in enumerate(file.read_text().splitlines(), 1) if new.split("[")[-1].strip("[] ") in text
        )
        assert refused.value.line == line


@pytest.mark.parametrize("content", [b"tag = ", b"\x00\xff\xfe", b"tag = 'x'\n" * 3, b"[" * 5000, b"x" * 2_000_000])
def test_rubbish_is_no_unit_file(tmp_path: Path, content: bytes) -> None:
    file = tmp_path / "rubbish.toml"
    file.write_bytes(content)
    with pytest.raises(InputError, match="rubbish"):
        read_unit(file)


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ('how = "simulated"', 'how = "telepathy"', "must be one of"),
        ("[instrument.ac_source]", "[instrument.oven]", "no such role"),
        ('clock = "simulated"', 'clock = "sundial"', "wall"),
        ('quantity = "input_power"', 'quantity = "input_magic"', "no such quantity"),
        ("range = 75", "range = -75", "above zero"),
        ("length_m = 1.0", "length_m = -1.0", "between 0 and 100"),
    ],
)
def test_a_wrong_rig_is_refused(tmp_path: Path, old: str, new: str, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        read_rig(changed(EXAMPLES / "rigs" / "simulated.toml", tmp_path, old, new))


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ("average_s = 4", "average_s = 0", "between 1 and 3600"),
        ("average_s = 4", "loads_percent = [100, 200]", "between 0 and 110"),
        ("average_s = 4", "lines = []", "at least one line"),
        ('"static_grid"', '"tea"', "no procedure"),
    ],
)
def test_a_wrong_plan_is_refused(short_plan: Path, tmp_path: Path, old: str, new: str, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        find_plan(str(changed(short_plan, tmp_path, old, new)))


def test_every_example_can_be_read() -> None:
    readers: dict[str, Callable[[Path], object]] = {"units": read_unit, "rigs": read_rig}
    for folder, reader in readers.items():
        files = sorted((EXAMPLES / folder).glob("*.toml"))
        assert files
        for file in files:
            reader(file)
