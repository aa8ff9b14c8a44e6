"""Four hundred records a figure, drawn with the errors that a scope's data sheet allows: gain, offset, clock anywhere
within their limits, noise, steps of the converter, a sample grid that stands anywhere. How often does value +- U miss
the truth, which closed forms tell?

As for the steady state (test_four_hundred_seeds.py): 38 misses of 400 fail a figure.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable

import numpy as np
import pytest
from tests.conftest import sampled
from tests.reference.test_four_hundred_seeds import MISSES, SEEDS

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.finding import Contribution
from zincsmith.procedures.crossover.steps import INTO, OHM, OUT
from zincsmith.procedures.crossover.steps import SPEC as CROSSOVER
from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.inrush.figures import inrush_figures
from zincsmith.procedures.load_transient.figures import load_step
from zincsmith.procedures.plug_volts.figures import ACROSS, AFTER, CAPACITOR, plug_volts_of
from zincsmith.procedures.ripple.figures import ripple_figures
from zincsmith.procedures.short_circuit.figures import collapse_of
from zincsmith.procedures.switching_node.figures import switching_node_of
from zincsmith.procedures.turn_on.figures import turn_on_of
from zincsmith.procedures.waveforms.findings import LIMITS, RECTANGULAR
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces
from zincsmith.recorded.result import Analysed

GAIN, OFFSET, CLOCK = 0.02, 0.004, 1e-4  # limits: of the reading, of the span, of time
Dice = np.random.Generator
Made = tuple[Analysed, dict[str, float]]
TIMES = np.arange(20_000)


class Scope:
    """One seed's scope: its errors stay what they are over all channels and records."""

    def __init__(self, dice: Dice, step_s: float, begin_s: float) -> None:
        self.dice, self.step_s, self.begin_s = dice, step_s, begin_s
        self.clock = dice.uniform(-CLOCK, CLOCK)
        self.channels: dict[str, Channel] = {}
        grid = dice.uniform(-0.5, 0.5)
        self.t = (begin_s + (TIMES + grid) * step_s) * (1.0 + self.clock)  # when it samples, truly

    def sees(self, quantity: str, values: np.ndarray, span: float, noise: float = 0.002) -> None:
        """``noise`` as a share of the span."""
        step = span / 256.0
        read = values * (1.0 + self.dice.uniform(-GAIN, GAIN)) + span * self.dice.uniform(-OFFSET, OFFSET)
        read = read + noise * span * self.dice.standard_normal(len(read))
        codes = np.clip(np.rint(read / step), -128 * 16, 127 * 16)  # with an offset set, the converter is in its range
        self.channels[quantity] = Channel(quantity, codes * step, step, GAIN * RECTANGULAR, OFFSET * span * RECTANGULAR)

    @property
    def traces(self) -> Traces:
        return Traces(self.step_s, self.begin_s, self.channels, CLOCK * RECTANGULAR)


def stepping(dice: Dice) -> Made:
    nominal, fall, dip, tau = 12.0, dice.uniform(0.02, 0.06), dice.uniform(0.3, 0.8), dice.uniform(1e-4, 3e-4)
    one = Scope(dice, 2e-7, -5e-4)
    late = np.maximum(one.t, 0.0)
    one.sees("output_voltage", nominal - (one.t > 0.0) * (fall + dip * np.exp(-late / tau)), 2.0)
    one.sees("output_current", np.where(one.t > 0.0, 5.0, 0.5), 8.0)
    found = load_step(one.traces, Choices(nominal, band="100mV", about="final"))
    return found, {
        "edge1_undershoot": dip, "edge1_recovery_time": tau * math.log(dip / 0.1),
        "edge1_level_before": nominal, "edge1_level_after": nominal - fall,
    }  # fmt: skip


def coming(dice: Dice) -> Made:
    final, delay, tau = 24.0 * dice.uniform(0.99, 1.01), dice.uniform(0.02, 0.05), dice.uniform(2e-3, 5e-3)
    one = Scope(dice, 1e-5, -0.05)
    turn = dice.uniform(0.5, 2.6)
    one.sees("input_voltage", np.where(one.t >= 0.0, 325.0 * np.sin(2.0 * np.pi * 50.0 * one.t + turn), 0.0), 800.0)
    one.sees("output_voltage", final * -np.expm1(-np.maximum(one.t - delay, 0.0) / tau), 32.0)
    good, level, rc = dice.uniform(0.08, 0.12), dice.uniform(3.0, 5.0), dice.uniform(2e-5, 2e-4)
    one.sees("signal_voltage", level * -np.expm1(-np.maximum(one.t - good, 0.0) / rc), 8.0)
    found = turn_on_of(one.traces, Choices(24.0))
    there = delay + tau * math.log(final / (final - 21.6))
    return found, {
        "delay": there, "rise_time": tau * math.log(9.0), "power_good_delay": good + rc * math.log(2.0) - there,
        "power_good_level": level,
    }  # fmt: skip


def going(dice: Dice) -> Made:
    lasts, slope = dice.uniform(0.01, 0.02), dice.uniform(300.0, 900.0)
    one = Scope(dice, 1e-5, -0.06)
    turn = dice.uniform(0.5, 2.6)
    one.sees("input_voltage", np.where(one.t < 0.0, 325.0 * np.sin(2.0 * np.pi * 50.0 * one.t + turn), 0.0), 800.0)
    volts = 24.0 - slope * np.maximum(0.0, one.t - lasts)
    one.sees("output_voltage", np.maximum(0.0, volts), 32.0)
    goes, rc = dice.uniform(0.002, 0.009), dice.uniform(2e-5, 2e-4)
    one.sees("signal_voltage", 5.0 * np.exp(-np.maximum(one.t - goes, 0.0) / rc), 8.0)
    found = hold_up_of(one.traces, Choices(24.0, line_Hz=50.0))
    gone = lasts + 2.4 / slope
    return found, {"hold_up_time": gone, "power_good_warning": gone - goes - rc * math.log(2.0)}


def rushing(dice: Dice) -> Made:
    peak, tau = dice.uniform(20.0, 40.0), dice.uniform(0.5e-3, 2e-3)
    one = Scope(dice, 1e-6, -4e-3)
    one.sees("input_current", np.where(one.t >= 0.0, peak * np.exp(-np.maximum(one.t, 0.0) / tau), 0.0), 60.0)
    found = inrush_figures(one.traces, Choices())
    # Standards notes: to 10 % of the peak 0.99 of what it is to infinity, I^2 tau / 2.
    return found, {"peak": peak, "i2t": 0.99 * peak**2 * tau / 2.0, "time": tau * math.log(10.0)}


def shorted(dice: Dice) -> Made:
    tau = dice.uniform(2e-5, 2e-4)
    one = Scope(dice, 1e-7, -2e-4)
    late = np.maximum(one.t, 0.0)
    one.sees("output_voltage", np.where(one.t < 0.0, 12.0, 12.0 * np.exp(-late / tau)), 16.0)
    one.sees("output_current", np.where(one.t < 0.0, 1.0, 60.0), 100.0)
    found = collapse_of(one.traces, Choices(12.0))
    return found, {"collapse_time": tau * math.log(10.0)}


def rippling(dice: Dice) -> Made:
    size, hertz = dice.uniform(0.02, 0.05), dice.uniform(50e3, 90e3)
    one = Scope(dice, 1e-8, 0.0)
    phase = (one.t * hertz + dice.uniform()) % 1.0
    triangle = size * (np.where(phase < 0.5, 2.0 * phase, 2.0 - 2.0 * phase) - 0.5)
    one.sees("output_voltage", triangle, 0.08, noise=0.0005)
    found = ripple_figures(one.traces, Choices(12.0), ())
    return found, {"switching_peak_to_peak": size, "switching_frequency": hertz}


def switching(dice: Dice) -> Made:
    hertz, duty, jitter = dice.uniform(50e3, 90e3), dice.uniform(0.15, 0.45), 5e-4
    one = Scope(dice, 2e-8, 0.0)
    count = math.ceil(TIMES[-1] * 2e-8 * hertz) + 6
    begins = -2.0 / hertz + np.cumsum((1.0 + jitter * dice.standard_normal(count)) / hertz)
    since = one.t - begins[np.searchsorted(begins, one.t, side="right") - 1]
    one.sees("node_voltage", np.where(since < duty / hertz, 1.0, 400.0), 600.0)
    found = switching_node_of(one.traces)
    return found, {"frequency": hertz, "duty": duty, "peak": 400.0}


def held(dice: Dice) -> Made:
    """Into a limit: the output capacitor empties over the load, C (V - I R) in all."""
    volts, farad, ohm, share = 15.0, dice.uniform(100e-6, 1e-3), dice.uniform(3.0, 12.0), dice.uniform(0.4, 0.9)
    tau, low = ohm * farad, share * volts
    one = Scope(dice, tau * 12.0 / 18_000, -tau)
    course = low + (volts - low) * np.exp(-np.maximum(one.t, 0.0) / tau)
    one.sees("output_voltage", course, 18.0)
    band = 0.02 * volts
    said = {"record": INTO, OHM: f"{ohm!r}"}
    found = CROSSOVER.work_out(one.traces, Choices(volts, band=f"{band:g}V", record=INTO, said=said), ())
    within = 1.0 - band / (volts - low)
    return found, {"crossover_charge": farad * (volts - low), "crossover_time": tau * -math.log(1.0 - within)}


def let_go(dice: Dice) -> Made:
    """Out of a limit: a straight way up, past what is set by what a late loop lets through, and down to it again."""
    volts, slope, late_s = 15.0, dice.uniform(2e3, 6e3), dice.uniform(2e-4, 1e-3)
    one = Scope(dice, 1e-6, -1e-3)
    tau, rises_s = dice.uniform(2e-3, 3e-3), 5.0 / slope
    past = slope * late_s
    after = np.maximum(one.t - rises_s - late_s, 0.0)
    up = volts - 5.0 + slope * np.clip(one.t, 0.0, rises_s + late_s)
    one.sees("output_voltage", np.where(after > 0.0, volts + past * np.exp(-after / tau), up), 30.0)
    said = {"record": OUT, OHM: "20"}
    found = CROSSOVER.work_out(one.traces, Choices(volts, band="0.15V", record=OUT, said=said), ())
    return found, {
        "crossover_overshoot": past - 1.25e-6 * slope
    }  # of a corner, half of each side, in 20 us: 5 us worth


def pulled(dice: Dice) -> Made:
    farad, left = dice.uniform(0.1, 1.0) * 1e-6, dice.uniform(5.0, 120.0)
    crest, across = 325.0, 100e6
    own = 2.0 / math.log(crest / left)
    tau = 1.0 / (1.0 / own + 1.0 / (across * farad))
    one = Scope(dice, 1e-4, -0.2)
    phase = dice.uniform(0.6, 2.5)
    after = crest * math.sin(phase) * np.exp(-np.maximum(one.t, 0.0) / tau)
    one.sees("input_voltage", np.where(one.t < 0.0, crest * np.sin(100.0 * np.pi * one.t + phase), after), 800.0, 0.001)
    said = {AFTER: "2", ACROSS: "100", CAPACITOR: f"{1e6 * farad!r}"}
    return plug_volts_of(one.traces, Choices(230.0, said=said)), {"left": left, "time_constant": own}


def half_width(found: Analysed, name: str) -> float:
    """U as a finding has it."""
    figure = found.figures[name]
    assert figure.u is not None, name
    parts = tuple(
        Contribution(source, effect, True, rectangular=source.endswith(LIMITS))
        for source, effect in figure.effects.items()
    )
    return factor_of(parts, None) * figure.u


def counted(make: Callable[[Dice], Made], seeds: int) -> dict[str, int]:
    misses: dict[str, int] = defaultdict(int)
    for seed in range(seeds):
        found, truth = make(np.random.default_rng([seed, 77]))
        for name, true in truth.items():
            value = found.figures[name].value
            misses[name] += value is None or abs(value - true) > half_width(found, name)
    return dict(misses)


ALL = [stepping, coming, going, rushing, shorted, rippling, switching, held, let_go, pulled]


@pytest.mark.long
@pytest.mark.parametrize("make", ALL)
def test_a_figure_misses_the_truth_no_more_often_than_it_says(make: Callable[[Dice], Made]) -> None:
    misses = counted(make, SEEDS)
    for name, count in misses.items():
        print(f"{make.__name__:10} {name:24} {count:4} of {SEEDS} missed")
    assert {name: count for name, count in misses.items() if count >= MISSES} == {}


@pytest.mark.parametrize("make", sampled(ALL, ALL[::3]))
def test_of_a_few_records_most_hold_the_truth(make: Callable[[Dice], Made]) -> None:
    """The same with 10 of them: 5 misses come once in twenty thousand times (binomial)."""
    assert {name: count for name, count in counted(make, 10).items() if count >= 5} == {}
