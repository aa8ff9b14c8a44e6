"""A set output recorded as it follows: against how its capacitor is charged by its limit and emptied by its load."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.several.conftest import EXAMPLES, Went

from zincsmith.analysis.envelope import CLEAR_OF_LIMIT
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.planning.composer import compose
from zincsmith.procedures.programming_speed.options import SpeedOptions
from zincsmith.simbench.units.parameters import read_sections

SUPPLY = ("lathom-lb303", "simulated-supply")


def test_it_follows_as_its_capacitor_lets_it(goes: Callable[..., Went]) -> None:
    """Up at (limit - load) / C; down by exp(-t / R C) unloaded, by I / C and that under a load."""
    part = SpeedOptions(line=Line(230.0, 50.0), down_s=4.0)
    _, closed, run = goes(*SUPPLY, (part,))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    file = read_sections(EXAMPLES / "standins" / "lathom-lb303.toml")
    farad, bleeder = file["output"].capacitor_F, file["output"].bleeder_ohm
    found: dict[tuple[str, float], Finding] = {
        (j.finding.name, j.finding.at.draw.share_percent or 0.0): j.finding for j in run.judged
    }
    low, high, limit = 3.0, 27.0, 3.0
    band = 0.01 * (high - low)
    for percent in (0.0, 50.0):
        up = found["program_up_time", percent]
        amps = percent / 100.0 * CLEAR_OF_LIMIT * limit
        near(up, (high - low - band) * farad / (limit - amps))
        down = found["program_down_time", percent]
        if amps:
            tau, held = bleeder * farad, amps * bleeder
            near(down, tau * math.log((high + held) / (low + band + held)))
        else:
            near(down, bleeder * farad * math.log(high / (low + band)))
        assert not up.doubts
    near(found["switch_off_time", 0.0], bleeder * farad * math.log(1.0 / 0.05))
    assert found["switch_on_overshoot", 0.0].number == pytest.approx(0.004 * high, abs=0.06)
    glitch = found["switch_off_glitch", 0.0]  # none was drawn: what noise makes of the highest of many
    assert glitch.number < 5.0 * (glitch.u or 0.0)
    assert "input_gone_glitch" in {name for name, _ in found}


def near(finding: Finding, truth: float) -> None:
    assert finding.u is not None
    assert finding.number == pytest.approx(truth, rel=0.02, abs=4.0 * finding.u + 4e-4), finding.title


def test_it_is_planned_where_something_else_than_a_hand_sets_it() -> None:
    unit = read_unit(EXAMPLES / "units" / "lathom-lb303.toml")
    assert "programming_speed" in {
        p.procedure for p in compose(unit, read_rig(EXAMPLES / "rigs" / f"{SUPPLY[1]}.toml"))[0].parts
    }
    plain = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    assert "nobody sets" in SpeedOptions.suits(plain.nameplate)


def test_a_glitch_as_it_is_switched_off_has_its_height_and_width(goes: Callable[..., Went], tmp_path: Path) -> None:
    """Half a sine of 1.5 V and 2 ms: above half of its height for two thirds of it, less what the mean takes off."""
    made = (EXAMPLES / "standins" / "lathom-lb303.toml").read_text("utf-8")
    file = tmp_path / "lathom-lb303.toml"
    file.write_text(made.replace("[supply]", "[supply]\nglitch_V = 1.5\nglitch_s = 2e-3"), "utf-8")
    part = SpeedOptions(line=Line(230.0, 50.0), load_percent=50.0, down_s=0.5)
    _, closed, run = goes(*SUPPLY, (part,), physics=file)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged}
    assert found["switch_off_glitch"].number == pytest.approx(1.5, rel=0.05)
    assert found["switch_off_glitch_time"].number == pytest.approx(2e-3 * 2.0 / 3.0, rel=0.1)
    assert found["input_gone_glitch_time"].value == 0.0
