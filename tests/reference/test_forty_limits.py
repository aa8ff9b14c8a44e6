"""Forty stand-in benches with errors of their own and units of their own: another protection, limit, lockout and room
each. Is each protection told by name, and do the intervals of the limits cover the truth?

True values are those of the physics file and closed forms of its thermal resistances, which share no code with what
judges them. How many have to be inside: what a right 95.45 % misses once in a thousand times (SciPy).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from random import Random

import numpy as np
import pytest
from scipy.stats import binom
from tests.conftest import ROOT
from tests.engine.scripted import TESTER, Actor, Scene
from tests.engine.test_soak import CASE_KW, CORE_KW, SHARE, probe

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import judge_run
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions
from zincsmith.simbench.units.adapter import Adapter

pytestmark = pytest.mark.usefixtures("unhurried")

BENCHES = 40
LEAST = int(binom.ppf(1e-3, BENCHES, 0.9545))
LINE = Line(115.0, 60.0)
PHYSICS = (ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text()
TOLD = {
    "shutdown": "shutdown-auto-recovery", "hiccup": "hiccup", "latching": "latching",
    "constant current": "constant-current", "foldback": "foldback",
}  # fmt: skip
PARTS = (
    ThermalSoakOptions(lines=(LINE,), loads_percent=(80.0,), until="fitted", every_s=60.0),
    DropoutOptions(line=LINE, loads_percent=(50.0,), settle_s=2.0),
    OvercurrentOptions(lines=(LINE,), step_percent=10.0, resolution_percent=2.5, observe_s=6.0, recover_s=4.0,
                       rest_s=1.0, repeats=2),
)  # fmt: skip


def drawn(seed: int, file: Path) -> tuple[str, dict[str, float]]:
    """(kind, truth by figure) of the unit that is written into a file."""
    dice = Random(f"limits {seed}")
    kind = list(TOLD)[seed % len(TOLD)]
    limit_A, stop_V = dice.uniform(2.7, 3.8), dice.uniform(50.0, 75.0)
    start_V = stop_V + dice.uniform(3.0, 20.0)
    text = PHYSICS.replace('kind = "shutdown"', f'kind = "{kind}"\noff_s = {dice.uniform(0.9, 2.0):.3f}')
    for key, value in (("limit_A", limit_A), ("start_V", start_V), ("stop_V", stop_V)):
        lines = [f"{key} = {value:.4f}" if x.startswith(f"{key} =") else x for x in text.splitlines()]
        text = "\n".join(lines)
    file.write_text(text)
    stands = Adapter.read(file).steady(LINE.voltage_V, LINE.frequency_Hz, 2.0, 23.0)
    heat = stands.input_power_W - stands.output_voltage_V * stands.output_current_A
    return kind, {
        "overcurrent": limit_A, "dropout_input": stop_V, "dropout_input_rising": start_V,
        "final_temperature": 23.0 + heat * (CASE_KW + SHARE * CORE_KW),
    }  # fmt: skip


@pytest.mark.long
def test_limits_are_told_by_name_and_covered(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    probed = replace(rig, instruments=(*rig.instruments, probe("D5")))
    covered: dict[str, list[float]] = defaultdict(list)
    wrong = []
    for seed in range(1, BENCHES + 1):
        folder = tmp_path / f"seed-{seed}"
        folder.mkdir()
        kind, true = drawn(seed, folder / "unit.toml")
        bench = standin(file=str(folder / "unit.toml"), seed=seed, imperfect=True)
        scene = Scene.set_up(folder, unit, probed, Plan("Limits", PARTS), bench.addresses)
        closed = scene.run(Actor(), TESTER)
        assert (closed.outcome, closed.safe) == ("complete", True), (seed, closed.why)
        bench.stop()
        with BookReader(scene.path) as book:
            judged = [j.finding for j in judge_run(book).judged if j.finding.value is not None]
        # What the unit's own paper asks for is told in the room it speaks of: here the final temperature as it was.
        found = {f.name: f for f in judged if f.name != "final_temperature" or f.title.endswith("D5")}
        did = found["overcurrent"].working.formula
        if not did.startswith(f"{TOLD[kind]};"):
            wrong.append((seed, kind, did))
        for name, value in true.items():
            one = found[name]
            assert one.u is not None
            covered[name].append((one.number - value) / one.u)
        scene.path.unlink()
    for name, off in sorted(covered.items()):
        inside = sum(abs(x) <= 2.0 for x in off)
        print(f"{name:24}{inside} of {BENCHES}, mean {np.mean(off):+.2f}, mean square {np.mean(np.square(off)):.2f}")
    assert wrong == []
    for name, off in covered.items():
        assert sum(abs(x) <= 2.0 for x in off) >= LEAST, name
