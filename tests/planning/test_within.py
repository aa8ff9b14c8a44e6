"""A plan for the time there is: never longer, the frame always there, more time never tests less."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.conftest import ROOT

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import all_claims
from zincsmith.model.errors import InputError
from zincsmith.model.feeding import Duty, Feeding
from zincsmith.planning.composer import AFTER_RIG, compose, order_problem, rank
from zincsmith.planning.for_duty import for_duty
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.within import within, worst_corner
from zincsmith.procedures.static_grid.options import GridOptions

UNIT = read_unit(ROOT / "examples" / "units" / "tarnbrook-tb2425.toml")
RIG = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
TESTS = Counter(c.procedure for c in all_claims(UNIT.nameplate) if c.kept)


def test_more_time_never_tests_less_and_it_is_never_too_long() -> None:
    whole, _ = compose(UNIT, RIG)
    before = 0
    for minutes in (13.0, 25.0, 60.0, 150.0):
        plan, left = within(UNIT, RIG, 60.0 * minutes, TESTS)
        assert rehearse(UNIT, RIG, plan).likely_s <= 60.0 * minutes
        assert order_problem(plan.parts) == ""
        frame = [p for p in whole.parts if rank(p) <= AFTER_RIG]
        assert [p for p in plan.parts if rank(p) <= AFTER_RIG] == frame
        assert len(plan.parts) >= before
        before = len(plan.parts)
        named = {one.procedure for one in left}
        missing = {p.procedure for p in whole.parts} - {p.procedure for p in plan.parts}
        assert missing <= named, "what stays untested is named"
    assert plan.parts == whole.parts, "with time enough it is the whole plan"
    assert left == ()
    with pytest.raises(InputError, match="bring it up takes"):
        within(UNIT, RIG, 120.0, TESTS)


def test_the_worst_corner_comes_before_nothing() -> None:
    plan, left = within(UNIT, RIG, 3600.0, TESTS)
    (grid,) = [p for p in plan.parts if isinstance(p, GridOptions)]
    assert (len(grid.lines), grid.loads_percent) == (1, (100.0,))
    assert min(line.voltage_V for line in GridOptions().lines_used) >= grid.lines[0].voltage_V
    assert "worst corner only" in next(one.words for one in left if one.procedure == "static_grid")
    assert worst_corner(grid) == grid, "there is no less than that"


def test_a_plan_for_a_duty_takes_its_loads_too(command: Callable[..., CompletedProcess[str]], tmp_path: Path) -> None:
    """2.5 A are the rating, 0 is there, 0.9 A are 36 %; 9 A nobody asks it for. Of other volts it takes none."""
    feeding = Feeding("pump", 24.0, 2.5, duty=(Duty(2, 2.5), Duty(4, 0.9), Duty(17, 0.0), Duty(1, 9.0)))
    whole, _ = compose(UNIT, RIG)
    made = for_duty(whole, UNIT.nameplate, feeding)
    (grid,) = [p for p in made.parts if isinstance(p, GridOptions)]
    (before,) = [p for p in whole.parts if isinstance(p, GridOptions)]
    assert set(grid.loads_percent) - set(before.loads_percent) == {36.0}
    assert grid.loads_percent == tuple(sorted(grid.loads_percent, reverse=True))
    assert rehearse(UNIT, RIG, made).likely_s > rehearse(UNIT, RIG, whole).likely_s
    assert for_duty(whole, UNIT.nameplate, replace(feeding, voltage_V=12.0)) == whole
    assert for_duty(whole, UNIT.nameplate, None) == whole
    assert for_duty(made, UNIT.nameplate, feeding) == made, "once is enough"
    file = tmp_path / "pump.toml"
    file.write_text('name = "pump"\nvoltage_V = 24\ncurrent_A = 2.5\nduty = [{ hours = 24, current_A = 0.9 }]\n')
    files = ("--unit", str(ROOT / "examples" / "units" / "tarnbrook-tb2425.toml"), "--rig",
             str(ROOT / "examples" / "rigs" / "simulated-scope.toml"))  # fmt: skip
    assert ", 36," in command("plan", *files, "--feeds", str(file), "--toml").stdout


def test_at_the_command_line(command: Callable[..., CompletedProcess[str]]) -> None:
    files = ("--unit", str(ROOT / "examples" / "units" / "tarnbrook-tb2425.toml"), "--rig",
             str(ROOT / "examples" / "rigs" / "simulated-scope.toml"))  # fmt: skip
    said = command("plan", *files, "--within", "60").stdout
    assert "Within 1 h 0 min" in said
    assert "no time: its worst corner only" in said
    assert command("plan", *files, "--within", "1").returncode == 2
