"""How a stand-in meter errs.

Its data sheet states ``limit = reading % x reading + range % x range``, the half-width of a rectangular
distribution. The gain error is drawn once for an instrument, function and range; the rest is drawn anew each
time something on the bench is set. Both are rectangular, so that together they have the stated variance. On a bench
with imperfections gain and offset are drawn once each instead, and the display shows whole steps.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, replace

from zincsmith.simbench.imperfect import STEPS
from zincsmith.simbench.world import World

CREST, CODES = 3.0, 32768  # of a record: its end over the range, and the codes to each side


@dataclass(frozen=True)
class Function:
    """One measuring function: its quantity, its data sheet, the noise of one reading and its ranges."""

    quantity: str
    reading_percent: float
    range_percent: float
    noise_percent: float  # of range, one sigma
    ranges: tuple[float, ...]

    def at(self, port: str) -> Function:
        """The same function at one of several outputs."""
        return replace(self, quantity=f"{self.quantity}@{port}") if port else self


class Meter:
    """One function of one instrument, on one range at a time."""

    def __init__(self, role: str, function: Function, world: World, true: Callable[[], float] | None = None) -> None:
        self.role, self.function, self.world = role, function, world
        self._true = true or (lambda: world.true_value(function.quantity))
        self.range = function.ranges[-1]
        self._noise = random.Random(f"noise {world.seed} {role} {function.quantity}")  # whoever else is asked when

    def set_range(self, expected: float) -> bool:
        """Take the smallest range that holds ``expected``; False when there is none."""
        fitting = [r for r in self.function.ranges if r >= expected]
        if fitting:
            self.range = fitting[0]
        return bool(fitting)

    def read(self) -> float:
        """One reading with its errors; not-a-number above 105 % of the range."""
        true = self._true()
        if abs(true) > 1.05 * self.range:
            return math.nan
        f = self.function
        gain = f.reading_percent / 100.0 * true
        limit = abs(gain) + f.range_percent / 100.0 * self.range
        rest = math.sqrt(limit**2 - gain**2)
        noise = self._noise.gauss(0.0, 1.0) * f.noise_percent / 100.0 * self.range
        if self.world.imperfect.apart:
            offset = f.range_percent / 100.0 * self.range * self._draw("offset")
            step = self.range / STEPS
            return round((true + gain * self._draw("gain") + offset + noise) / step) * step
        return true + gain * self._draw("gain") + rest * self._draw(f"rest {self.world.epoch}") + noise

    def record(self, true: list[float]) -> tuple[list[int], float]:
        """(codes, step) of a record of this function: its errors act on every sample as they do on the rms value, and
        the converter clips at CREST times the range."""
        f, rms = self.function, math.sqrt(sum(x * x for x in true) / max(1, len(true)))
        gain = f.reading_percent / 100.0 * self._draw("gain")
        if rms:
            limit = f.reading_percent / 100.0 * rms + f.range_percent / 100.0 * self.range
            rest = math.sqrt(limit**2 - (f.reading_percent / 100.0 * rms) ** 2)
            gain += rest / rms * self._draw(f"rest {self.world.epoch}")
        step = CREST * self.range / CODES
        return [max(-CODES, min(CODES - 1, round(x * (1.0 + gain) / step))) for x in true], step

    def _draw(self, what: str) -> float:
        key = f"{self.world.seed} {self.role} {self.function.quantity} {self.range} {what}"
        return random.Random(key).uniform(-1.0, 1.0)
