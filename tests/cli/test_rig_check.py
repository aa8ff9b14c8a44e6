"""``zincsmith rig check`` and the engine refuse by the same rules."""

import json
from pathlib import Path

import pytest
from tests.conftest import ROOT, Command

UNITS, RIG = ROOT / "examples" / "units", ROOT / "examples" / "rigs" / "simulated.toml"
TB = UNITS / "tarnbrook-tb2425.toml"


@pytest.fixture
def thin(tmp_path: Path) -> Path:
    """The demonstration rig with a bell wire to the load, and its sense leads there."""
    text = RIG.read_text().replace("../standins", str(ROOT / "examples" / "standins"))
    text = text.replace('sense = "unit"', 'sense = "load"')
    file = tmp_path / "thin.toml"
    file.write_text(text[: text.rindex("area_mm2")] + "awg = 26\n")
    return file


def test_a_rig_that_suits_is_0_and_the_table_is_printed(command: Command) -> None:
    done = command("rig", "check", "--unit", TB, "--rig", RIG)
    assert done.returncode == 0, done.stderr
    for words in ("What this rig can decide", "Output voltage", "decides", "its points are not in", "role_missing"):
        assert words in done.stdout


def test_a_rig_that_blocks_is_1_and_json_says_all(command: Command, thin: Path) -> None:
    done = command("rig", "check", "--unit", TB, "--rig", thin, "--json")
    assert done.returncode == 1, done.stderr
    data = json.loads(done.stdout)
    assert data["blocks"] is True
    rules = {r["code"]: r for r in data["rules"]}
    assert rules["lead_too_thin"]["severity"] == rules["sense_at_load"]["severity"] == "stop"
    assert rules["lead_too_thin"]["at"] == "lead unit load"
    decided = {d["claim"]: d for d in data["decides"]}
    assert (decided["load_regulation"]["verdict"], decided["load_regulation"]["moved"]) == ("cannot", "decides")
    assert decided["load_regulation"]["blame"] == "lead drop"


def test_a_run_on_a_rig_that_blocks_is_refused_before_anything_is_live(
    command: Command, thin: Path, tmp_path: Path
) -> None:
    book = tmp_path / "a.zbook"
    done = command("run", "--unit", TB, "--rig", thin, "--plan", "static-grid", "--book", book, "--yes")
    assert done.returncode == 2
    assert "26 AWG" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_unit_not_worth_powering_is_not_run(command: Command, tmp_path: Path) -> None:
    unit = tmp_path / "unit.toml"
    unit.write_text(TB.read_text().replace('verdict = "with care"', 'verdict = "not worth powering"'))
    for arguments in (
        ("rig", "check", "--unit", unit, "--rig", RIG),
        ("run", "--unit", unit, "--rig", RIG, "--plan", "static-grid", "--book", tmp_path / "a.zbook", "--yes"),
    ):
        done = command(*arguments)
        assert done.returncode in (1, 2)
        assert "not worth powering" in done.stdout + done.stderr


@pytest.mark.parametrize("name", ["thornwade-tw300", "quillfen-q65", "netherby-nb5"])
def test_a_kind_without_a_procedure_is_checked_all_the_same(command: Command, name: str) -> None:
    done = command("rig", "check", "--unit", UNITS / f"{name}.toml", "--rig", RIG, "--json")
    data = json.loads(done.stdout)
    assert done.returncode == (1 if data["blocks"] else 0)
    assert data["rehearsal"]
    assert {d["verdict"] for d in data["decides"]} <= {"no procedure yet", "cannot"}


def test_wrong_files_are_2_with_one_line(command: Command, tmp_path: Path) -> None:
    broken = tmp_path / "broken.toml"
    broken.write_text("tag = ")
    for unit, rig in ((broken, RIG), (TB, broken), (TB, tmp_path / "nowhere.toml")):
        done = command("rig", "check", "--unit", unit, "--rig", rig)
        assert done.returncode == 2
        assert "Traceback" not in done.stderr
        assert str(broken) in done.stderr or "nowhere.toml" in done.stderr
