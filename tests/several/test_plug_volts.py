"""Pins of a plug that was pulled: against V exp(-t / R C), by wire and from a file that another program wrote."""

from __future__ import annotations

import math
import random
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.analysis.plug_pins import emptying, pull_of, without_reader
from zincsmith.formats.table_file import read_columns
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.claim import StatedClaim
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Line
from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.plug_volts.options import PlugOptions
from zincsmith.procedures.plug_volts.steps import PlugRecord

LINE = Line(230.0, 50.0)
CREST = 230.0 * math.sqrt(2.0)
FARAD = 220e-9  # of the stand-in


def physics(folder: Path, bleeder_ohm: float) -> Path:
    made = (EXAMPLES / "standins" / "tarnbrook-tb2425.toml").read_text("utf-8")
    made = made.replace("x_capacitor_F = 220e-9", f"x_capacitor_F = 220e-9\nbleeder_ohm = {bleeder_ohm:g}")
    file = folder / "tarnbrook-tb2425.toml"
    file.write_text(made, "utf-8")
    return file


@pytest.mark.parametrize(
    ("bleeder_ohm", "capacitor_uF", "told"),
    [(1e6, 0.22, ""), (1e10, 0.22, "bleeder_dead"), (20e6, 0.0, "read_by_its_own_load")],
)
def test_the_worst_moment_to_pull_it_is_told_and_what_read_it_made_up_for(
    goes: Goes, tmp_path: Path, bleeder_ohm: float, capacitor_uF: float, told: str
) -> None:
    unit = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    claim = StatedClaim("plug_voltage", high=60.0, source="manual")
    unit = replace(unit, nameplate=replace(unit.nameplate, claims=(*unit.nameplate.claims, claim)))
    part = PlugOptions(line=LINE, pulls=2, capacitor_uF=capacitor_uF)
    _, closed, run = goes("tarnbrook-tb2425", "simulated-scope", (part,), unit=unit,
                          physics=physics(tmp_path, bleeder_ohm))  # fmt: skip
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = next(j for j in run.judged if j.finding.name == "plug_voltage")
    own = bleeder_ohm if capacitor_uF else 1.0 / (1.0 / bleeder_ohm + 1.0 / 100e6)
    truth = CREST * math.exp(-2.0 / (own * FARAD))
    one = found.finding
    assert one.u is not None
    assert abs(one.number - truth) < 3.0 * one.u + 0.02 * truth, (one.number, truth, one.u)
    assert found.verdict is (Verdict.HOLDS if bleeder_ohm == 1e6 else Verdict.FAILS)
    codes = {d.code for d in one.doubts}
    assert (told in codes) if told else not codes & {"bleeder_dead", "read_by_its_own_load", "beyond_allowed"}
    assert ("beyond_allowed" in codes) is (truth > 60.0)


def test_a_file_of_another_program_gives_the_same(tmp_path: Path) -> None:
    """Integrated by SciPy with both resistances; 10 Mohm across the pins passes a dead bleeder, and says so."""
    dice = random.Random(20)
    step, across = 5e-5, 10e6
    t = np.arange(-0.2, 4.0, step)
    phase = dice.uniform(0.6, 2.4)
    gone = solve_ivp(lambda _t, v: -v / (across * 0.1e-6), (0.0, 4.1), [CREST * math.sin(phase)], rtol=1e-9,
                     dense_output=True)  # fmt: skip
    volts = np.where(t < 0.0, CREST * np.sin(2.0 * math.pi * 50.0 * t + phase), gone.sol(np.maximum(t, 0.0))[0])
    volts += np.random.default_rng(3).normal(0.0, 0.4, len(t))
    pull = pull_of(volts, step)
    assert pull is not None
    one = emptying(volts, step, pull)
    assert one.tau_s == pytest.approx(1.0, rel=0.01)
    assert one.crest_V == pytest.approx(CREST, rel=0.01)
    assert without_reader(one.tau_s or 0.0, across, 0.1e-6) > 50.0  # nothing of its own
    file = tmp_path / "pulled.csv"
    rows = "\n".join(f"{a:.6f},{b:.3f}" for a, b in zip(t, volts, strict=True))
    file.write_text("time_s,input_V\n" + rows, "utf-8")
    found = PlugRecord().figures(read_columns(file), FigureRequest())
    assert found.figures["left"].value == pytest.approx(CREST * math.exp(-2.0), rel=0.02)  # 44 V: passes
    assert "read_by_its_own_load" in {d.code for d in found.doubts}


def test_near_zero_nothing_is_left_to_see_and_a_plug_that_stays_is_told() -> None:
    t = np.arange(-0.2, 1.0, 5e-5)
    stays = CREST * np.sin(2.0 * math.pi * 50.0 * t)
    assert pull_of(stays, 5e-5) is None
    gone = np.where(t < 0.0, stays, 5.0 * np.exp(-np.maximum(t, 0.0) / 0.2))
    pull = pull_of(gone, 5e-5)
    assert pull is not None
    assert emptying(gone, 5e-5, pull).tau_s is None


def test_it_is_for_a_plug() -> None:
    assert PlugOptions.suits(read_unit(EXAMPLES / "units" / "netherby-nb5.toml").nameplate)
