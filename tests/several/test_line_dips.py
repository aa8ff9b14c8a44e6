"""A line that goes away for a moment: against C (V1^2 - V2^2) / 2 P of what a bulk capacitor holds."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from tests.engine.scripted import by_hand
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.claim import StatedClaim
from zincsmith.model.errors import LimitError
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.planning.composer import compose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.line_dips.options import DipOptions
from zincsmith.simbench.units.parameters import read_sections

NAME, BENCH = "tarnbrook-tb2425", "simulated-scope"
UNIT = read_unit(EXAMPLES / "units" / f"{NAME}.toml")


def test_short_dips_are_carried_by_its_bulk_and_longer_ones_are_not(goes: Goes) -> None:
    """At 100 V and full load the bulk lasts for some milliseconds, at the crest more than in the valley."""
    claim = StatedClaim("dip_out_time", high=0.001, source="manual")
    unit = replace(UNIT, nameplate=replace(UNIT.nameplate, claims=(*UNIT.nameplate.claims, claim)))
    line = Line(230.0, 50.0)
    part = DipOptions(line=line, dips_percent_s=((0.0, 0.02), (0.0, 1.0), (40.0, 0.2)))
    _, closed, run = goes(NAME, BENCH, (part,), unit=unit)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.title.partition("line ")[2]: j for j in run.judged if j.finding.name == "dip_out_time"}
    file = read_sections(EXAMPLES / "standins" / f"{NAME}.toml")
    stop_V, farad = file["start"].stop_V, file["mains"].bulk_F
    lasts_s = farad * (230.0**2 - stop_V**2) / (24.0 * 2.5 / 0.88)  # from crest to crest, as 2 (V rms)^2
    assert lasts_s > 0.03, "a dip of 20 ms is carried"
    short, long, sag = found["at 0 % for 20 ms"], found["at 0 % for 1 s"], found["at 40 % for 200 ms"]
    assert short.finding.value == 0.0
    assert short.verdict is Verdict.HOLDS
    assert sag.finding.value == 0.0, "40 % of 230 V is 92 V: it runs there"
    comes_back_s = file["start"].delay_s + file["start"].soft_start_s
    # Half a cycle is what the phase at which it goes away may make of it, and some the efficiency.
    assert long.finding.number == pytest.approx(1.0 - lasts_s + comes_back_s, abs=0.013)
    assert not any(d.code == "not_back_in_record" for d in long.finding.doubts)
    assert long.verdict is Verdict.FAILS
    assert "stays_off_after_dip" not in {d.code for j in run.judged for d in j.finding.doubts}
    effect = next(j.finding for j in run.judged if j.finding.name == "frequency_effect")
    assert abs(effect.number) < 3.0 * (effect.u or math.inf)


def test_a_jump_from_the_lowest_line_to_the_highest_goes_no_further_than_rated(goes: Goes) -> None:
    part = DipOptions(line=Line(100.0, 50.0), dips_percent_s=(), ends=False)
    _, closed, run = goes(NAME, BENCH, (part,))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    (jump,) = (j.finding for j in run.judged if j.finding.name == "dip_out_time")
    assert "at 240 % for 500 ms" in jump.title
    assert jump.value == 0.0
    rig = read_rig(EXAMPLES / "rigs" / f"{BENCH}.toml")
    beyond = DipOptions(line=Line(230.0, 50.0), dips_percent_s=((99.0, 0.1),))
    object.__setattr__(beyond, "dips_percent_s", ((130.0, 0.1),))
    with pytest.raises(LimitError):
        rehearse(UNIT, rig, Plan("Dips", (beyond,)))


def test_it_is_offered_where_the_source_lets_go_by_itself() -> None:
    claim = StatedClaim("dip_out_time", high=0.001, source="manual")
    unit = replace(UNIT, nameplate=replace(UNIT.nameplate, claims=(*UNIT.nameplate.claims, claim)))
    rig = read_rig(EXAMPLES / "rigs" / f"{BENCH}.toml")
    assert "line_dips" in {p.procedure for p in compose(unit, rig)[0].parts}
    assert "line_dips" not in {p.procedure for p in compose(unit, by_hand(rig, "ac_source"))[0].parts}
    assert DipOptions.suits(read_unit(EXAMPLES / "units" / "netherby-nb5.toml").nameplate)
