"""What the AC range of a plain voltmeter makes of the ripple: little of what lies above its bandwidth."""

from __future__ import annotations

import math

import numpy as np

from zincsmith.simbench.scope import pick_up, ripple
from zincsmith.simbench.world import World

UP_TO_HZ = 20e3  # -3 dB, first order
STRETCH_S, RATE_HZ = 0.02, 10e6  # a period of the mains
SINE = math.pi / (2.0 * math.sqrt(2.0))  # rms of a sine over the mean of its absolute value


class AcVolts:
    """Behind a capacitor and a first-order low-pass, the mean of the absolute value, scaled for a sine. Worked out once
    for each state of the bench."""

    def __init__(self, world: World) -> None:
        self.world, self._of, self._read = world, (-1, 0.0), 0.0

    def read(self) -> float:
        world = self.world
        state = (world.epoch, round(world.unit.output_V, 2))
        if state != self._of:
            self._of, self._read = state, self._worked_out()
        return self._read

    def _worked_out(self) -> float:
        t = np.arange(0.0, STRETCH_S, 1.0 / RATE_HZ)
        volts = pick_up(self.world, t, "LONG")
        if abs(self.world.unit.output_V) > 0.5:
            volts = volts + ripple(self.world, t, "LONG")
        spectrum = np.fft.rfft(volts)
        hertz = np.fft.rfftfreq(len(t), 1.0 / RATE_HZ)
        spectrum[0] = 0.0
        through = np.fft.irfft(spectrum / (1.0 + 1j * hertz / UP_TO_HZ), len(t))
        return SINE * float(np.mean(np.abs(through)))
