"""Hours at one setting: against the thermal model of the physics, stepped by itself; and a room that moved."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.evidence import findings_of
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.planning.composer import compose
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.drift.options import DriftOptions
from zincsmith.simbench.units.kinds import read_unit as read_physics
from zincsmith.simbench.world import World

NAME, LINE = "tarnbrook-tb2425", Line(230.0, 50.0)


def warmed(minutes: float) -> float:
    """The volts of the physics after so long at half load."""
    world = World(read_physics(EXAMPLES / "standins" / f"{NAME}.toml"), seed=1)
    world.source.voltage_V, world.source.on = 230.0, True
    world.changed()
    world.advance(10.0)
    world.load.current_A, world.load.on = 1.25, True
    world.changed()
    world.advance(60.0 * minutes)
    return world.unit.output_V


def test_what_it_does_while_it_warms_up_and_over_hours(goes: Goes) -> None:
    part = DriftOptions(line=LINE, warm_up_s=1200.0, lasts_s=3600.0, every_s=300.0)
    _, closed, run = goes(NAME, "simulated", (part,))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged}
    warm, cold = warmed(20.0), warmed(0.1)
    one = found["warm_up_drift"]
    assert one.u is not None
    assert one.number == pytest.approx(warm - cold, abs=3.0 * one.u)
    assert warm - cold < -0.003, "it falls as it warms"
    drift = found["drift"]
    assert drift.u is not None
    assert drift.number == pytest.approx(abs(warmed(80.0) - warm), abs=3.0 * drift.u)
    assert not drift.doubts
    assert found["drift_share"].number == pytest.approx(drift.number / 24.0, rel=0.02)
    hot = tuple(
        replace(p, readings=tuple(replace(r, value=20.0 + p.number / 5) if r.port == "room" else r for r in p.readings))
        for p in run.evidence.points
    )
    moved = findings_of(run.evidence.procedures, replace(run.evidence, points=hot), run.unit.nameplate, Conventions())
    room_is_read = any(r.port == "room" for p in hot for r in p.readings)
    assert ("room_moved" in {d.code for f in moved for d in f.doubts}) is room_is_read


def test_it_is_planned_where_a_paper_states_it_and_never_without_end() -> None:
    rig = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    assert "drift" not in {p.procedure for p in compose(read_unit(EXAMPLES / "units" / f"{NAME}.toml"), rig)[0].parts}
    with pytest.raises(InputError, match="less often"):
        DriftOptions(every_s=5.0).check()
