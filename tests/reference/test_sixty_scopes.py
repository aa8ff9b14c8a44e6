"""Sixty stand-in benches with a scope, each with errors of its own drawn from the data sheet: gain and offset of every
channel, the clock, noise, a sample grid that stands anywhere. Do the intervals of figures from records cover the truth?

True values are closed forms of the physics file, which shares no code with the application.
"""

from __future__ import annotations

import math
import tomllib
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene
from tests.reference.test_sixty_benches import LEAST, SEEDS, flat_physics

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.judging import judge_run
from zincsmith.model.plan import Line, Plan
from zincsmith.model.unit import Unit
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.inrush.options import InrushOptions
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.simbench.units.adapter import Adapter

pytestmark = pytest.mark.usefixtures("unhurried")

LOW, HIGH = Line(115.0, 60.0), Line(230.0, 50.0)
PARTS = (
    RippleOptions(lines=(HIGH,), loads_percent=(100.0,), settle_s=0.5, background=False, long_s=0.0),
    TurnOnOptions(lines=(HIGH,), loads_percent=(100.0,), repeats=1, off_s=3.0, record_s=0.8),
    HoldUpOptions(lines=(LOW,), loads_percent=(100.0,), repeats=1, closer=0, on_s=1.0, record_s=0.1),
    InrushOptions(lines=(HIGH,), repeats=4, off_s=20.0, hot=False),
)


def truth(file: Path) -> dict[str, float]:
    """By figure."""
    p, unit = tomllib.loads(file.read_text()), Adapter.read(file)
    r, out, mains, start = p["ripple"], p["output"], p["mains"], p["start"]
    # A triangular current through a resistance and a capacitor, on a million places of a period.
    turn = (np.arange(1_000_000) + 0.5) / 1e6
    swing = np.where(turn < 0.5, 4.0 * turn - 1.0, 3.0 - 4.0 * turn)
    charge = np.cumsum(swing) / 1e6 / r["switching_Hz"]
    amps = 0.5 * (0.3 + 0.7 * 2.5 / out["limit_A"]) * r["current_A"]
    full, low = (unit.steady(v, hz, 2.5) for v, hz in ((230.0, 50.0), (115.0, 60.0)))
    # From where the mains passes zero: half a half cycle after its crest.
    drawn, peak = low.input_power_W, math.sqrt(2.0) * 115.0
    watts = low.output_voltage_V * 2.5 + unit.loss_W(115.0, 2.5, 23.0)
    assert 0.95 < watts / drawn < 1.0, "the bridge takes its part before the bulk capacitor"
    bulk_V2 = peak**2 - 2.0 * watts * 0.25 / 60.0 / mains["bulk_F"]
    held = mains["bulk_F"] * (bulk_V2 - 2.0 * start["stop_V"] ** 2) / (2.0 * watts)
    return {
        "ripple_switching": float(np.ptp(amps * (r["esr_ohm"] * swing + charge / out["capacitor_F"]))),
        "switching_frequency": r["switching_Hz"],
        "turn_on_delay": start["delay_s"] + start["soft_start_s"] * 21.6 / full.output_voltage_V,
        "rise_time": 0.8 * start["soft_start_s"],
        "hold_up": held + out["capacitor_F"] * (low.output_voltage_V - 21.6) / 2.5,
        "inrush": (math.sqrt(2.0) * 230.0 - 2.0 * mains["diode_V"]) / (8.4 + mains["series_ohm"]),
    }


@pytest.mark.long
def test_figures_from_records_cover_the_truth(
    tmp_path: Path, unit: Unit, standin: Callable[..., RunningStandIn]
) -> None:
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    physics = flat_physics(tmp_path)
    true = truth(physics)
    covered: dict[str, list[float]] = defaultdict(list)
    for seed in range(1, SEEDS + 1):
        folder = tmp_path / f"seed-{seed}"
        folder.mkdir()
        bench = standin(file=str(physics), seed=seed, imperfect=True)
        scene = Scene.set_up(folder, unit, rig, Plan("Records", PARTS), bench.addresses)
        assert scene.run(Actor()).outcome == "complete"
        bench.stop()
        with BookReader(scene.path) as book:
            run = judge_run(book)
        for name, value in true.items():
            one = next(j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)
            assert one.u is not None
            covered[name].append((one.number - value) / one.u)
        scene.path.unlink()
    for name, off in sorted(covered.items()):
        inside = sum(abs(x) <= 2.0 for x in off)
        print(f"{name:24}{inside} of {SEEDS}, mean {np.mean(off):+.2f}, mean square {np.mean(np.square(off)):.2f}")
    for name, off in covered.items():
        assert sum(abs(x) <= 2.0 for x in off) >= LEAST, name
