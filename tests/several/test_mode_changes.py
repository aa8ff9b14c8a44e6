"""Ports recorded while they change their mode: by wire against closed forms, and by a sink that cannot."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from importlib import resources

import pytest
from tests.several.conftest import EXAMPLES, Went

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.events import Effected
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED
from zincsmith.model.rig import Rig
from zincsmith.planning.composer import compose
from zincsmith.procedures.mode_changes.options import ChangesOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.units.rails import Ports, Rails
from zincsmith.simbench.world import World

MAINS = Line(230.0, 50.0)


@pytest.mark.long
def test_changes_of_mode_are_recorded(goes: Callable[..., Went]) -> None:
    """By wire against the ramps and the R C of the physics; a neighbour is away as long as it is told anew; the record
    of a port that does not come back says so."""
    unit = read_unit(EXAMPLES / "units" / "maristow-m90c.toml")
    rig = read_rig(EXAMPLES / "rigs" / "simulated-usb-two.toml")
    plan, _ = compose(unit, rig)
    part = next(p for p in plan.parts if p.procedure == "mode_changes")  # a plan has it wherever a scope is at a port
    _, closed, judged = goes("maristow-m90c", "simulated-usb-two", (replace(part, line=MAINS),))
    assert closed.outcome == "complete"
    findings = [one.finding for one in judged.judged]
    physics = read_physics(EXAMPLES / "standins" / "maristow-m90c.toml").rails
    assert physics is not None
    for rail in physics.rails[:2]:
        found = {(f.name, str(f.at.mode() or "")): f for f in findings if f.output == rail.name}
        for mode, volts, before in (("9 V", 9.0, 5.0), ("15 V", 15.0, 9.0), ("20 V", 20.0, 5.0), ("5 V", 5.0, 20.0)):
            time = found["mode_change_time", mode]
            off = 1.0 + rail.setpoint_error_percent / 100.0
            near = 0.95 * volts if volts > before else 5.5
            agrees(time, abs(near - before * off) / rail.mode_V_per_s)
            assert "at most 0.275 s" in time.working.note
            assert time.permitted is None  # that is about an uncertainty
            assert found["mode_change_slew", mode].value == pytest.approx(rail.mode_V_per_s, rel=0.12)
            assert "at most 30000 V/s" in found["mode_change_slew", mode].working.note
        empties = rail.discharge_ohm * rail.capacitor_F * math.log(20.0 * off / 0.8)
        agrees(found["discharge_time", UNPLUGGED], empties)
        agrees(found["hard_reset_time", "5 V"], physics_reset_s(physics) + 4.75 / rail.mode_V_per_s, 3e-3)
        agrees(found["neighbour_out_time", "20 V"], 0.4, 0.02)
        assert found["neighbour_dip", "20 V"].value == pytest.approx(15.0, abs=0.3)
        assert "comes or goes" in found["neighbour_dip", "20 V"].title
    assert not any(d.code == "not_there_in_time" for f in findings for d in f.doubts)


def test_a_share_of_the_load_is_told_in_another_mode_too(goes: Callable[..., Went]) -> None:
    """9 W are 10 % of 20 V at 4.5 A, and 60 % of 5 V at 3 A: what they cost by either, against the physics."""
    grids = tuple(
        GridOptions(lines=(MAINS,), loads_percent=loads, warm_up_s=30.0, settle_at_most_s=30.0, settled_percent=0.5,
                    average_s=2.0, port="C1", mode=mode, others_percent=0.0)
        for mode, loads in (("5 V", (75.0, 50.0)), ("20 V", (10.0,)))
    )  # fmt: skip
    _, closed, judged = goes("maristow-m90c", "simulated-usb-two", grids)
    assert closed.outcome == "complete", closed.why
    found = {j.finding.name: j.finding for j in judged.judged if j.finding.name == "efficiency_in_lower_mode"}
    one = found["efficiency_in_lower_mode"]
    assert one.title == "Efficiency, 9 W by 5 V instead of 20 V, C1"
    assert "house convention" in one.working.note
    world = World(read_physics(EXAMPLES / "standins" / "maristow-m90c.toml"), seed=1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
    world.advance(5.0)
    rails = world.unit.rails
    assert rails is not None
    rails.attached["C2"] = False
    rails.asked["C1"] = 1
    world.loads["C1"].on = True
    for _ in range(20):  # the amps that make 9 W
        world.loads["C1"].current_A = 9.0 / max(1.0, world.output_of("C1")[0])
        world.advance(30.0)
    volts, amps = world.output_of("C1")
    truth = volts * amps / world.true_value("input_power")
    assert one.u is not None
    assert abs(one.number - truth) < 3.0 * one.u + 2e-3


def physics_reset_s(rails: Rails) -> float:
    assert isinstance(rails, Ports)
    return rails.shared.reset_s


def agrees(finding: Finding, truth: float, within: float = 0.0) -> None:
    assert finding.value is not None
    assert finding.u is not None
    assert finding.value == pytest.approx(truth, abs=max(within, 4.0 * finding.u + 2e-4)), finding.title


def test_a_sink_without_a_hard_reset_says_so(goes: Callable[..., Went]) -> None:
    """The scope then waits in vain, and the figure is doubted, not made up."""
    plain = (resources.files("zincsmith.bench") / "dialects" / "sink_controller.toml").read_text("utf-8")
    older = plain.replace('[operation.reset]\ncommand = "PORT:RES"\n', "")
    assert older != plain

    def change(rig: Rig) -> Rig:
        told = (replace(i, dialect="older", dialect_text=older) if i.role == "sink_controller" else i
                for i in rig.instruments)  # fmt: skip
        return replace(rig, instruments=tuple(told))

    part = ChangesOptions(line=MAINS, beside=False)
    scene, closed, judged = goes("maristow-m90c", "simulated-usb-two", (part,), change=change)
    assert closed.outcome == "complete"
    findings = [one.finding for one in judged.judged]
    refused = [w.event.body for w in scene.events(Effected) if "refused" in w.event.body]
    assert [one["refused"] for one in refused] == ["its dialect knows no hard reset"] * 2
    found = [f for f in findings if f.name == "hard_reset_time"]
    assert [f.value for f in found] == [None, None]
    assert all({"no_trigger", "not_there_in_time"} <= {d.code for d in f.doubts} for f in found)
