"""The supply's own display against the reference: typed off its face on a stand-in that knows how far it is off."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.entry import last_digit
from zincsmith.formats.rig_file import check_rig
from zincsmith.judge.judging import judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.events import EntryAsked
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.display_accuracy.options import DisplayOptions
from zincsmith.procedures.safety_checks.options import SafetyOptions
from zincsmith.showing.curves import all_curves
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

StartStandIn = Callable[..., RunningStandIn]
LINE = Line(230.0, 50.0)
PHYSICS = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"
DISPLAY = "\n[display]\nvolts_error_percent = 0.4\namps_error_percent = -2.0\nsense_ohm = 0.05\n"


def with_display(rig: Rig) -> Rig:
    more = (Instrument("panel_voltmeter", "by hand"), Instrument("panel_ammeter", "by hand"))
    return replace(rig, instruments=(*rig.instruments, *more))


def test_what_the_display_shows_more_than_the_reference_is_told_at_its_worst_load(
    tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn
) -> None:
    """The display is 0.4 % high and looks at the volts before 50 mohm: 96 mV without load, 221 mV at 2.5 A."""
    physics = tmp_path / "unit.toml"
    physics.write_text(PHYSICS.read_text() + DISPLAY)
    options = DisplayOptions(line=LINE)
    manual = StatedClaim("display_voltage_error", low=-0.15, high=0.15, source="manual")
    claimed = replace(unit, nameplate=replace(unit.nameplate, claims=(manual,), rules=()))
    typed = []
    for load in options.loads_percent:  # what a person reads off, worked out by the physics alone
        world = World(Adapter.read(physics), seed=1)
        world.source.voltage_V, world.source.frequency_Hz, world.source.on = 230.0, 50.0, True
        world.advance(5.0)
        world.load.current_A, world.load.on = 2.5 * load / 100.0, load > 0.0
        world.advance(30.0)
        typed += [f"{world.true_value('panel_voltage'):.2f}", f"{1000.0 * world.true_value('panel_current'):.0f}m"]
    scene = Scene.set_up(
        tmp_path, claimed, with_display(rig), Plan("Display", (SafetyOptions(), options)),
        standin(file=str(physics)).addresses,
    )  # fmt: skip
    closed = scene.run(Actor(entries=typed))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert {w.event.setting for w in scene.events(EntryAsked) if w.event.quantity.startswith("panel_")} == {""}
    with BookReader(scene.path) as book:
        run = judge_run(book)
    found = {j.finding.name: j for j in run.judged if j.finding.value is not None}
    volts = found["display_voltage_error"]
    assert volts.finding.at.load_percent == 100.0
    assert volts.finding.value == pytest.approx(0.004 * 24.0 + 0.05 * 2.5, abs=0.01)
    assert volts.verdict is Verdict.FAILS, "the manual says 150 mV"
    assert volts.finding.u is not None
    assert 0.01 / 12.0**0.5 < volts.finding.u < 0.01, "half of the last digit, and the reference"
    share = found["display_voltage_error_percent"].finding
    assert share.value == pytest.approx((0.004 * 24.0 + 0.05 * 2.5) / 24.0, abs=5e-4)
    assert share.u is not None
    amps = found["display_current_error_percent"].finding
    assert amps.value == pytest.approx(-0.02, abs=2e-3), "2 % low at every load"
    grows = re.search(r"grows by \+([\d.]+) mV/A", volts.finding.working.note)
    assert grows is not None
    assert float(grows.group(1)) == pytest.approx(50.0, abs=2.0)
    assert len(volts.finding.working.rows) == 5
    amps = found["display_current_error"]
    assert amps.finding.value == pytest.approx(-0.02 * 2.5, abs=0.003)
    plot = next(c for c in all_curves(run.evidence) if c.title.startswith("Display"))
    assert plot.lines[0][2] == sorted(plot.lines[0][2]), "it grows with the load"


def test_it_is_planned_where_there_is_a_display_and_asked_of_a_person(unit: Unit, rig: Rig) -> None:
    assert not any(isinstance(p, DisplayOptions) for p in compose(unit, rig)[0].parts)
    shown = with_display(rig)
    plan, _ = compose(unit, shown)
    at = next(n for n, p in enumerate(plan.parts) if isinstance(p, DisplayOptions))
    asked = {q for p in rehearse(unit, shown, plan).points if p.part == at for q in p.typed}
    assert asked == {"panel_voltage", "panel_current"}
    wired = replace(shown, instruments=(*rig.instruments, Instrument("panel_voltmeter", "simulated")))
    assert any("by hand" in p.message for p in check_rig(wired))


@pytest.mark.parametrize(
    ("text", "unit", "step"),
    [
        ("23.9", "V", 0.1),
        ("24", "V", 1.0),
        ("458m", "A", 1e-3),
        ("1.25 A", "A", 0.01),
        ("1,5e1", "V", 1.0),
        ("-", "V", None),
        ("rubbish", "V", None),
    ],
)
def test_a_typed_figure_is_known_to_its_last_digit(text: str, unit: str, step: float | None) -> None:
    assert last_digit(text, unit) == (None if step is None else pytest.approx(step))
