"""Reported problems: looked for under the conditions that were told, told by state, and never judged as claims."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.judge.reported import looked_for, sections_of
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Line
from zincsmith.model.reported import Reported
from zincsmith.procedures.drift.options import DriftOptions

NAME = "tarnbrook-tb2425"
TOLD = (
    Reported("wanders for half an hour", "a user by letter", "drift", low=0.2e-3, line_V=230.0, firmware="1.4"),
    Reported("wanders by a volt", "forum", "drift", low=1.0),
    Reported("wanders in Japan", "", "drift", low=0.2e-3, line_V=100.0),
    Reported("smells of fish", "forum"),
)
STATES = ["reproduced", "not reproduced under these conditions", "not tested", "nothing to test"]


def test_each_is_told_by_what_was_measured(goes: Goes, command: Callable[..., CompletedProcess[str]]) -> None:
    unit = replace(read_unit(EXAMPLES / "units" / f"{NAME}.toml"), reported=TOLD)
    part = DriftOptions(line=Line(230.0, 50.0), load_percent=100.0, warm_up_s=120.0, lasts_s=3600.0, every_s=120.0)
    scene, closed, run = goes(NAME, "simulated", (part,), unit=unit)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    (drift,) = (j for j in run.judged if j.finding.name == "drift")
    assert drift.verdict is Verdict.NO_CLAIM
    assert drift.finding.u is not None
    edge = drift.finding.number + drift.finding.u
    near = replace(run.unit, reported=(Reported("just so", "", "drift", low=edge),))
    assert [one.state for one in looked_for(replace(run, unit=near))] == ["cannot be told"]
    assert [one.state for one in looked_for(run)] == STATES
    told = json.loads(command("findings", str(scene.path), "--json").stdout)["reported"]
    assert [one["state"] for one in told] == STATES
    assert told[0]["by"][0]["value"] == pytest.approx(drift.finding.number)
    assert "smells of fish" in command("findings", str(scene.path)).stdout
    problems, maker = sections_of(run)
    assert len(problems.rows) == len(TOLD)
    assert [row[0] for row in maker.rows] == ["wanders for half an hour"]
    assert maker.rows[0][3] == drift.finding.working.formula
    assert sections_of(replace(run, unit=replace(run.unit, reported=()))) == []


def test_they_stand_in_the_file_of_the_unit(tmp_path: Path) -> None:
    unit = replace(read_unit(EXAMPLES / "units" / f"{NAME}.toml"), reported=TOLD)
    file = tmp_path / "unit.toml"
    file.write_text(unit_text(unit), "utf-8")
    assert read_unit(file) == unit
    file.write_text(unit_text(unit).replace('figure = "drift"', 'figure = "whims"', 1), "utf-8")
    with pytest.raises(InputError, match="no figure"):
        read_unit(file)
