"""Dialect files: a wrong one is refused with file, line, key and reason; what ships is right."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT

from zincsmith.formats.dialect_file import parse_dialect, read_dialect
from zincsmith.model.dialect import known_operations
from zincsmith.model.errors import InputError
from zincsmith.model.roles import NEEDED

SHIPPED = sorted((ROOT / "src" / "zincsmith" / "bench" / "dialects").glob("*.toml"))
LOAD = (ROOT / "src" / "zincsmith" / "bench" / "dialects" / "load.toml").read_text()


@pytest.mark.parametrize("file", SHIPPED, ids=lambda f: f.stem)
def test_what_ships_is_right(file: Path) -> None:
    dialect = read_dialect(file)
    assert file.stem.startswith(dialect.role)
    assert set(NEEDED[dialect.role]) <= set(dialect.operation) <= set(known_operations(dialect.role))


@pytest.mark.parametrize(
    ("old", "new", "key", "reason"),
    [
        ('role = "load"', 'role = "oven"', "role", "no such role"),
        ('role = "load"', "", "role", "is missing"),
        ("[operation.set_input]", "[operation.set_inptu]", "operation.set_inptu", "no such operation of this role"),
        ('[operation.get_current]\nquery = "CURR?"\nreply = "number"\n', "", "operation", "get_current is missing"),
        (
            '[operation.get_range_output_current]\nquery = "CURR:RANG?"\nreply = "number"\n',
            "",
            "operation.set_range_output_current",
            "read back",
        ),
        ('reply = "numbers"', "", "operation.read", "the reply format is missing"),
        ('reply = "numbers"', 'reply = "boolean"', "operation.read.reply", "must be numbers"),
        ('reply = "numbers"', 'reply = "poem"', "operation.read.reply", "must be one of"),
        ('quantities = ["output_current", "load_voltage"]', "", "operation.read", "quantities are missing"),
        (
            '["output_current", "load_voltage"]',
            '["input_power"]',
            "operation.read.quantities",
            "no such quantity of this role",
        ),
        (
            '["output_current", "load_voltage"]',
            '["output_current", "output_current"]',
            "operation.read.quantities",
            "named twice",
        ),
        ("{value:.5f}", "{value:.5q}", "operation.set_current.command", "fits no number"),
        ("{value:.5f}", "{amps}", "operation.set_current.command", "must hold {value} once"),
        ("CURR {value:.5f}", "CURR 1", "operation.set_current.command", "must hold {value} once"),
        ('command = "INP {value:d}"', 'query = "INP?"\nreply = "boolean"', "operation.set_input.query", "sets"),
        ('query = "INP?"\nreply = "boolean"', 'command = "INP {value}"', "operation.get_input.command", "asks"),
        ('command = "INP {value:d}"', "", "operation.set_input", "a command, or a query"),
        ('command = "INP {value:d}"', "command = 7", "operation.set_input.command", "must be a text"),
        ('role = "load"', 'role = "load"\nlimits = { volts = [0, 1] }', "limits.volts", "nothing of that name is set"),
        ('role = "load"', 'role = "load"\nlimits = { input = [1, 1] }', "limits.input", "off must always be possible"),
        ('role = "load"', 'role = "load"\nlimits = { current = [5, 1] }', "limits.current", "above the upper end"),
        ('role = "load"', 'role = "load"\nquirks = { termination = "ETX" }', "quirks.termination", "must be one of"),
        ('role = "load"', 'role = "load"\nquirks = { reads_bakc = true }', "quirks.reads_bakc", "unknown key"),
        ('role = "load"', 'role = "load"\nsettle = 3', "settle", "unknown key"),
    ],
)
def test_a_wrong_dialect_is_refused_in_place(tmp_path: Path, old: str, new: str, key: str, reason: str) -> None:
    assert old in LOAD
    file = tmp_path / "mine.toml"
    file.write_text(LOAD.replace(old, new, 1))
    with pytest.raises(InputError) as refused:
        read_dialect(file)
    assert refused.value.key == key
    assert reason in refused.value.message
    assert str(refused.value).startswith(f"{file}:")
    if new and key != "operation":
        assert refused.value.line is not None


def test_an_instrument_that_cannot_say_what_it_was_set_to() -> None:
    silent = LOAD.replace('role = "load"', 'role = "load"\nquirks = { reads_back = false }')
    for name in ("current", "input", "range_output_current", "mode", "resistance", "voltage", "power"):
        start = silent.index(f"[operation.get_{name}]")
        end = silent.find("[", start + 1)
        silent = silent[:start] + (silent[end:] if end > 0 else "")
    assert not any(name.startswith("get_") for name in parse_dialect(silent, "x").operation)


@given(st.text(max_size=200))
def test_no_text_is_more_than_refused(text: str) -> None:
    with pytest.raises(InputError):
        parse_dialect(text, "x.toml")
