"""Three hundred records of what later kinds of unit are sorted into, drawn with a scope's errors: how a motor at an
inverter started, whether a limit took over, what is left at a plug. How many are put into the wrong class?

What they show is drawn here, in closed form; where one class ends and the next begins, a margin is left.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from tests.reference.test_waveform_seeds import Dice, Scope

from zincsmith.procedures.crossover.steps import INTO, OHM, OUT
from zincsmith.procedures.crossover.steps import SPEC as CROSSOVER
from zincsmith.procedures.output_wave.motor import motor_of
from zincsmith.procedures.plug_volts.figures import ACROSS, AFTER, CAPACITOR, LIMIT, plug_volts_of
from zincsmith.procedures.waveforms.traces import Choices

MOTORS = ("runs", "motor_not_up", "motor_output_gone", "no_start")
CORNERS = ("holds", "limit_not_seen")
PLUGS = ("within", "beyond_allowed", "pulled_near_zero", "input_stays")


class Longer(Scope):
    """The same over as many samples as are wanted."""

    def __init__(self, dice: Dice, step_s: float, begin_s: float, count: int) -> None:
        super().__init__(dice, step_s, begin_s)
        self.t = (begin_s + (np.arange(count) + dice.uniform(-0.5, 0.5)) * step_s) * (1.0 + self.clock)


def a_motor(dice: Dice) -> tuple[str, set[str]]:
    """Amps that start at some times those they end at, with a direct part that dies; the volts give way by them."""
    kind = MOTORS[int(dice.integers(len(MOTORS)))]
    one = Longer(dice, 1e-4, 0.0, 60_000)
    rms, ohm, hertz = 230.0, dice.uniform(0.0, 20.0), dice.choice((50.0, 60.0)) * dice.uniform(0.99, 1.01)
    runs, times = dice.uniform(0.2, 0.6), dice.uniform(2.5, 7.0)
    on, up = dice.uniform(0.8, 2.0), dice.uniform(0.2, 1.5)
    late = one.t - on
    slowed = 1.0 / (1.0 + np.exp(np.clip((late - up) / (0.1 * up), -50.0, 50.0)))
    size = np.where(late >= 0.0, runs * (times if kind == "motor_not_up" else 1.0 + (times - 1.0) * slowed), 0.0)
    size = size * (0.0 if kind == "no_start" else 1.0)
    lags, turns = dice.uniform(0.4, 1.2), 2.0 * math.pi * hertz * one.t + dice.uniform(0.0, 6.3)
    direct = dice.uniform(-1.0, 1.0) * np.exp(-np.maximum(late, 0.0) / dice.uniform(0.01, 0.05))
    amps = math.sqrt(2.0) * size * (np.sin(turns - lags) + direct)
    volts = math.sqrt(2.0) * (rms - ohm * size * math.cos(lags)) * np.sin(turns)
    if kind == "motor_output_gone":
        there = one.t < on + dice.uniform(0.06, 1.2)
        volts, amps = volts * there, amps * there
    one.sees("output_voltage", volts, 800.0)
    one.sees("output_current", amps, 20.0, noise=0.001)
    found = motor_of(one.traces, Choices(230.0, rated_A=1.3))
    told = {d.code for d in found.doubts} & set(MOTORS)
    return kind, told or {"runs"}


def a_corner(dice: Dice) -> tuple[str, set[str]]:
    """Into a limit and out, or a step of a load that never meets it: the volts barely move, or not at all."""
    kind, way = CORNERS[int(dice.integers(len(CORNERS)))], (INTO, OUT)[int(dice.integers(2))]
    volts, farad, ohm = dice.uniform(5.0, 50.0), dice.uniform(50e-6, 2e-3), dice.uniform(1.0, 20.0)
    low = dice.uniform(0.4, 0.9) * volts
    one = Scope(dice, max(2e-7, ohm * farad * 10.0 / 18_000), -ohm * farad)
    left = np.exp(-np.maximum(one.t, 0.0) / (ohm * farad))
    if kind == "limit_not_seen":  # the volts go the other way, by what its leads drop
        drop = dice.uniform(0.03, 0.1) * volts * (1.0 if way == INTO else -1.0)
        course = volts + drop * (1.0 - left)
    elif way == INTO:
        course = low + (volts - low) * left
    else:
        past = 1.0 + dice.uniform(0.0, 0.2) * np.sin(5.0 * np.maximum(one.t, 0.0) / (ohm * farad))
        course = volts - (volts - low) * left * past
    one.sees("output_voltage", course, 2.4 * volts)
    said = {"record": way, OHM: f"{ohm:g}"}
    choices = Choices(volts, band=f"{0.05 * volts:.4g}V", record=way, said=said)
    found = CROSSOVER.work_out(one.traces, choices, ())
    told = {d.code for d in found.doubts} & set(CORNERS)
    return kind, told or {"holds"}


def a_plug(dice: Dice) -> tuple[str, set[str]]:
    """Mains that is pulled somewhere in its period, emptied by a bleeder and by what reads it."""
    kind = PLUGS[int(dice.integers(len(PLUGS)))]
    rms, farad, across = 230.0, dice.uniform(0.05, 1.0) * 1e-6, 100e6
    crest = math.sqrt(2.0) * rms
    left = crest * (dice.uniform(0.35, 0.9) if kind == "beyond_allowed" else dice.uniform(1e-6, 0.1))
    own = 2.0 / math.log(crest / left)
    tau = 1.0 / (1.0 / own + 1.0 / (across * farad))
    phase = dice.uniform(-0.05, 0.05) if kind == "pulled_near_zero" else dice.uniform(0.5, math.pi - 0.5)
    one = Longer(dice, 1e-4, -0.2, 30_000)
    turns = 2.0 * math.pi * 50.0 * one.t + phase
    after = crest * math.sin(phase) * np.exp(-np.maximum(one.t, 0.0) / tau)
    course = np.where((one.t < 0.0) | (kind == "input_stays"), crest * np.sin(turns), after)
    one.sees("input_voltage", course, 800.0, noise=0.001)
    said = {LIMIT: "60", AFTER: "2", ACROSS: "100", CAPACITOR: f"{1e6 * farad:.6g}"}
    found = plug_volts_of(one.traces, Choices(230.0, said=said))
    told = {d.code for d in found.doubts} & set(PLUGS)
    return kind, told or {"within"}


ALL = [a_motor, a_corner, a_plug]


def in_a_wrong_class(make: Callable[[Dice], tuple[str, set[str]]], records: int) -> list[tuple[int, str, set[str]]]:
    wrong, drawn = [], set()
    for seed in range(records):
        kind, told = make(np.random.default_rng([seed, 91]))
        drawn.add(kind)
        if told != {kind}:
            wrong.append((seed, kind, told))
    print(f"{make.__name__}: {len(wrong)} wrong of {records}, classes {sorted(drawn)}")
    assert len(drawn) >= 2
    return wrong


@pytest.mark.long
@pytest.mark.parametrize("make", ALL)
def test_of_a_hundred_records_none_is_put_into_the_wrong_class(make: Callable[[Dice], tuple[str, set[str]]]) -> None:
    assert in_a_wrong_class(make, 100) == []


@pytest.mark.parametrize("make", ALL)
def test_of_a_few_records_none_is_put_into_the_wrong_class(make: Callable[[Dice], tuple[str, set[str]]]) -> None:
    assert in_a_wrong_class(make, 8) == []
