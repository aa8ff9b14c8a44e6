"""Logs of overloads out of files, by the command line: the published form, what is refused, taken in and judged."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import RIG, UNIT, run_command
from tests.recorded.test_waveform_files import analysed, codes, saved, value


def log(
    file: Path, latches: bool = False, jitter: float = 0.0, columns: tuple[str, ...] = (), mains_V: float | None = None
) -> Path:  # fmt: skip
    """24 V, 2.5 A: up to 3.4 A in steps of a second; it lets go above 3.0 A, released at 25 s; back 1.5 s later, or
    once its input was off from 30 to 35 s."""
    t = np.arange(0.0, 45.0, 0.1)
    asked = np.where(t < 25.0, np.minimum(2.5 + 0.1 * np.floor(np.maximum(t - 5.0, 0.0)), 3.4), 1.25)
    gone_s = float(t[asked > 3.0][0])
    back_s = 36.0 if latches else 26.5
    up = (t < gone_s) | (t >= back_s)
    volts, amps = np.where(up, 24.0 - 0.02 * asked, 0.0), np.where(up, asked, 0.0)
    mains = np.where(latches & (t >= 30.0) & (t < 35.0), 0.0, 1.0)
    noise = np.random.default_rng(2).standard_normal((2, len(t)))
    made = {
        "time_s": t + jitter * 0.1 * np.random.default_rng(3).uniform(-0.5, 0.5, len(t)),
        "voltage_V": np.abs(volts + 2e-3 * noise[0]), "current_A": np.abs(amps + 1e-3 * noise[1] * up),
        "load_set_A": asked, "input_power_W": mains * (volts * amps / 0.88 + 0.3),
    }  # fmt: skip
    if mains_V is not None:  # what is left of 230 V for a second when it lets go
        sags = (t >= gone_s) & (t < gone_s + 1.0)
        made["input_voltage_V"] = np.where(sags, mains_V, 230.0) + 0.1 * noise[0]
    return saved(file, **{name: v for name, v in made.items() if not columns or name in columns})


def test_the_published_form(tmp_path: Path) -> None:
    found = analysed("protection", log(tmp_path / "a.csv"), "--nominal", 24, "--rated-current", 2.5)
    assert found["kind"] == "protection"
    assert found["facts"]["protection"] == "shutdown-auto-recovery"
    assert found["facts"]["recovery"] == "automatic"
    assert found["facts"]["sequence"] == ["shutdown-auto-recovery"]
    assert set(found["figures"]) == {
        "limit_current", "limit_power", "voltage_before", "highest_current", "hiccup_period", "recovery_time",
        "time_to_shutdown",
    }  # fmt: skip
    assert value(found, "limit_current") == pytest.approx(3.0, abs=0.005)
    assert value(found, "limit_power") == pytest.approx(3.0 * 23.94, rel=0.002)
    assert value(found, "voltage_before") == pytest.approx(23.94, abs=0.01)
    assert value(found, "recovery_time") == pytest.approx(1.5, abs=0.11)
    assert value(found, "hiccup_period") is None
    assert not codes(found)

    found = analysed("protection", log(tmp_path / "l.csv", latches=True), "--nominal", 24, "--rated-current", 2.5)
    assert (found["facts"]["protection"], found["facts"]["recovery"]) == ("latching", "input-cycle")
    assert value(found, "recovery_time") is None


def test_what_was_not_recorded_is_doubted_and_what_is_uneven_is_read(tmp_path: Path) -> None:
    few = log(tmp_path / "few.csv", columns=("time_s", "voltage_V", "current_A", "load_set_A"), jitter=0.4)
    found = analysed("protection", few, "--nominal", 24, "--rated-current", 2.5)
    assert found["facts"]["protection"] == "shutdown-auto-recovery"
    assert "protection_undecided" in codes(found), "nobody sees whether the input was cycled"
    bare = log(tmp_path / "bare.csv", columns=("time_s", "voltage_V", "current_A"))
    assert analysed("protection", bare, "--nominal", 24, "--rated-current", 2.5)["facts"]["protection"] == (
        "shutdown-auto-recovery"
    )
    calm = analysed("protection", bare, "--nominal", 24, "--rated-current", 5)
    assert calm["facts"]["protection"] in ("not-seen", "shutdown-auto-recovery")


def test_a_source_that_gave_way_when_it_let_go_is_doubted(tmp_path: Path) -> None:
    for volts, doubted in ((180.0, True), (229.0, False)):
        file = log(tmp_path / f"{volts:g}.csv", mains_V=volts)
        found = analysed("protection", file, "--nominal", 24, "--rated-current", 2.5)
        assert ("source_sags" in codes(found)) is doubted


@pytest.mark.parametrize(
    ("more", "words"),
    [(("--nominal", "24"), "rated current"), (("--rated-current", "2.5"), "nominal"),
     (("--nominal", "24", "--rated-current", "2.5", "--current", "nothing"), "nothing")],
)  # fmt: skip
def test_what_nothing_can_be_told_of_is_refused(tmp_path: Path, more: tuple[str, ...], words: str) -> None:
    done = run_command("analyse", "protection", log(tmp_path / "a.csv"), *more)
    assert done.returncode == 2
    assert words in done.stderr


def test_it_is_taken_in_and_a_claim_is_judged(tmp_path: Path) -> None:
    """The papers of the example state where its overcurrent lies; a log of somebody else's meter decides."""
    unit = tmp_path / "unit.toml"
    unit.write_text(
        UNIT.read_text() + '\n[[claim]]\nfigure = "overcurrent"\nlow = 2.75\nhigh = 4.0\nsource = "manual"\n'
    )
    book = tmp_path / "b.zbook"
    made = run_command("take-in", book, "protection", log(tmp_path / "a.csv"), "--unit", unit, "--rig", RIG,
                       "--operator", "Elin Ward", "--line", "230,50", "--load", 100)  # fmt: skip
    assert made.returncode == 0, made.stderr
    done = run_command("findings", book, "--json")
    found = [f for f in json.loads(done.stdout)["findings"] if f["name"] == "overcurrent"]
    assert found[0]["value"] == pytest.approx(3.0, abs=0.005)
    assert "shutdown-auto-recovery" in found[0]["working"]["formula"]
