"""Ripple out of files, by the command line: the published form, a background, and every doubt raised and not raised."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.conftest import run_command

FIGURES = {
    "peak_to_peak", "peak_to_peak_limited", "percentile_peak_to_peak", "rms", "rms_corrected", "line_peak_to_peak",
    "switching_peak_to_peak", "switching_frequency", "spike_peak_to_peak", "burst_rate", "dc_level",
}  # fmt: skip


def saved(file: Path, volts: Any, rate_Hz: float, head: str = "time_s,voltage_V") -> Path:
    times = np.arange(len(volts)) / rate_Hz
    np.savetxt(file, np.c_[times, volts], delimiter=",", header=head, comments="", fmt="%.9g")
    return file


def ripple(samples: int, rate_Hz: float, height_V: float = 0.02) -> Any:
    phase = (np.arange(samples) / rate_Hz * 213_457.0) % 1.0
    noise = 0.0005 * np.random.default_rng(1).standard_normal(samples)
    return 12.0 + height_V * (np.where(phase < 0.4, phase / 0.4, (1.0 - phase) / 0.6) - 0.5) + noise


def analysed(*arguments: object) -> dict[str, Any]:
    done = run_command("analyse", "ripple", *arguments, "--json")
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def codes(found: dict[str, Any]) -> set[str]:
    return {d["code"] for d in found["doubts"]}


def test_the_published_form(tmp_path: Path) -> None:
    found = analysed(saved(tmp_path / "fast.csv", ripple(60_000, 1e9), 1e9))
    assert found["kind"] == "ripple"
    assert set(found["figures"]) == FIGURES
    value = {name: one["value"] for name, one in found["figures"].items()}
    assert value["switching_frequency"] == pytest.approx(213_457.0, rel=1e-3)
    assert value["switching_peak_to_peak"] == pytest.approx(0.02, rel=0.05)
    assert value["peak_to_peak_limited"] < value["peak_to_peak"]
    assert (value["rms_corrected"], value["line_peak_to_peak"]) == (None, None)
    assert found["facts"]["burst"] is False
    assert found["facts"]["samples"] == 60_000
    assert not codes(found)


def test_a_background_is_named_and_doubted_where_it_dominates(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    unit = saved(tmp_path / "unit.csv", 12.0 + 610e-6 * rng.standard_normal(20_000), 1e9)
    loud = saved(tmp_path / "off.csv", 560e-6 * rng.standard_normal(20_000), 1e9)
    quiet = saved(tmp_path / "quiet.csv", 50e-6 * rng.standard_normal(20_000), 1e9)
    found = analysed(unit, "--background", loud)
    assert found["figures"]["rms_corrected"]["value"] == pytest.approx(242e-6, rel=0.1)
    assert "noise_floor_dominates" in codes(found)
    assert "noise_floor_dominates" not in codes(analysed(unit, "--background", quiet))


def test_what_the_record_cannot_show_is_doubted(tmp_path: Path) -> None:
    slow = analysed(saved(tmp_path / "slow.csv", ripple(20_000, 10e6), 10e6), "--line", 50)
    assert slow["figures"]["peak_to_peak_limited"]["value"] is None
    assert {"sampled_too_slowly", "record_too_short"} <= codes(slow)
    near = analysed(saved(tmp_path / "near.csv", ripple(20_000, 200e6), 200e6))
    assert "bandwidth_near_sampling" in codes(near)
    assert not {"aliasing"} & (codes(slow) | codes(near))
    beyond = ripple(20_000, 10e6) + 0.01 * np.sin(2.0 * np.pi * 14.6e6 * np.arange(20_000) / 10e6)  # stands at 4.6 MHz
    assert "aliasing" in codes(analysed(saved(tmp_path / "folded.csv", beyond, 10e6)))
    cut = saved(tmp_path / "cut.csv", np.clip(ripple(20_000, 1e9), 11.995, 12.005), 1e9)
    assert "clipped" in codes(analysed(cut))
    narrow = analysed(tmp_path / "slow.csv", "--bandwidth", "100kHz")
    assert narrow["figures"]["peak_to_peak_limited"]["value"] is not None


@pytest.mark.parametrize(
    ("arguments", "why"),
    [(("--bandwidth", "wide"), "no bandwidth"), (("--voltage", "ch9"), "no column"),
     (("--background", "none.csv"), "none.csv")],
)  # fmt: skip
def test_what_makes_no_sense_is_refused(tmp_path: Path, arguments: tuple[str, ...], why: str) -> None:
    file = saved(tmp_path / "fast.csv", ripple(2_000, 1e9), 1e9)
    done = run_command("analyse", "ripple", file, *arguments)
    assert done.returncode == 2
    assert why in done.stderr


def test_without_a_scope_it_is_no_part_of_a_plan(tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text('name = "Ripple"\n[[part]]\nprocedure = "ripple"\n')
    from tests.conftest import RIG, UNIT

    done = run_command("plan", "--unit", UNIT, "--rig", RIG, "--plan", plan)
    assert done.returncode == 2
    assert "no channel of a scope" in done.stderr
