"""Composing a plan: what is called for, in an order that is safe; what cannot be moved says why."""

from dataclasses import fields, replace
from pathlib import Path

import pytest
from tests.conftest import ROOT

from zincsmith.formats.unit_file import read_unit
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line, Plan, PlanWatch
from zincsmith.model.rig import Rig
from zincsmith.model.unit import InputRating, Unit
from zincsmith.planning.composer import (
    compose,
    lines_for,
    moved,
    order_problem,
    rank,
    refitted,
    retest,
    with_part,
    without,
)
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.procedures.catalogue import SHIPPED, options_of
from zincsmith.procedures.plan_file import find_plan, write_plan
from zincsmith.procedures.rig_check.options import RigCheckOptions
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions


def names(plan: Plan) -> list[str]:
    return [p.procedure for p in plan.parts]


def test_the_order_of_the_work(unit: Unit, rig: Rig) -> None:
    plan, left = compose(unit, rig)
    assert names(plan) == [
        "safety_checks", "rig_check", "bring_up", "rig_check", "static_grid", "harmonics", "standby", "rig_check",
        "safety_checks",
    ]  # fmt: skip
    assert [one.procedure for one in left] == ["thermal_soak"], "a claim asks for it, nobody chose it"
    assert order_problem(plan.parts) == ""
    itinerary = rehearse(unit, rig, plan)
    energised = [s.energised for s in itinerary.stages]
    assert energised[0] == "nothing"
    assert energised[-1] == "nothing"
    first_live = next(n for n, e in enumerate(energised) if e != "nothing")
    assert sum(len(s.gates) for s in itinerary.stages[:first_live]) >= 2, "gates before anything is energised"
    volts = [p.at.line_V for p in itinerary.points if p.part == 4]
    assert volts == sorted(volts), "line changes are grouped, low line first"
    idle = next(p for p in plan.parts if isinstance(p, StandbyOptions))
    assert idle.lines == (Line(115.0, 60.0), Line(230.0, 50.0)), "standby power is claimed at the lines of the rule"
    hand = tuple(replace(i, how="by hand") if i.role == "power_meter" else i for i in rig.instruments)
    by_hand, _ = compose(unit, replace(rig, instruments=hand))
    assert next(p for p in by_hand.parts if isinstance(p, StandbyOptions)).method == "average"


def test_lines_come_from_claims_range_and_rules_as_far_as_the_source_goes(unit: Unit, rig: Rig) -> None:
    assert lines_for(unit, rig) == (Line(100.0, 60.0), Line(115.0, 60.0), Line(230.0, 50.0), Line(240.0, 50.0))
    weak = tuple(replace(i, most={"voltage_V": 130.0}) if i.role == "ac_source" else i for i in rig.instruments)
    assert lines_for(unit, replace(rig, instruments=weak)) == (Line(100.0, 60.0), Line(115.0, 60.0))
    wall = tuple(
        replace(i, how="by hand", outlet=(231.0, 50.0)) if i.role == "ac_source" else i for i in rig.instruments
    )
    outlet = replace(rig, instruments=wall)
    assert lines_for(unit, outlet) == (Line(231.0, 50.0),)
    plan, _ = compose(unit, outlet)
    bring_up = next(p for p in plan.parts if isinstance(p, BringUpOptions))
    assert bring_up.school == "rated input", "an outlet cannot be raised from zero"


def test_a_trusted_product_starts_at_rated_input_and_a_doubtful_one_from_zero(unit: Unit, rig: Rig) -> None:
    def school(one: Unit) -> str:
        return next(p.school for p in compose(one, rig)[0].parts if isinstance(p, BringUpOptions))

    assert school(replace(unit, look=replace(unit.look, verdict="fit to power"))) == "rated input"
    assert school(replace(unit, look=replace(unit.look, verdict="with care"))) == "from zero"
    assert school(replace(unit, kind="open board", look=replace(unit.look, verdict="fit to power"))) == "from zero"


def test_what_the_rig_cannot_do_is_left_out_with_the_reason(unit: Unit, rig: Rig) -> None:
    fewer = replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "load"))
    with pytest.raises(InputError, match="no load"):
        compose(unit, fewer)
    inverter = read_unit(ROOT / "examples" / "units" / "thornwade-tw300.toml")
    with pytest.raises(InputError, match=r"the rig has no (?i:dc) source"):
        compose(inverter, rig)


def test_what_is_unsafe_to_move_says_why(unit: Unit, rig: Rig) -> None:
    plan, _ = compose(unit, rig)
    with pytest.raises(InputError, match="brought up before it is loaded"):
        moved(moved_grid_up(plan), 3, -1)
    with pytest.raises(InputError, match="safety gates come before"):
        moved(plan, 0, 1)
    with pytest.raises(InputError, match="stands at the end"):
        moved(plan, 0, -1)
    with pytest.raises(InputError, match="gates stay"):
        without(plan, 0)
    assert names(without(plan, 2)).count("bring_up") == 0
    again = with_part(without(plan, 2), plan.parts[2])
    assert [rank(p) for p in again.parts] == sorted(rank(p) for p in again.parts)


def moved_grid_up(plan: Plan) -> Plan:
    """Without the live check between, so that only the bring-up stands before the grid."""
    one = without(plan, 3)
    return replace(one, parts=(*one.parts[:3], one.parts[3], *one.parts[4:]))


def test_a_plan_file_reads_back_as_it_was_written(unit: Unit, rig: Rig, tmp_path: Path) -> None:
    plan, _ = compose(unit, rig)
    parts = tuple(replace(p, refine_points=5) if isinstance(p, GridOptions) else p for p in plan.parts)
    plan = replace(plan, parts=parts, watches=(PlanWatch("input_energy", high=90.0),))
    file = tmp_path / "p.toml"
    file.write_text(write_plan(plan))
    assert find_plan(str(file)) == plan


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ('name = "x"\n[[part]]\nprocedure = "juggling"', r"part#1\.procedure.*juggling"),
        ('name = "x"\n[[part]]\nprocedure = "rig_check"\nwhen = "sometime"', "must be one of"),
        ('name = "x"\n[[part]]\nprocedure = "bring_up"\nstep_percent = 90', "1 to 50 %"),
        ('name = "x"\n[[part]]\nprocedure = "static_grid"\n[[watch]]\nquantity = "mood"\nhigh = 1', "watch.quantity"),
        ('name = "x"\n[[part]]\nprocedure = "static_grid"\n[[watch]]\nquantity = "run_time"', "lower or an upper"),
        ('name = "x"', "at least one part"),
        ('[[part]]\nprocedure = "static_grid"', "a plan has a name"),
    ],
)
def test_a_wrong_plan_file_is_refused_in_place(tmp_path: Path, text: str, reason: str) -> None:
    file = tmp_path / "p.toml"
    file.write_text(text)
    with pytest.raises(InputError, match=reason):
        find_plan(str(file))


def test_limits_of_the_plan_are_watched_and_named(unit: Unit, rig: Rig) -> None:
    plan, _ = compose(unit, rig)
    own = replace(plan, watches=(PlanWatch("input_power", high=70.0),))
    watches = rehearse(unit, rig, own).watches
    assert any(w.quantity == "input_power" and w.high == 70.0 and w.whose == "the plan" for w in watches)
    assert any(w.quantity == "output_voltage" and w.high == 25.0 and "C5, C6" in w.whose for w in watches)
    assert isinstance(plan.parts[1], RigCheckOptions)


def test_after_a_repair_only_what_is_affected_is_tested_again(unit: Unit, rig: Rig) -> None:
    """It goes through the gates and the bring-up from zero in any case."""
    fit = replace(unit, look=replace(unit.look, verdict="fit to power"))
    plan = retest(fit, rig, ["output_voltage"])
    assert next(p.school for p in plan.parts if isinstance(p, BringUpOptions)) == "from zero"
    assert "static_grid" in names(plan)
    assert order_problem(plan.parts) == ""
    grid = next(p for p in retest(fit, rig, ["load_regulation"]).parts if isinstance(p, GridOptions))
    assert grid.loads_percent == (100.0, 0.0), "what the figure needs, no more"
    assert not (grid.cold)
    assert not (grid.again)
    assert not (grid.refine_points)
    both = next(
        p for p in retest(fit, rig, ["output_resistance", "average_active_efficiency"]).parts
        if isinstance(p, GridOptions)
    )  # fmt: skip
    assert both.loads_percent == (100.0, 75.0, 50.0, 25.0, 0.0)
    assert both.again, "resistance is told from drift by a load that is taken twice"
    with pytest.raises(InputError, match="no part of a plan for this rig tests ripple"):
        retest(unit, rig, ["ripple"])
    with pytest.raises(InputError, match="no figure 'mood'"):
        retest(unit, rig, ["mood"])


def test_every_option_of_a_plan_file_is_documented() -> None:
    text = (ROOT / "docs" / "plan-file.md").read_text()
    for options in (options_of(name) for name in SHIPPED):
        for field in fields(options):
            assert f"`{field.name}`" in text, f"{options.__name__}.{field.name}"


def test_a_plan_follows_the_ratings_where_the_program_proposed_its_lines(unit: Unit, rig: Rig) -> None:
    """A unit for 230 V only keeps no line of 115 V; lines that a person chose stay as far as the unit is rated for."""
    plan, _ = compose(unit, rig)
    narrow = replace(
        unit, nameplate=replace(
            unit.nameplate, claims=(), inputs=(InputRating(voltage_V=(220.0, 240.0), frequency_Hz=(50.0,)),)
        )
    )  # fmt: skip
    followed = refitted(plan, unit, narrow, rig)
    lines = {line for p in followed.parts for line in getattr(p, "lines", ())}
    assert lines == {Line(220.0, 50.0), Line(230.0, 50.0), Line(240.0, 50.0)}
    assert all(p.line.voltage_V >= 220.0 for p in followed.parts if hasattr(p, "line"))
    grid = GridOptions(lines=(Line(115.0, 60.0), Line(235.0, 50.0)))
    assert refitted(Plan("own", (grid,)), unit, narrow, rig).parts[0].lines == (Line(235.0, 50.0),)  # type: ignore[union-attr]
    assert refitted(Plan("own", (grid,)), narrow, unit, rig).parts[0].lines == grid.lines  # type: ignore[union-attr]
    bare = replace(unit, nameplate=replace(unit.nameplate, inputs=()))
    assert refitted(plan, unit, bare, rig) == plan, "ratings that are not there yet change nothing"
