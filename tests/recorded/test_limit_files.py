"""Sweeps of the input and temperatures over time out of files, by the command line."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from tests.analysis.test_heating_and_dropout import sweeps
from tests.conftest import run_command
from tests.recorded.test_protection_files import RIG, UNIT
from tests.recorded.test_waveform_files import analysed, codes, saved, value


def swept(file: Path, hunts: bool = False) -> Path:
    volts_in, volts_out, amps = sweeps({1.0: (14.0, 14.4), 2.0: (14.5, 15.1)}, hunts)
    return saved(file, input_voltage_V=volts_in, output_voltage_V=volts_out, output_current_A=amps)


def test_the_published_form_of_dropout(tmp_path: Path) -> None:
    found = analysed("dropout", swept(tmp_path / "s.csv"), "--nominal", 12, "--tolerance", "5%")
    assert found["kind"] == "dropout"
    assert found["facts"] == {"hunting": False, "directions": ["falling", "rising"], "tolerance": "5 %"}
    assert [value(found, f"dropout_input_{n}") for n in (1, 2)] == pytest.approx([14.0, 14.5])
    assert [value(found, f"hysteresis_{n}") for n in (1, 2)] == pytest.approx([0.4, 0.6])
    assert not codes(found)
    hunting = analysed("dropout", swept(tmp_path / "h.csv", hunts=True), "--nominal", 12)
    assert hunting["facts"]["hunting"] is True
    assert "hunting" in codes(hunting)
    wide = analysed("dropout", swept(tmp_path / "w.csv"), "--nominal", 12, "--tolerance", 30)
    assert value(wide, "dropout_input_1") != pytest.approx(14.0), "9 V of 12 V lie within 30 %"


def test_the_published_form_of_temperatures(tmp_path: Path) -> None:
    t = np.arange(0.0, 5400.0, 30.0)
    case, core = 23.0 + 25.0 * -np.expm1(-t / 1500.0), 23.0 + 60.0 * -np.expm1(-t / 900.0)
    noise = 0.05 * np.random.default_rng(3).standard_normal((2, len(t)))
    file = saved(tmp_path / "t.csv", time_s=t, case_degC=case + noise[0], core_degC=core + noise[1])
    found = analysed("thermal", file, "--ambient", 23, "--limit", 70)
    names = {
        f"{what}_{spot}" for what in ("final", "rise", "time_constant", "time_to_limit") for spot in ("case", "core")
    }
    assert set(found["figures"]) == names
    for spot, final, tau in (("case", 48.0, 1500.0), ("core", 83.0, 900.0)):
        one = found["figures"][f"final_{spot}"]
        assert abs(one["value"] - final) <= 2.5 * one["u"]
        assert value(found, f"rise_{spot}") == pytest.approx(one["value"] - 23.0)
        assert value(found, f"time_constant_{spot}") == pytest.approx(tau, rel=0.05)
    assert value(found, "time_to_limit_case") is None
    assert value(found, "time_to_limit_core") == pytest.approx(900.0 * np.log(60.0 / 13.0), abs=45.0)
    assert found["facts"]["steady"] is False
    assert codes(found) == {"not_steady"}
    assert "no_ambient" in codes(analysed("thermal", file))
    room = saved(tmp_path / "r.csv", time_s=t, case_degC=case + noise[0], ambient_degC=np.full(len(t), 24.0))
    with_room = analysed("thermal", room)
    assert "final_ambient" not in with_room["figures"]
    assert value(with_room, "rise_case") == pytest.approx(value(with_room, "final_case") - 24.0)


def judged(tmp_path: Path, kind: str, file: Path, claim: str) -> dict[str, dict[str, object]]:
    unit, book = tmp_path / "u.toml", tmp_path / f"{kind}.zbook"
    unit.write_text(f'{UNIT.read_text()}\n[[claim]]\n{claim}\nsource = "manual"\n')
    made = run_command("take-in", book, kind, file, "--unit", unit, "--rig", RIG, "--operator", "Elin Ward",
                       "--line", "230,50", "--load", 80, "--ambient", 23)  # fmt: skip
    assert made.returncode == 0, made.stderr
    done = run_command("findings", book, "--json")
    return {f["title"]: f for f in json.loads(done.stdout)["findings"]}


def test_sweeps_that_are_taken_in_are_judged(tmp_path: Path) -> None:
    """The same edges as the analysis of the file alone: 70 and 74 V, of a 24 V unit."""
    volts_in, volts_out, amps = sweeps({2.5: (14.0, 14.8)})
    file = saved(
        tmp_path / "s.csv", input_voltage_V=5.0 * volts_in, output_voltage_V=2.0 * volts_out, output_current_A=amps
    )
    found = judged(tmp_path, "dropout", file, 'figure = "dropout_input"\nhigh = 72')
    assert found["Lowest good input, going down"]["value"] == pytest.approx(70.0, abs=0.3)
    assert found["Lowest good input, coming up"]["value"] == pytest.approx(74.0, abs=0.3)
    assert found["Hysteresis of the input"]["value"] == pytest.approx(4.0, abs=0.2)
    assert found["Lowest good input, going down"]["verdict"] == "holds"


def test_temperatures_that_are_taken_in_are_judged_in_the_claimed_room(tmp_path: Path) -> None:
    t = np.arange(0.0, 5400.0, 5.0)
    core = 23.0 + 40.0 * -np.expm1(-t / 900.0) + 0.05 * np.random.default_rng(5).standard_normal(len(t))
    file = saved(tmp_path / "t.csv", time_s=t, D5_degC=core, ambient_degC=np.full(len(t), 23.0))
    found = judged(tmp_path, "thermal", file, 'figure = "case_temperature"\nhigh = 90')
    assert found["Final temperature, D5"]["value"] == pytest.approx(63.0, abs=0.2)
    assert found["Rise over the room, D5"]["value"] == pytest.approx(40.0, abs=0.2)
    assert found["Hottest part"]["value"] == pytest.approx(63.0 + 22.0, abs=0.2), "in the claimed 45 °C"


@pytest.mark.parametrize(
    ("kind", "more", "words"),
    [
        ("dropout", (), "nominal"), ("dropout", ("--nominal", "40"), "no row"),
        ("dropout", ("--nominal", "12", "--tolerance", "lots"), "tolerance"), ("thermal", (), "NAME_degC"),
    ],
)  # fmt: skip
def test_what_says_nothing_is_refused(tmp_path: Path, kind: str, more: tuple[str, ...], words: str) -> None:
    file = swept(tmp_path / "s.csv")
    if kind == "thermal":
        file = saved(tmp_path / "t.csv", time_s=np.arange(20.0), volts_V=np.ones(20))
    done = run_command("analyse", kind, file, *more)
    assert done.returncode == 2
    assert words in done.stderr
