"""Parts of plans on units of the examples, over sockets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.hands import Fitter

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.evidence import findings_of
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.events import RunClosed
from zincsmith.model.plan import Options, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Conventions

EXAMPLES = ROOT / "examples"
Went = tuple[Scene, RunClosed, JudgedRun]
Goes = Callable[..., Went]


@pytest.fixture
def goes(tmp_path: Path, standin: Callable[..., RunningStandIn], unhurried: None) -> Goes:
    """Parts on a unit and a rig of the examples, leads left out; the run, how it closed, and what was judged."""

    def go(
        name: str, bench: str, parts: tuple[Options, ...], actor: Actor | None = None, unit: Unit | None = None,
        change: Callable[[Rig], Rig] = lambda rig: rig, before: Callable[[Scene], None] = lambda scene: None,
        physics: Path | None = None, does: dict[str, str] | None = None,
    ) -> Went:  # fmt: skip
        physics = physics or EXAMPLES / "standins" / f"{name}.toml"
        pick_file(str(physics))
        unit = unit or read_unit(EXAMPLES / "units" / f"{name}.toml")
        rig = change(replace(read_rig(EXAMPLES / "rigs" / f"{bench}.toml"), leads=()))
        addresses = standin(file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig)).addresses
        scene = Scene.set_up(tmp_path, unit, rig, Plan("Part", parts), addresses)
        before(scene)
        if does is not None:  # what somebody does at gates of these titles, told to the stand-in
            with telling_the_standin() as tell:
                closed = scene.run(Actor(Fitter(scene, tell, does)))
        else:
            closed = scene.run(actor or Actor())
        with BookReader(scene.path) as book:
            return scene, closed, judge_run(book)

    return go


def stands_zeros(run: JudgedRun) -> None:
    """What somebody types as zero, or a meter reads so, breaks no figure: each quantity in turn, at all points and at
    every second one."""
    quantities = {r.quantity for p in run.evidence.points for r in p.readings}
    for quantity in sorted(quantities):
        for step in (1, 2):
            points = tuple(
                replace(p, readings=tuple(replace(r, value=0.0) if r.quantity == quantity else r for r in p.readings))
                if n % step == 0 else p
                for n, p in enumerate(run.evidence.points)
            )  # fmt: skip
            evidence = replace(run.evidence, points=points)
            found = findings_of(run.evidence.procedures, evidence, run.unit.nameplate, Conventions())
            assert "procedure_broken" not in {d.code for f in found for d in f.doubts}, quantity
