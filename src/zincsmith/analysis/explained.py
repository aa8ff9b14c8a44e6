"""What input power and current a unit can explain: the stop rules of a first power-up."""

from __future__ import annotations

import math

from zincsmith.model.port import can_be_set
from zincsmith.model.unit import Nameplate

# Common practice, no source: tens of milliwatts at 18 V AC are normal for a unit that has not started; a short shows
# as watts. An X capacitor of 1 uF is generous for what these units carry.
RESTING_W = 0.08
RESTING_SHARE = 0.004  # of rated power, at the lower end of the rated input
X_CAPACITOR_F = 1.0e-6
SURGE_A = 0.02
IDLE_SHARE = 0.05  # of rated power, running without load
IDLE_W = 0.5
WORST_EFFICIENCY = 0.55
PASSING_EFFICIENCY, PASSING_IDLE_SHARE = 0.45, 0.2
FIXED_LOSS_W = 5.0
WORST_POWER_FACTOR = 0.4


def resting_power_W(plate: Nameplate, input_V: float) -> float:
    """The most a unit takes that is not running, in W; goes with the square of the voltage."""
    return RESTING_W + RESTING_SHARE * plate.rated_power_W * (input_V / plate.input.voltage_min_V) ** 2


def resting_current_A(plate: Nameplate, input_V: float, frequency_Hz: float) -> float:
    """The most a unit that is not running takes, in A rms: its filter capacitors, and what it may explain in watts."""
    capacitive = 2.0 * math.pi * frequency_Hz * X_CAPACITOR_F * input_V
    resting = resting_power_W(plate, input_V) / (_least_factor(plate) * input_V) if input_V > 0.0 else 0.0
    return capacitive + resting + SURGE_A


def running_power_W(plate: Nameplate, load_W: float) -> float:
    """The most a running unit takes at a load in W of output, in W. What is set over a wide range may be made by a pass
    element ahead of which all the volts stand."""
    if any(can_be_set(one) for one in plate.outputs):
        return PASSING_IDLE_SHARE * plate.rated_power_W + load_W / PASSING_EFFICIENCY
    idle = IDLE_W + IDLE_SHARE * plate.rated_power_W
    return idle if load_W <= 0.0 else max(idle, load_W / WORST_EFFICIENCY + FIXED_LOSS_W)


def running_current_A(plate: Nameplate, input_V: float, load_W: float) -> float:
    """The most a running unit takes at a load in W of output, in A rms."""
    return running_power_W(plate, load_W) / (_least_factor(plate) * input_V) + SURGE_A


def _least_factor(plate: Nameplate) -> float:
    """The least share of volts times amps that is power; all of it on direct current."""
    return WORST_POWER_FACTOR if plate.input.type == "ac" else 1.0
