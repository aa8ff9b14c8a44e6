"""Load steps, turn-on, hold-up, shorts and ripple out of files, by the command line: the published form, what is
refused, every doubt raised and not raised; taken in as evidence, judged against what the papers state."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import h5py
import numpy as np
import pytest
from PySide6.QtGui import QImage
from tests.conftest import RIG, ROOT, UNIT, run_command

from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.turn_on.figures import turn_on_of
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces

RNG = np.random.default_rng(11)


def saved(file: Path, **columns: Any) -> Path:
    values = np.stack(list(columns.values()), axis=1)
    np.savetxt(file, values, delimiter=",", header=",".join(columns), comments="", fmt="%.9g")
    return file


def analysed(*arguments: object) -> dict[str, Any]:
    done = run_command("analyse", *arguments, "--json")
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def codes(found: dict[str, Any]) -> set[str]:
    return {d["code"] for d in found["doubts"]}


def value(found: dict[str, Any], name: str) -> Any:
    return found["figures"][name]["value"]


def step(file: Path, dip_V: float = 0.5, nominal_V: float = 12.0, count: int = 30_000, **columns: Any) -> Path:
    """Two edges of the load, 12 ms apart."""
    t = np.arange(-3000, count - 3000) * 1e-6
    late, later = np.maximum(t, 0.0), np.maximum(t - 12e-3, 0.0)
    answer = -dip_V * (t > 0) * np.exp(-late / 3e-4) + 0.8 * dip_V * (t > 12e-3) * np.exp(-later / 4e-4)
    volts = nominal_V + answer + 0.002 * RNG.standard_normal(len(t))
    amps = np.where((t > 0) & (t <= 12e-3), 5.0, 0.5)
    return saved(file, time_s=t, **({"voltage_V": volts, "current_A": amps} | columns))


def mains(t: Any, on: Any, hertz: float = 50.0) -> Any:
    return np.where(on, 325.0 * np.sin(2.0 * np.pi * hertz * t + 0.7), 0.0)


def hold_up_file(
    file: Path, lasts_s: float = 0.02, hertz: float = 50.0, nominal_V: float = 24.0, end_s: float = 0.1
) -> Path:
    t = np.arange(-0.05, end_s, 2e-5)
    volts = nominal_V - 400.0 * np.maximum(0.0, t - lasts_s + 0.006)
    return saved(file, time_s=t, input_V=mains(t, t < 0.0, hertz), output_V=np.maximum(0.0, volts))


def turn_on_file(file: Path, nominal_V: float = 24.0) -> Path:
    t = np.arange(-0.05, 0.2, 2e-5)
    volts = nominal_V * -np.expm1(-np.maximum(t - 0.06, 0.0) / 3e-3)
    return saved(file, time_s=t, input_V=mains(t, t >= 0.0), output_V=volts)


def test_the_published_form_of_each(tmp_path: Path) -> None:
    found = analysed("load-step", step(tmp_path / "s.csv"), "--nominal", 12)
    assert found["kind"] == "load-step"
    assert found["facts"]["edges"] == 2
    assert found["facts"]["recovered"] == [True, True]
    names = ("time", "overshoot", "undershoot", "recovery_time", "level_before", "level_after")
    assert set(found["figures"]) == {f"edge{n}_{name}" for n in (1, 2) for name in names}
    assert value(found, "edge1_undershoot") == pytest.approx(0.5, abs=0.01)
    assert value(found, "edge2_overshoot") == pytest.approx(0.4, abs=0.01)
    assert not codes(found)

    found = analysed("turn-on", turn_on_file(tmp_path / "on.csv"), "--nominal", 24)
    assert {"delay", "rise_time", "overshoot", "minimum"} <= set(found["figures"])
    assert value(found, "delay") == pytest.approx(0.06 + 3e-3 * np.log(10.0), abs=1e-4)
    assert found["facts"]["monotonic"] is True
    assert not codes(found)
    said = analysed("turn-on", tmp_path / "on.csv", "--nominal", 24, "--threshold", "12V", "--start", 0.01,
                    "--output", "output_V")  # fmt: skip
    assert value(said, "delay") == pytest.approx(0.05 + 3e-3 * np.log(2.0), abs=1e-4)

    found = analysed("hold-up", hold_up_file(tmp_path / "off.csv"), "--nominal", 24)
    assert set(found["figures"]) == {"hold_up_time"}
    assert value(found, "hold_up_time") == pytest.approx(0.02, abs=1e-4)
    half = analysed("hold-up", tmp_path / "off.csv", "--nominal", 24, "--threshold", "50%")
    assert value(half, "hold_up_time") == pytest.approx(0.014 + 0.03, abs=1e-4)
    assert half["facts"]["threshold"] == "50%"

    t = np.arange(-1e-4, 5e-3, 1e-6)
    volts = np.where(t < 0.0, 5.0, 5.0 * np.exp(-np.maximum(t, 0.0) / 1e-4))
    file = saved(tmp_path / "short.csv", time_s=t, voltage_V=volts, current_A=np.where(t < 0.0, 1.0, 20.0))
    found = analysed("short", file, "--nominal", 5, "--threshold", "0.5V")
    assert value(found, "collapse_time") == pytest.approx(2.3026e-4, abs=1e-6)


def signal(t: Any, high: Any) -> Channel:
    """A terminal of 5 V with a little noise."""
    return Channel("signal_voltage", np.where(high, 5.0, 0.0) + 0.01 * RNG.standard_normal(len(t)))


def test_power_good_is_timed_against_the_output_and_doubted_where_it_misleads(tmp_path: Path) -> None:
    """Out of a file by its column; too early, too late and never, by the same arithmetic."""
    t = np.arange(-0.05, 0.2, 2e-5)
    there = 0.06 + 3e-3 * np.log(10.0)
    volts = 24.0 * -np.expm1(-np.maximum(t - 0.06, 0.0) / 3e-3)
    on = mains(t, t >= 0.0)
    file = saved(tmp_path / "on.csv", time_s=t, input_V=on, output_V=volts, power_good_V=np.where(t > 0.16, 5.0, 0.0))
    found = analysed("turn-on", file, "--nominal", 24)
    assert value(found, "power_good_delay") == pytest.approx(0.16 - there, abs=1e-4)
    assert value(found, "power_good_level") == pytest.approx(5.0, rel=1e-3)
    assert not codes(found)
    channels = {"input_voltage": Channel("input_voltage", on), "output_voltage": Channel("output_voltage", volts)}
    for begins, code in ((0.05, "good_too_early"), (9.0, "no_power_good")):
        one = turn_on_of(Traces(2e-5, -0.05, channels | {"signal_voltage": signal(t, t > begins)}), Choices(24.0))
        assert [d.code for d in one.doubts] == [code]
    off, gone = mains(t, t < 0.0), 0.09
    volts = np.maximum(0.0, 24.0 - 400.0 * np.maximum(0.0, t - gone + 0.006))
    channels = {"input_voltage": Channel("input_voltage", off), "output_voltage": Channel("output_voltage", volts)}
    for ends, doubts in ((0.07, []), (0.1, ["warned_too_late"]), (9.0, ["no_power_good"])):
        one = hold_up_of(Traces(2e-5, -0.05, channels | {"signal_voltage": signal(t, t < ends)}), Choices(24.0))
        assert [d.code for d in one.doubts] == doubts
        warned = one.figures["power_good_warning"].value
        assert warned == (None if ends > 1.0 else pytest.approx(gone - ends, abs=1e-4))


def test_other_names_and_negative_rails_are_understood(tmp_path: Path) -> None:
    t = np.arange(-0.05, 0.1, 2e-5)
    volts = 12.0 - 400.0 * np.maximum(0.0, t - 0.017)
    columns = {"input_voltage_V": mains(t, t < 0.0), "output_voltage_V": -np.maximum(0.0, volts)}
    file = saved(tmp_path / "off.csv", time_s=t, **columns)
    found = analysed("hold-up", file, "--nominal", -12)
    assert value(found, "hold_up_time") == pytest.approx(0.02, abs=1e-4)
    file = saved(tmp_path / "own.csv", t=t, mains=mains(t, t < 0.0), rail=np.maximum(0.0, volts))
    own = analysed("hold-up", file, "--nominal", 12, "--time", "t", "--input", "mains", "--output", "rail")
    assert value(own, "hold_up_time") == pytest.approx(0.02, abs=1e-4)


@pytest.mark.parametrize(
    ("arguments", "why"),
    [
        (("load-step", "s.csv"), "nominal"),
        (("load-step", "s.csv", "--nominal", "12", "--band", "wide"), "no level"),
        (("hold-up", "s.csv", "--nominal", "12"), "output_V"),
        (("turn-on", "on.csv", "--nominal", "12", "--start", "7"), "outside the record"),
        (("short", "few.csv", "--nominal", "5"), "no record"),
    ],
)
def test_what_is_refused_says_why(tmp_path: Path, arguments: tuple[str, ...], why: str) -> None:
    step(tmp_path / "s.csv")
    turn_on_file(tmp_path / "on.csv")
    saved(tmp_path / "few.csv", time_s=np.arange(5) * 1e-3, voltage_V=np.ones(5))
    kind, file, *more = arguments
    done = run_command("analyse", kind, tmp_path / file, *more)
    assert done.returncode == 2
    assert why in done.stderr
    assert file in done.stderr


def test_doubts_of_a_load_step(tmp_path: Path) -> None:
    file = step(tmp_path / "ac.csv", nominal_V=0.0)
    assert "ac_coupled_step" in codes(analysed("load-step", file, "--nominal", 12))
    cut = step(tmp_path / "cut.csv", count=3200)
    found = analysed("load-step", cut, "--nominal", 12)
    assert "ends_before_recovery" in codes(found)
    assert (found["facts"]["recovered"], value(found, "edge1_recovery_time")) == ([False], None)
    assert "probe_ratio" in codes(analysed("load-step", step(tmp_path / "ten.csv", nominal_V=1.2), "--nominal", 12))
    coarse = 0.0625 * np.round(np.linspace(12.0, 11.9, 30_000) / 0.0625 + 0.3 * RNG.standard_normal(30_000))
    found = analysed("load-step", step(tmp_path / "coarse.csv", voltage_V=coarse), "--nominal", 12)
    assert "scope_for_regulation" in codes(found)
    t = np.arange(-3000, 27_000) * 1e-6
    slow = np.clip(t / 4e-4, 0.0, 1.0)
    answer = 12.0 - 0.5 * slow * np.exp(-np.maximum(t - 4e-4, 0.0) / 3e-4) + 0.002 * RNG.standard_normal(30_000)
    found = analysed("load-step", step(tmp_path / "slow.csv", voltage_V=answer, current_A=5.0 * slow), "--nominal", 12)
    assert "slow_step" in codes(found)
    flat = step(tmp_path / "flat.csv", dip_V=0.0, current_A=np.ones(30_000))
    assert "no_step" in codes(analysed("load-step", flat, "--nominal", 12))


def test_doubts_of_switching_on_and_off(tmp_path: Path) -> None:
    t = np.arange(-0.05, 0.2, 2e-5)
    up = turn_on_file(tmp_path / "on.csv")
    alone = saved(tmp_path / "alone.csv", time_s=t, output_V=24.0 * -np.expm1(-np.maximum(t, 0.0) / 3e-3))
    assert "no_start" in codes(analysed("turn-on", alone, "--nominal", 24))
    assert "not_up" in codes(analysed("turn-on", up, "--nominal", 48))
    quick = saved(tmp_path / "quick.csv", time_s=t, input_V=mains(t, t >= 0.0), output_V=np.where(t > 0.06, 24.0, 0.0))
    assert "sampled_too_slowly" in codes(analysed("turn-on", quick, "--nominal", 24))
    stays = saved(tmp_path / "stays.csv", time_s=t, input_V=mains(t, t < 9.0), output_V=np.where(t < 0.06, 24.0, 0.0))
    assert "input_stays" in codes(analysed("hold-up", stays, "--nominal", 24))
    early = hold_up_file(tmp_path / "early.csv", end_s=0.01)
    found = analysed("hold-up", early, "--nominal", 24)
    assert "ends_before_fall" in codes(found)
    assert value(found, "hold_up_time") is None


# As evidence


def taken_in(book: Path, kind: str, file: Path, *more: object) -> dict[str, Any]:
    first = () if book.exists() else ("--unit", UNIT, "--rig", RIG)
    at = () if "--line" in more else ("--line", "230,50")
    done = run_command("take-in", book, kind, file, "--operator", "Tester", *at, *first, *more)
    assert done.returncode == 0, done.stderr
    found = json.loads(run_command("findings", book, "--json").stdout)
    return {f["name"]: f for f in found["findings"]}


def test_claims_of_the_papers_are_judged_by_what_is_taken_in(tmp_path: Path) -> None:
    """The unit states ripple of 120 mV and hold-up of 10 ms."""
    book, sheet = tmp_path / "b.zbook", tmp_path / "sheet.toml"
    sheet.write_text(
        "[output_voltage_V]\nreading_percent = 2.0\noffset = 0.002\n"
        "[input_voltage_V]\nreading_percent = 2.0\noffset = 1.0\n"
    )
    phase = (np.arange(60_000) * 1e-9 * 213_457.0) % 1.0
    saw = 24.0 + 0.08 * (np.where(phase < 0.4, phase / 0.4, (1.0 - phase) / 0.6) - 0.5)
    saw = saw + 0.0005 * RNG.standard_normal(60_000)
    file = saved(tmp_path / "ripple.csv", time_s=np.arange(60_000) * 1e-9, voltage_V=saw)
    found = taken_in(book, "ripple", file, "--accuracy", sheet)
    assert found["ripple"]["verdict"] == "holds"
    assert found["ripple"]["value"] == pytest.approx(0.081, abs=0.002)
    assert found["ripple"]["u"] == pytest.approx(0.02 / 3**0.5 * 0.081, rel=0.1)
    assert found["ripple_switching"]["value"] == pytest.approx(0.08, rel=0.05)
    assert found["ripple_percentile"]["verdict"] == "no claim", "a figure of the house judges nothing"

    at_115 = ("--line", "115,60", "--accuracy", sheet)
    long, brief = hold_up_file(tmp_path / "long.csv", 0.02, hertz=60.0), hold_up_file(tmp_path / "b.csv", 0.008, 60.0)
    cut = hold_up_file(tmp_path / "cut.csv", 0.02, 60.0, end_s=0.01)
    held = taken_in(book, "hold-up", cut, *at_115)["hold_up"]
    assert (held["verdict"], held["value"]) == ("not tested", None), "what the record does not show judges nothing"
    assert "ends_before_fall" in {d["code"] for d in held["doubts"]}
    held = taken_in(book, "hold-up", long, *at_115)["hold_up"]
    assert (held["verdict"], held["claim"] is not None) == ("holds", True)
    held = taken_in(book, "hold-up", brief, *at_115)["hold_up"]
    assert held["verdict"] == "fails"
    assert held["value"] == pytest.approx(0.008, abs=2e-4)
    unknown = taken_in(book, "hold-up", long, "--line", "115,60")["hold_up"]
    assert unknown["u"] is None
    assert "accuracy_unknown" in {d["code"] for d in unknown["doubts"]}


def test_what_is_taken_in_is_a_capture_that_can_be_given_out(tmp_path: Path) -> None:
    book = tmp_path / "b.zbook"
    file = step(tmp_path / "s.csv", nominal_V=24.0)
    found = taken_in(book, "load-step", file, "--band", "2%")
    alone = analysed("load-step", file, "--nominal", 24, "--band", "2%")
    assert found["load_step"]["value"] == pytest.approx(value(alone, "edge1_undershoot"), rel=1e-6)
    assert found["recovery_time"]["value"] == pytest.approx(
        max(value(alone, "edge1_recovery_time"), value(alone, "edge2_recovery_time")), rel=1e-6
    )
    (listed,) = json.loads(run_command("capture", book, "--json").stdout)
    assert (listed["samples"], listed["of"], listed["before"]) == (30_000, "load_transient", 3000)
    assert [c["quantity"] for c in listed["channels"]] == ["output_voltage", "output_current"]
    for name in ("c.csv", "c.h5", "c.svg", "c.png"):
        assert run_command("capture", book, 1, "-o", tmp_path / name).returncode == 0
    original = np.loadtxt(file, delimiter=",", skiprows=1)
    again = np.loadtxt(tmp_path / "c.csv", delimiter=",", skiprows=1)
    assert np.max(np.abs(original - again)) < 1e-8
    with h5py.File(tmp_path / "c.h5") as held:
        one = held["output_voltage"]
        assert np.max(np.abs(one.attrs["offset"] + one.attrs["scale"] * one[:] - original[:, 1])) < 1e-8
    drawn = ET.fromstring((tmp_path / "c.svg").read_text())
    words = [one.text for one in drawn.iter("{http://www.w3.org/2000/svg}text")]
    assert {"Output volts, V", "Output amps, A"} <= set(words)
    assert QImage(str(tmp_path / "c.png")).width() == 1350
    refused = run_command("capture", book, 1, "-o", tmp_path / "c.doc")
    assert refused.returncode == 2
    assert ".svg" in refused.stderr
    assert run_command("capture", book, 9, "-o", tmp_path / "c.csv").returncode == 2
    assert run_command("book", "check", book).returncode == 0


def test_of_several_outputs_one_is_named(tmp_path: Path) -> None:
    book, file = tmp_path / "b.zbook", hold_up_file(tmp_path / "off.csv", nominal_V=12.0)
    unit = ROOT / "examples" / "units" / "ferrowby-px350.toml"
    command = ("take-in", book, "hold-up", file, "--operator", "T", "--line", "230,50", "--unit", unit, "--rig", RIG)
    refused = run_command(*command)
    assert refused.returncode == 2
    assert "+12 V" in refused.stderr
    assert not book.exists()
    assert run_command(*command, "--rail", "+12 V").returncode == 0
    found = json.loads(run_command("findings", book, "--json").stdout)["findings"]
    (held,) = (f for f in found if f["name"] == "hold_up")
    assert held["value"] == pytest.approx(0.017, abs=2e-4)
    assert held["verdict"] in ("holds", "too close to call")


def test_a_background_is_taken_in_beside(tmp_path: Path) -> None:
    times = np.arange(20_000) * 1e-9
    unit = saved(tmp_path / "on.csv", time_s=times, voltage_V=24.0 + 610e-6 * RNG.standard_normal(20_000))
    quiet = saved(tmp_path / "off.csv", time_s=times, voltage_V=560e-6 * RNG.standard_normal(20_000))
    found = taken_in(tmp_path / "b.zbook", "ripple", unit, "--background", quiet)
    assert found["ripple_rms"]["value"] == pytest.approx(242e-6, rel=0.15)  # trade notes: 610 with 560 leaves 242
    assert "noise_floor_dominates" in {d["code"] for d in found["ripple_rms"]["doubts"]}
    listed = json.loads(run_command("capture", tmp_path / "b.zbook", "--json").stdout)
    assert [("background" in c["where"]) for c in listed] == [False, True]
