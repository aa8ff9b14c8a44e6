"""``zincsmith analyse``: figures, facts and doubts of files, and refusals in one line."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import numpy as np
import pytest

Command = Callable[..., CompletedProcess[str]]
POINTS = "load_percent,input_voltage_V,input_current_A,input_power_W,power_factor,output_voltage_V,output_current_A\n"
ACCURACY = """
[input_power_W]
reading_percent = 0.1
range_percent = 0.05
range = 75
[output_voltage_V]
reading_percent = 0.02
resolution = 0.001
[output_current_A]
reading_percent = 0.05
range_percent = 0.02
range = "amps_range"
"""


def told(done: CompletedProcess[str]) -> dict[str, Any]:
    assert done.returncode == 0, done.stderr
    return dict(json.loads(done.stdout))


def value(found: dict[str, Any], name: str) -> float:
    return float(found["figures"][name]["value"])


def table(folder: Path, rows: list[tuple[float, ...]], head: str = POINTS) -> Path:
    file = folder / "points.csv"
    file.write_text(head + "".join(",".join(f"{x:.9g}" for x in row) + "\n" for row in rows))
    return file


def adapter() -> list[tuple[float, ...]]:
    """Two inputs; losses 0.8 W + 1 V I + 0.3 ohm I^2, output 24.02 V behind 20 mohm, PF 0.6."""
    rows = []
    for volts in (115.0, 230.0):
        for load in (100.0, 75.0, 50.0, 25.0, 10.0, 0.0):
            amps = 2.5 * load / 100.0
            out = 24.02 - 0.02 * amps - (0.002 if volts == 230.0 else 0.0)
            watts = out * amps + 0.8 + amps + 0.3 * amps**2
            rows.append((load, volts * (1.0 + 0.0001 * (load - 50.0)), watts / volts / 0.6, watts, 0.6, out, amps))
    return rows


def test_points_by_input_with_every_convention(command: Command, tmp_path: Path) -> None:
    file = table(tmp_path, adapter())
    found = told(command("analyse", "points", file, "--json", "--rated-power", 60, "--rated-voltage", 24))
    assert found["kind"] == "points"
    watts = 23.97 * 2.5
    assert value(found, "efficiency_1") == pytest.approx(watts / (watts + 0.8 + 2.5 + 0.3 * 6.25))
    assert value(found, "loss_6") == pytest.approx(0.8)
    assert value(found, "load_regulation_nominal_115V") == pytest.approx(0.05 / 24.0)
    assert value(found, "load_regulation_full_load_115V") == pytest.approx(0.05 / 23.97)
    assert value(found, "load_regulation_no_load_230V") == pytest.approx(0.05 / 24.018)
    assert value(found, "line_regulation") == pytest.approx(0.002 / 24.0)
    assert value(found, "line_regulation_ends") == pytest.approx(-0.002 / 24.0), "it falls as the line rises"
    assert value(found, "line_slope") == pytest.approx(-2.0 / 115.0, rel=0.01)
    assert value(found, "output_resistance_230V") == pytest.approx(0.02)
    mean = np.mean([value(found, f"efficiency_{n}") for n in (1, 2, 3, 4)])
    assert value(found, "average_active_efficiency_115V") == pytest.approx(mean)
    assert found["figures"]["efficiency_1"]["u"] is None
    assert found["figures"]["output_resistance_115V"]["unit"] == "ohm"


def test_uncertainty_by_hand(command: Command, tmp_path: Path) -> None:
    """One row worked out from the definitions of the standards notes; two rows may err apart by one range's limit."""
    head = POINTS.strip() + ",amps_range\n"
    file = table(tmp_path, [(*row, 5.0) for row in adapter()[:6]], head)
    (tmp_path / "accuracy.toml").write_text(ACCURACY)
    arguments = ["--json", "--rated-voltage", 24, "--accuracy", tmp_path / "accuracy.toml"]
    found = told(command("analyse", "points", file, *arguments))
    _, _, _, watts, _, volts, amps = adapter()[0]
    limit = {"p": 0.001 * watts + 0.0005 * 75.0, "v": 0.0002 * volts, "i": 0.0005 * amps + 0.0002 * 5.0}
    relative = [limit["p"] / watts, limit["v"] / volts, limit["i"] / amps]
    u = value(found, "efficiency_1") * float(np.sqrt(sum(r**2 / 3.0 for r in relative)))
    assert found["figures"]["efficiency_1"]["u"] == pytest.approx(u, rel=1e-4)
    # The display step is each reading's own; how the rest of the limit splits nobody knows, so it may differ too.
    low = adapter()[5][5]
    difference = np.sqrt(sum((0.0002 * x) ** 2 / 3.0 for x in (low, volts)))
    assert found["figures"]["load_regulation_nominal"]["u"] == pytest.approx(difference / 24.0, rel=1e-3)


def test_what_is_missing_is_left_out_and_told(command: Command, tmp_path: Path) -> None:
    head = "load_percent,input_voltage_V,output_voltage_V,output_current_A\n"
    file = table(tmp_path, [(r[0], r[1], r[5], r[6]) for r in adapter()[:3]], head)
    found = told(command("analyse", "points", file, "--json"))
    assert "efficiency_1" not in found["figures"]
    texts = " ".join(d["text"] for d in found["doubts"])
    for words in ("no column input_power_W", "rated output volts are not known", "two inputs are needed"):
        assert words in texts
    assert value(found, "load_regulation_full_load") == pytest.approx(0.025 / 23.97)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (lambda r: (*r[:3], r[3] * 0.85, *r[4:]), "efficiency_implausible"),
        (lambda r: (*r[:3], r[1] * r[2], *r[4:]), "apparent_as_real"),
        (lambda r: (*r[:2], r[2] / 1000.0, *r[3:]), "figures_contradict"),
        (lambda r: (*r[:4], 1.02, *r[5:]), "power_factor_above_one"),
        (lambda r: (*r[:3], r[3] + (3.0 if r[0] == 50.0 else 0.0), *r[4:]), "curve_not_smooth"),
        (lambda r: (*r[:3], r[1] * r[2], math.nan, *r[5:]), "apparent_as_real"),  # and nothing says what the PF was
        (lambda r: (*r[:2], r[3] / r[1] / 1.05, r[3], math.nan, *r[5:]), "watts_above_apparent"),
        (lambda r: (*r[:5], 24.0, *r[6:]), "step_hides_change"),
        (lambda r: (*r[:5], 24.0 + 0.02 * (r[0] < 60.0), *r[6:]), "few_counts"),
        (lambda r: (r[0], r[1] * (1.0 - 0.0003 * r[0]), *r[2:]), "source_sags"),
        (lambda r: (*r[:3], max(r[3], 50.0), *r[4:]), "frozen"),
    ],
)
def test_doubts_are_raised_and_not_raised(
    command: Command,
    tmp_path: Path,
    change: Callable[[tuple[float, ...]], tuple[float, ...]],
    code: str,
) -> None:
    rows = adapter()[:6]
    clean = told(command("analyse", "points", table(tmp_path, rows), "--json"))
    assert code not in {d["code"] for d in clean["doubts"]}
    found = told(command("analyse", "points", table(tmp_path, [change(r) for r in rows]), "--json"))
    assert code in {d["code"] for d in found["doubts"]}


def test_the_step_of_a_display_is_seen_in_its_values(command: Command, tmp_path: Path) -> None:
    rows = [(*r[:5], 24.0 - round(0.02 * r[0] / 100.0, 2), r[6]) for r in adapter()[:6]]
    found = told(command("analyse", "points", table(tmp_path, rows), "--json"))
    words = next(d["text"] for d in found["doubts"] if d["code"] == "few_counts")
    assert "2.0 counts of the display, 0.01 V as the values show" in words
    fine = told(command("analyse", "points", table(tmp_path, adapter()[:6]), "--json"))
    assert "few_counts" not in {d["code"] for d in fine["doubts"]}


@pytest.mark.parametrize(
    ("code", "amps"),
    [
        ("dc_part", lambda _t, w: 2.0 * np.sin(w) + 0.1),
        ("record_changes", lambda t, w: (2.0 + t) * np.sin(w)),
        ("clipped", lambda _t, w: np.clip(2.0 * np.sin(w), -1.5, 1.5) + 0.0),
    ],
)
def test_a_record_that_shows_no_one_state_is_doubted(
    command: Command, tmp_path: Path, code: str, amps: Callable[[Any, Any], Any]
) -> None:
    t = np.arange(round(0.5 * 20_000)) / 20_000
    w = 2.0 * np.pi * 50.0 * t
    for current, doubted in ((amps(t, w), True), (2.0 * np.sin(w), False)):
        rows = np.stack([t, 325.0 * np.sin(w), current], axis=1)
        file = tmp_path / "waves.csv"
        np.savetxt(file, rows, delimiter=",", header="time_s,voltage_V,current_A", comments="")
        found = told(command("analyse", "power", file, "--json"))
        assert (code in {d["code"] for d in found["doubts"]}) is doubted


def waves(folder: Path, head: str = "time_s,voltage_V,current_A", seconds: float = 0.2137, drop: int = -1) -> Path:
    t = np.arange(round(seconds * 20_000)) / 20_000
    w = 2.0 * np.pi * 50.0 * t
    rows = np.stack([t, 325.0 * np.sin(w), 2.0 * np.sin(w - 0.5) + 0.4 * np.sin(3 * w)], axis=1)
    if drop >= 0:
        rows = np.delete(rows, range(100, 100 + drop), axis=0)
    file = folder / "waves.csv"
    np.savetxt(file, rows, delimiter=",", header=head, comments="", fmt="%.9g")
    return file


def test_power_of_a_file_under_other_names_and_units(command: Command, tmp_path: Path) -> None:
    file = waves(tmp_path, "t (s),CH1 (mV),CH2 (A)")
    found = told(command("analyse", "power", file, "--json", "--time", "t", "--voltage", "CH1", "--current", "CH2"))
    assert value(found, "voltage_rms") == pytest.approx(0.325 / np.sqrt(2), rel=1e-6)
    assert value(found, "displacement_factor") == pytest.approx(np.cos(0.5), rel=1e-6)
    assert value(found, "current_thd") == pytest.approx(0.2, rel=1e-5)
    assert value(found, "current_h3") == pytest.approx(0.4 / np.sqrt(2), rel=1e-5)
    assert len(found["figures"]) == 50
    assert found["facts"]["current_phase_deg"][0] == pytest.approx(-np.degrees(0.5), abs=0.01)


def test_volts_and_amps_may_stand_in_two_files_of_one_moment(command: Command, tmp_path: Path) -> None:
    rows = np.loadtxt(waves(tmp_path), delimiter=",", skiprows=1)
    for name, column in (("voltage_V", 1), ("current_A", 2)):
        kept = rows[:, [0, column]]
        np.savetxt(tmp_path / f"{name}.csv", kept, delimiter=",", header=f"time_s,{name}", comments="", fmt="%.9g")
    both = [tmp_path / "voltage_V.csv", tmp_path / "current_A.csv"]
    found = told(command("analyse", "power", *both, "--json"))
    assert value(found, "real_power") == pytest.approx(325.0 * np.cos(0.5), rel=1e-5)
    rows[:, 0] += 0.01
    np.savetxt(both[1], rows[:, [0, 2]], delimiter=",", header="time_s,current_A", comments="", fmt="%.9g")
    refused = command("analyse", "power", *both, "--json")
    assert refused.returncode == 2
    assert "records of two moments make no power" in refused.stderr


def test_gaps_are_bridged_only_where_they_are_small(command: Command, tmp_path: Path) -> None:
    bridged = told(command("analyse", "power", waves(tmp_path, drop=2), "--json"))
    assert value(bridged, "real_power") == pytest.approx(325.0 * np.cos(0.5), rel=1e-4)
    assert any("uneven" in d["text"] for d in bridged["doubts"])
    refused = command("analyse", "power", waves(tmp_path, drop=40), "--json")
    assert refused.returncode == 2
    assert "nothing is recorded between" in refused.stderr
    assert refused.stderr.count("\n") == 1


@pytest.mark.parametrize(
    ("arguments", "why"),
    [
        (["power", "{f}", "--voltage", "volts"], "there is no column 'volts'; there are: time_s, voltage_V, current_A"),
        (["standby", "{f}"], "there is no column 'power_W'"),
        (["points", "{f}", "{f}"], "from 1 at most, 2 files were named"),
        (["nonsense", "{f}"], "there are: points, typed, "),
        (["power", "nowhere.csv"], "no such file"),
        (["points", "{f}"], "none of the columns of points"),
    ],
)
def test_refusals_are_one_line(command: Command, tmp_path: Path, arguments: list[str], why: str) -> None:
    file = waves(tmp_path)
    done = command("analyse", *(a.format(f=file) for a in arguments), "--json")
    assert done.returncode == 2
    assert why in done.stderr
    assert "Traceback" not in done.stderr
    assert done.stdout == ""


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("[input_powr_W]\nreading_percent = 0.1\n", "speaks of no column"),
        ("[input_power_W]\nreading = 0.1\n", "input_power_W.reading"),
        ("[input_power_W]\nrange_percent = 0.1\n", "needs the range"),
        ("[input_power_W]\nrange_percent = 0.1\nrange = 'nothing'\n", "which is not there"),
        ("input_power_W = 3\n", "a table is wanted"),
        ("[", "is no TOML"),
    ],
)
def test_a_wrong_accuracy_is_refused_in_place(command: Command, tmp_path: Path, text: str, why: str) -> None:
    (tmp_path / "accuracy.toml").write_text(text)
    done = command("analyse", "points", table(tmp_path, adapter()), "--accuracy", tmp_path / "accuracy.toml")
    assert done.returncode == 2
    assert why in done.stderr


def test_standby_of_a_file_in_both_methods_and_for_people(command: Command, tmp_path: Path) -> None:
    t = np.arange(0.0, 4200.0)
    file = tmp_path / "standby.csv"
    np.savetxt(
        file, np.stack([t, 209.0 + 30.0 * np.exp(-t / 200.0)], 1), delimiter=";", header="Time;P\ns;mW", comments=""
    )
    for method, begin in (("sampling", 1399.7), ("average", 1800.0)):
        found = told(
            command("analyse", "standby", file, "--json", "--time", "Time", "--power", "P", "--method", method)
        )
        assert value(found, "mean_power") == pytest.approx(0.209, abs=1e-4)
        assert found["facts"]["stable"] is True
        assert value(found, "stable_from") == pytest.approx(begin, abs=1.0)
    rows = file.read_text().splitlines()
    file.write_text("\n".join(rows[:2] + rows[2:2000] + rows[2030:]) + "\n")
    gap = told(command("analyse", "standby", file, "--json", "--time", "Time", "--power", "P"))
    assert "record_gap" in {d["code"] for d in gap["doubts"]}
    assert "record_gap" not in {d["code"] for d in found["doubts"]}
    text = command("analyse", "standby", file, "--time", "Time", "--power", "P").stdout
    assert "mean power" in text
    assert "stable: yes" in text


@pytest.mark.parametrize(("period_s", "doubted"), [(7.0, False), (550.0, True)])
def test_bursts_that_are_cut_are_doubted(command: Command, tmp_path: Path, period_s: float, doubted: bool) -> None:
    """Whole bursts are taken where there are enough of them; two long ones that begin and end anywhere are not."""
    t = np.arange(1200.0)
    watts = 0.05 + 1.0 * ((t % period_s) < 0.3 * period_s)
    file = tmp_path / "standby.csv"
    np.savetxt(file, np.stack([t, watts], axis=1), delimiter=",", header="time_s,power_W", comments="")
    found = told(command("analyse", "standby", file, "--json"))
    assert ("burst_cut" in {d["code"] for d in found["doubts"]}) is doubted
