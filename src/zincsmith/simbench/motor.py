"""An induction motor that a person switches on at an output that alternates.

Textbook forms of a motor without resistance in its stator: I = V / X * s / sqrt(s^2 + sk^2), torque by Kloss'
2 Tk / (s / sk + sk / s), both with the volts that its starting amps leave of the output behind a resistance; the slip
follows from the torque against what turns.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SWITCHED_S = 1.2  # after a record began
LOCKED, PULL_OUT_SLIP = 5.5, 0.25  # amps at rest, times the running ones; where its torque is greatest
RUNS_AT = 0.05  # slip
KLOSS_S = 1.0  # moment of inertia times speed, over twice the pull-out torque at rated volts
ACTS_S = 0.06  # until a protection lets go
SLIPS = 2001


@dataclass(frozen=True)
class Motor:
    """``watts`` of its label, VA here; ``stuck`` never turns."""

    watts: float
    stuck: bool = False

    def amps(self, slip: Array | float, volts: Array | float, rated_V: float) -> Array:
        """rms, of its winding at this slip and these volts."""
        locked = LOCKED * self.watts / rated_V
        at_rest = 1.0 / math.hypot(1.0, PULL_OUT_SLIP)
        s = np.asarray(slip, dtype=float)
        return np.asarray(locked * np.asarray(volts) / rated_V * s / np.hypot(s, PULL_OUT_SLIP) / at_rest)


@dataclass(frozen=True)
class Start:
    """Over a record: ``share`` of the volts that is left, rms ``amps`` and their lag in rad, each (n,)."""

    share: Array
    amps: Array
    lag: Array
    trips: bool


def start(motor: Motor, rated_V: float, behind_ohm: float, surge_VA: float, t: Array) -> Start:
    """``t`` (n,) in s from the beginning of the record; V and ohm of the output; VA from which it shuts down."""
    slips = np.linspace(1.0, RUNS_AT, SLIPS)
    # An impedance Z at this slip behind R: the share that is left is |Z| / |Z + R|, nearly reactive at rest.
    z = rated_V / motor.amps(slips, rated_V, rated_V)
    angle = np.arctan2(slips, PULL_OUT_SLIP)
    left = z / np.abs(z * np.exp(1j * angle) + behind_ohm)
    pull = 2.0 / (slips / PULL_OUT_SLIP + PULL_OUT_SLIP / slips) * left**2
    times = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(slips)) * KLOSS_S / (0.5 * (pull[1:] + pull[:-1])))])
    since = t - SWITCHED_S
    s = np.where(motor.stuck, 1.0, np.interp(since, times, slips))
    share = np.where(since < 0.0, 1.0, np.interp(-s, -slips, left))
    amps = np.where(since < 0.0, 0.0, motor.amps(s, share * rated_V, rated_V))
    trips = float(motor.amps(1.0, left[0] * rated_V, rated_V)) * left[0] * rated_V > surge_VA
    if trips:
        gone = since > ACTS_S
        share, amps = np.where(gone, 0.0, share), np.where(gone, 0.0, amps)
    return Start(share, amps, np.arctan2(s, PULL_OUT_SLIP), trips)
