"""The physics of a simulated inverter: a stage fed by a battery whose output alternates.

What it holds is the rms of its output, as any stage here holds its volts; the shape stands beside it. Closed forms:
dead time takes odd orders out of the sine that grow with the load; below a few watts it looks for a load in short
bursts.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from zincsmith.simbench.units.dcdc import DcStage
from zincsmith.simbench.units.parameters import Alternating
from zincsmith.simbench.units.rectifier import Intake

PLACES = 720  # of a period


class Inverter(DcStage):
    """Its output is told by its rms; ``shape`` gives a period of it."""

    def __init__(self, alternating: Alternating, **sections: Any) -> None:
        super().__init__(**sections)
        self.alternating = alternating

    @property
    def frequency_Hz(self) -> float:
        """While it runs."""
        a = self.alternating
        return a.frequency_Hz * (1.0 + a.frequency_ppm * 1e-6) if self.output_V > 1.0 else 0.0

    @property
    def orders(self) -> dict[int, float]:
        """By order the share of the fundamental."""
        a, share = self.alternating, self.current_A / self.output.limit_A
        return {
            2: a.second,
            3: a.third + a.third_at_limit * share,
            5: a.fifth + a.fifth_at_limit * share,
            7: 0.4 * a.fifth,
        }

    @property
    def thd(self) -> float:
        return math.sqrt(sum(x * x for x in self.orders.values())) if self.output_V > 1.0 else 0.0

    def shape(self) -> list[float]:
        """A period of the output, V, with its rms, its offset on top."""
        rms, total = self.output_V, math.sqrt(1.0 + sum(x * x for x in self.orders.values()))
        first = math.sqrt(2.0) * rms / total
        found = []
        for k in range(PLACES):
            x = 2.0 * math.pi * k / PLACES
            found.append(first * (math.sin(x) + sum(s * math.sin(n * x) for n, s in self.orders.items())))
        return [v + self.offset_V for v in found]

    @property
    def offset_V(self) -> float:
        return self.alternating.offset_V if self.output_V > 1.0 else 0.0

    @property
    def crest(self) -> float:
        return max(abs(v) for v in self.shape()) / self.output_V if self.output_V > 1.0 else 0.0

    def _supply(self, input_V: float, hertz: float, amps: float, volts: float) -> None:
        super()._supply(input_V, hertz, amps, volts)
        a = self.alternating
        if volts * amps < a.search_below_W and self.state == "running":  # it looks for a load in short bursts
            inside = self._time_s % a.search_period_s < a.search_s
            self.output_V = volts if inside else 0.0
            self.intake = self.intake if inside else Intake(a.search_rest_W / input_V, a.search_rest_W, 0.0)

    def _overload(self, h: float, input_V: float, hertz: float, at: Callable[[float], float], volts: float) -> None:
        """For a while it gives its surge; then, or beyond that, it shuts down."""
        if at(volts) * volts > self.alternating.surge_W:
            self._become("shut down")
            self._run_down(h, at(1.0))
            return
        super()._overload(h, input_V, hertz, at, volts)
