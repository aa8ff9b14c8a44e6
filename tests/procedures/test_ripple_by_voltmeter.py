"""Ripple by the AC range of a voltmeter: what it shows, what is made of it, and why it is doubted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Accuracy, AcRange, Instrument, Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.ripple_by_voltmeter.figures import MEAN_SCALED, SHAPES
from zincsmith.procedures.ripple_by_voltmeter.options import RippleByVoltmeterOptions as Options

MEANS = Instrument(
    "ac_voltmeter", "simulated", "Pellmoor", "V3", serial="SIM016",
    accuracy=tuple(Accuracy("output_ac_voltage", r, 1.0, 0.2) for r in (0.02, 0.2, 2.0, 20.0)),
    ac=AcRange(true_rms=False, blocks_dc=True, up_to_kHz=20.0),
)  # fmt: skip
LINE = Line(115.0, 60.0)
Run = Callable[..., JudgedRun]


@pytest.fixture
def run(tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]) -> Run:
    def go(meter: Instrument, *entries: str, shape: str = "", of: Unit = unit) -> JudgedRun:
        options = Options(lines=(LINE,), loads_percent=(100.0,), shape=shape)  # type: ignore[arg-type]
        with_it = replace(rig, instruments=(*rig.instruments, meter))
        scene = Scene.set_up(tmp_path, of, with_it, Plan("by a voltmeter", (options,)), standin().addresses)
        closed = scene.run(Actor(entries=list(entries)))
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        with BookReader(scene.path) as book:
            return judge_run(book)

    return go


def codes(run: JudgedRun, name: str) -> set[str]:
    return {d.code for j in run.judged if j.finding.name == name for d in j.finding.doubts}


def value(run: JudgedRun, name: str) -> float | None:
    return next(j.finding.value for j in run.judged if j.finding.name == name)


@pytest.mark.parametrize("shape", SHAPES)
def test_a_shape_gives_its_own_factors(shape: str) -> None:
    """Against NumPy on a million places of a period; 3.46 and 2.83 are the trade's (common practice, no source)."""
    t = (np.arange(1_000_000) + 0.5) / 1e6
    wave = np.sin(2.0 * np.pi * t) if shape == "sine" else t - 0.5
    rms, span = np.sqrt(np.mean(wave**2)), np.ptp(wave)
    assert span / rms == pytest.approx(SHAPES[shape], rel=1e-5)
    assert round(SHAPES[shape], 2) == {"sawtooth": 3.46, "sine": 2.83}[shape]
    scaled = np.pi / np.sqrt(8.0) * np.mean(np.abs(wave))  # the mean, scaled for a sine
    assert scaled / rms == pytest.approx(MEAN_SCALED[shape], rel=1e-5)


def test_by_wire_it_is_labelled_and_doubted(run: Run) -> None:
    """At low line, where a large part of the ripple follows the mains. What the meter shows is a few millivolts; the
    claim of peak to peak is not judged by it without a shape."""
    judged = run(MEANS)
    rms = value(judged, "ripple_rms")
    assert rms is not None
    assert 0.5e-3 < rms < 20e-3
    assert codes(judged, "ripple_rms") >= {"ripple_by_voltmeter", "meter_not_true_rms"}
    assert not codes(judged, "ripple_rms") & {"meter_may_show_dc", "meter_shows_dc"}
    assert all(j.finding.value is None for j in judged.judged if j.finding.name == "ripple")
    one = next(j.finding for j in judged.judged if j.finding.name == "ripple_rms")
    assert one.u is not None
    assert one.u > 0.0


def test_with_a_stated_shape_there_is_a_peak_to_peak(run: Run) -> None:
    judged = run(MEANS, shape="sawtooth")
    rms, span = value(judged, "ripple_rms"), value(judged, "ripple")
    assert rms is not None
    assert span == pytest.approx(2.0 * 3.0**0.5 * rms)
    assert "shape_stated" in codes(judged, "ripple")
    assert "meter_not_true_rms" not in codes(judged, "ripple_rms")  # the shape says what the mean is worth


BY_HAND = replace(MEANS, how="by hand", kind="handheld", accuracy=MEANS.accuracy[1:])


@pytest.mark.parametrize(
    ("typed", "ac", "raised", "absent"),
    [
        ("12m", AcRange(True, True, 100.0), set(), {"meter_shows_dc", "meter_not_true_rms", "meter_may_show_dc",
                                                    "ripple_by_voltmeter", "noise_floor_dominates"}),
        ("12m", AcRange(), {"meter_not_true_rms", "meter_may_show_dc", "ripple_by_voltmeter"}, {"meter_shows_dc"}),
        ("12m", AcRange(True, True, 20.0), {"ripple_by_voltmeter"}, {"meter_not_true_rms"}),
        ("24.02", AcRange(True, True, 100.0), {"meter_shows_dc"}, set()),
        ("1.2m", AcRange(True, True, 100.0), {"noise_floor_dominates"}, {"meter_shows_dc"}),
    ],
)  # fmt: skip
def test_by_hand_the_doubts_go_by_what_the_meter_is(
    run: Run, unit: Unit, typed: str, ac: AcRange, raised: set[str], absent: set[str]
) -> None:
    """The unit is stated to switch at 60 to 70 kHz. A meter on the wrong function shows the output volts: no figure."""
    claims = (StatedClaim("switching_frequency", 60e3, 70e3),)
    known = replace(unit, nameplate=replace(unit.nameplate, claims=claims))
    repeats = (typed,) if float(typed.rstrip("m")) < 20.0 else (typed, typed)  # asked again where it is far off
    judged = run(replace(BY_HAND, ac=ac), "1m", *repeats, of=known)
    found = codes(judged, "ripple_rms")
    assert found >= raised
    assert not found & absent
    assert (value(judged, "ripple_rms") is None) is ("meter_shows_dc" in raised)
