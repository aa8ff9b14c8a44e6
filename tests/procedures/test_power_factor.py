"""Power-factor regimes: where the correction of a simulated unit switches in and out, against its own physics."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.power_factor_regimes.options import RegimeOptions
from zincsmith.procedures.safety_checks.options import SafetyOptions
from zincsmith.showing.curves import all_curves
from zincsmith.simbench.units.adapter import Adapter

StartStandIn = Callable[..., RunningStandIn]
PHYSICS = ROOT / "examples" / "standins" / "dunmarrow-dm120.toml"
UNIT = ROOT / "examples" / "units" / "dunmarrow-dm120.toml"


def wide(rig: Rig) -> Rig:
    """The bench with ranges that hold a unit of 120 W."""
    ranges = {"input_power": 150.0, "output_current": 20.0, "input_current": 5.0}
    return replace(
        rig,
        instruments=tuple(
            replace(i, accuracy=tuple(replace(a, range=ranges.get(a.quantity, a.range)) for a in i.accuracy))
            for i in rig.instruments
        ),
    )


def judged(folder: Path, unit: Unit, rig: Rig, bench: RunningStandIn, options: RegimeOptions) -> JudgedRun:
    scene = Scene.set_up(folder, unit, wide(rig), Plan("Regimes", (SafetyOptions(), options)), bench.addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        return judge_run(book)


def test_it_finds_where_correction_switches_both_ways(tmp_path: Path, rig: Rig, standin: StartStandIn) -> None:
    """The corrector of the physics comes in from 58 W of converter power and goes out below 49 W."""
    unit = read_unit(UNIT)
    options = RegimeOptions(line=Line(115.0, 60.0), resolution_percent=1.0)
    run = judged(tmp_path, unit, rig, standin(file=str(PHYSICS)), options)
    found = {j.finding.name: j.finding for j in run.judged}
    physics = Adapter.read(PHYSICS)
    for name, converter_W in (("correction_in", 58.0), ("correction_out", 49.0)):
        finding = found[name]
        assert finding.value is not None
        assert finding.u is not None
        # Converter power is what leaves the unit and what the converter loses on the way.
        amps = finding.value / unit.nameplate.output.voltage_V
        low, high = (
            physics.loss_W(115.0, share * amps, 40.0) + physics.output.voltage_V * share * amps
            for share in (0.97, 1.03)
        )
        assert low < converter_W < high, (name, finding.value)
        step = 0.01 * unit.nameplate.output.rated_power_W
        assert finding.u <= step / 2.0 / 3.0**0.5 * 1.001, "closed in to a hundredth of the load"
    assert found["correction_in"].value > found["correction_out"].value + 3.0, "hysteresis is kept apart"  # type: ignore[operator]
    plot = next(c for c in all_curves(run.evidence) if c.title == "Power-factor regimes")
    assert [name for name, _, _ in plot.lines] == ["rising", "falling"]


def test_a_unit_without_correction_has_one_regime(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    options = RegimeOptions(line=Line(230.0, 50.0), step_percent=20.0)
    run = judged(tmp_path, unit, rig, standin(), options)
    assert not [j for j in run.judged if j.finding.name.startswith("correction")]
    assert max(p.at.conditions["way"] for p in run.evidence.points if "way" in p.at.conditions) == 2.0, (
        "nothing to close in on"
    )


def test_a_plan_asks_for_it_where_a_unit_may_have_it(rig: Rig, unit: Unit) -> None:
    from zincsmith.planning.composer import compose

    def asked(one: Unit) -> bool:
        return any(isinstance(p, RegimeOptions) for p in compose(one, wide(rig))[0].parts)

    assert not asked(unit)
    assert asked(read_unit(UNIT))


@pytest.mark.parametrize("step", [5.0, 10.0, 30.0])
def test_the_load_is_never_set_beyond_full(step: float, unit: Unit) -> None:
    from zincsmith.procedures.power_factor_regimes.steps import _loads

    loads = _loads(step)
    assert loads[0] == 5.0
    assert loads[-1] == 100.0
    assert list(loads) == sorted(set(loads))
