"""Unit, rig and plan files: what is wrong is refused with file, line, key and reason."""

import dataclasses
import re
import tempfile
import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT

from zincsmith.formats.rig_file import read_rig, rig_text
from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.model.claim import Condition, StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.intake import Configuration, LookItem, LookOver, Part, Physical, SafetyRecord, Terminal
from zincsmith.model.rig import Accuracy, Dummy, Gear, Instrument, Lead, Probe, Rig
from zincsmith.model.unit import KINDS, InputRating, Nameplate, OutputRating, Unit
from zincsmith.procedures.plan_file import find_plan

EXAMPLES = ROOT / "examples"


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
        line = next(n for n, text in enumerate(file.read_text().splitlines(), 1) if new in text)
        assert refused.value.line == line


def test_hours_that_no_piece_has_run_are_refused(tmp_path: Path) -> None:
    file = changed(EXAMPLES / "units" / "tarnbrook-tb2425.toml", tmp_path, 'tag = "HB-07"', 'hours = -1\ntag = "HB-07"')
    with pytest.raises(InputError, match="cannot be hours run") as refused:
        read_unit(file)
    assert refused.value.key == "hours"


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
        ("area_mm2 = 1.5", "awg = 99", "gauge lies between"),
        ("area_mm2 = 1.5", "", "one of them"),
        ("reading_percent = 0.02, range_percent = 0.005", 'printed = "0.02 furlongs"', "not understood"),
        ('calibrated = "2026-03-04"', 'calibrated = "spring"', "such as 2026-03-04"),
        ('mode = "CC"', 'mode = "CQ"', "must be one of"),
        ('what = "fuse"', 'what = "string"', "must be one of"),
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
        ("average_s = 4", "turns = 1000000", "between 0 and 100"),
        ("average_s = 4", "line_turns = -1", "between 0 and 100"),
        ("average_s = 4", "at_once_s = 3600", "between 0 and 60"),
        ('"static_grid"', '"tea"', "no procedure"),
    ],
)
def test_a_wrong_plan_is_refused(short_plan: Path, tmp_path: Path, old: str, new: str, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        find_plan(str(changed(short_plan, tmp_path, old, new)))


@pytest.mark.parametrize("file", sorted((EXAMPLES / "units").glob("*.toml")), ids=lambda f: f.stem)
def test_a_unit_of_every_kind_goes_out_and_comes_back(file: Path, tmp_path: Path) -> None:
    unit = read_unit(file)
    again = tmp_path / "again.toml"
    again.write_text(unit_text(unit))
    assert read_unit(again) == unit
    tomllib.loads(again.read_text())


def test_the_examples_hold_every_kind_of_unit() -> None:
    units = [read_unit(f) for f in (EXAMPLES / "units").glob("*.toml")]
    plates = [u.nameplate for u in units]
    assert {u.kind for u in units} >= set(KINDS) - {"other"}
    assert any(len(p.outputs) > 3 and p.limits and p.signals for p in plates), "rails, combined limits, power-good"
    assert any(o.standby for p in plates for o in p.outputs)
    assert any(o.minimum_A for p in plates for o in p.outputs)
    assert any(p.sharing and any(o.modes and o.programmable for o in p.outputs) for p in plates), "ports"
    assert any(o.voltage_V < 0.0 for p in plates for o in p.outputs), "dual"
    assert any(o.adjustable_V and o.adjustable_A for p in plates for o in p.outputs), "CV and CC"
    assert any(o.type == "ac" for p in plates for o in p.outputs), "inverter"
    assert any({i.type for i in p.inputs} == {"ac", "dc"} for p in plates), "ratings per input"
    assert any(i.selector_V for p in plates for i in p.inputs)


@pytest.mark.parametrize("file", sorted((EXAMPLES / "rigs").glob("*.toml")), ids=lambda f: f.stem)
def test_a_rig_goes_out_and_comes_back(file: Path, tmp_path: Path) -> None:
    rig = read_rig(file)
    again = tmp_path / "again.toml"
    again.write_text(rig_text(rig))
    assert read_rig(again) == rig


WORDS = st.text(st.characters(blacklist_categories=["Cs"]), max_size=12)


@given(WORDS, WORDS, WORDS, st.floats(0.1, 900.0), st.floats(0.01, 400.0), st.lists(WORDS, max_size=3))
def test_whatever_is_typed_survives_a_file(
    maker: str, model: str, note: str, volts: float, amps: float, marks: list[str]
) -> None:
    """Quotes, line ends, control characters and odd letters are text, not TOML."""
    look = LookOver(items=(LookItem("Fuse", "found", note, True),), care=note)
    plate = Nameplate((InputRating((90.0, 264.0)),), (OutputRating(volts, amps),), marks=tuple(marks))
    unit = Unit("T", maker, model, plate, look=look)
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "u.toml"
        file.write_bytes(unit_text(unit).encode())
        assert read_unit(file) == unit


@pytest.mark.parametrize(
    ("name", "old", "new", "key", "reason"),
    [
        ("ferrowby-px350", 'name = "+5 V"', 'name = "+12 V"', "output#2.name", "given twice"),
        ("quillfen-q65", 'each_W = [45, 20]', 'each_W = [45]', "sharing.each_W", "2 ports, 1 figures"),
        ("lathom-lb303", "selector_set_V = 230", "selector_set_V = 100", "input.selector_set_V", "no such position"),
        ("tarnbrook-tb2425", 'figure = "ripple"', 'figure = "riple"', "claim.figure", "no such figure"),
        ("tarnbrook-tb2425", 'seen = "missing"', 'seen = "gone"', "look.items#2.seen", "must be one of"),
        ("tarnbrook-tb2425", 'checked = "measured"', "checked = true", "terminal.checked", "must be"),
        ("tarnbrook-tb2425", 'configuration = "as received, case closed"', 'configuration = "x"', "configuration",
         "no such configuration"),
        ("corvane-cv190", "[[input]]", "[[inputs]]", "inputs", "unknown key"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_whatever_the_kind(
    tmp_path: Path, name: str, old: str, new: str, key: str, reason: str
) -> None:
    file = changed(EXAMPLES / "units" / f"{name}.toml", tmp_path, old, new)
    with pytest.raises(InputError, match=reason) as refused:
        read_unit(file)
    assert refused.value.key == key
    assert refused.value.line is not None
    near = [n for n, t in enumerate(file.read_text().splitlines(), 1) if new in t]
    assert min(abs(refused.value.line - n) for n in near) <= 2, "the line itself, or the head of its table"


def test_every_key_of_a_file_is_documented() -> None:
    """docs/unit-file.md is where a person looks a key up; the records are where it comes from."""
    text = (ROOT / "docs" / "unit-file.md").read_text()
    records = (Unit, Nameplate, InputRating, OutputRating, StatedClaim, Condition, LookOver, LookItem, Physical, Part,
               Terminal, Configuration, SafetyRecord, Rig, Instrument, Accuracy, Lead, Gear, Probe, Dummy)  # fmt: skip
    keys = {f.name for record in records for f in dataclasses.fields(record)}
    missing = {k for k in keys if not re.search(rf"[`\[]{k.removesuffix('s')}s?[`\].]", text)}
    assert missing <= {"nameplate", "role"}, missing
