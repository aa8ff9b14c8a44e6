"""Losses by part of a whole run: in its report, on the command line, beside what was measured."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from tests.conftest import Command
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.unit_file import read_unit
from zincsmith.model.intake import Part
from zincsmith.model.plan import Line
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.report.html import render, sections_of
from zincsmith.showing.losses import TITLE, TOO_MUCH, losses_of

LINE = Line(12.0, 0.0)
PARTS = (
    Part("Q1", "switch", stage="step-down", ohm=0.035), Part("D1", "output rectifier", stage="step-down", drop_V=0.4),
    Part("L1", "inductor", stage="step-down", ohm=0.02),
)  # fmt: skip


def test_they_stand_beside_what_was_measured(goes: Goes, command: Command) -> None:
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    unit = replace(unit, look=replace(unit.look, parts=(*unit.look.parts, *PARTS)))
    grid = GridOptions(lines=(LINE,), loads_percent=(50.0, 100.0), warm_up_s=10.0)
    scene, closed, run = goes("netherby-nb5", "simulated-dc", (grid,), unit=unit)
    assert closed.outcome == "complete", closed.why
    (went,) = losses_of(run)
    (volts, amps), = went.at.outputs.values()  # fmt: skip
    duty = volts / went.at.input_V
    by_hand = {"Q1": 0.035 * amps**2 * duty, "D1": 0.4 * amps * (1.0 - duty), "L1": 0.02 * amps**2}
    assert {one.part.name: one.watts for one in went.parts} == pytest.approx(by_hand, rel=1e-6)
    assert went.percent == 100.0
    assert went.rest_W == pytest.approx(went.at.input_W - volts * amps - sum(by_hand.values()))
    (section,) = [s for s in sections_of(run) if s.title == TITLE]
    assert [row[1] for row in section.rows[-2:]] == ["measured, in all", "not explained"]
    assert TITLE in render(run)
    told = json.loads(command("losses", scene.path, "--json").stdout)
    assert [one["name"] for one in told[0]["parts"]] == ["Q1", "D1", "L1"]
    assert told[0]["rest_W"] == pytest.approx(went.rest_W)
    assert "not explained" in command("losses", scene.path).stdout


def test_parts_that_come_to_more_than_was_lost_are_no_estimate(goes: Goes, command: Command) -> None:
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    grid = GridOptions(lines=(LINE,), loads_percent=(100.0,), warm_up_s=10.0)
    scene, _, run = goes("netherby-nb5", "simulated-dc", (grid,), unit=unit)
    refused = command("losses", scene.path)
    assert refused.returncode == 2
    assert "drop_V" in refused.stderr
    big = replace(run, unit=replace(unit, look=replace(unit.look, parts=(replace(PARTS[0], ohm=2.0),))))
    (section,) = [s for s in sections_of(big) if s.title == TITLE]
    assert TOO_MUCH in section.paragraphs
