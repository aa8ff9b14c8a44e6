"""The physics of a simulated DC-DC stage: fed with direct current, it steps down, or up.

Closed forms: what a duty that is at its end leaves of the input, what the current of the switch lets through, what an
idle boost stage passes through its rectifier. Regulation, protection and heat are those of any converter.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.parameters import Stage
from zincsmith.simbench.units.rectifier import Intake, Rectifier


class DcStage(Adapter):
    """A converter between a source of direct current and its loads."""

    direct = True

    def __init__(self, stage: Stage, **sections: Any) -> None:
        super().__init__(mains=Rectifier(stage.input_F, stage.input_ohm, 0.0, 0.0), **sections)
        self.stage = stage
        self.nominal_V = stage.nominal_V

    def crest_V(self, input_V: float) -> float:
        return input_V

    def draw(self, input_V: float, frequency_Hz: float, converter_W: float, correcting: bool = False) -> Intake:
        """Amps are watts over volts: its capacitor keeps the ripple off the leads."""
        return Intake(converter_W / input_V, converter_W, 0.0)

    def input_current_wave(self, input_V: float, frequency_Hz: float, times_s: list[float]) -> list[float]:
        return [self.intake.current_A] * len(times_s)

    def _charge(self, h: float, input_V: float) -> None:
        """The input capacitor is at the input; what it holds is what is left when that goes."""
        if input_V > 0.0:
            self.bulk_V = input_V
        else:
            self.bulk_V *= math.exp(-h / (self.start.start_ohm * self.mains.bulk_F))

    def _rest(self, input_V: float) -> None:
        """What it takes without running; an idle boost stage passes its input on to whatever is there."""
        watts = input_V**2 / self.start.start_ohm + (self.rails.apart_W if self.rails is not None else 0.0)
        watts += self.output_V * self.current_A
        self.intake = Intake(watts / input_V, watts, 0.0) if input_V else Intake(0.0, 0.0, 0.0)

    def _run_down(self, dt_s: float, wanted_A: float) -> None:
        passed = self._fed_V - self.stage.passes_less_V
        super()._run_down(dt_s, wanted_A)
        if passed > self.output_V:
            self.output_V = passed
            self.current_A = wanted_A * min(1.0, passed)

    def _move(self, h: float, input_V: float, hertz: float, at: Callable[[float], float]) -> None:
        self._fed_V = input_V
        super()._move(h, input_V, hertz, at)

    def _held(self, input_V: float, hertz: float, at: Callable[[float], float], volts: float) -> float:
        """What is left of the output where the duty is at its end, or the switch passes no more: by bisection on the
        output, since what is drawn depends on it."""
        s = self.stage

        def beyond(v: float) -> bool:
            amps = at(v)
            if s.steps == "down" and v > s.duty_most * (input_V - amps * s.path_ohm) - s.drop_V:
                return True
            return v * amps + self.loss_W(input_V, amps, self.core_degC) > input_V * s.input_limit_A

        if not beyond(volts):
            return volts
        low, high = 0.0, volts
        for _ in range(40):
            middle = 0.5 * (low + high)
            low, high = (low, middle) if beyond(middle) else (middle, high)
        return max(low, min(volts, input_V - s.passes_less_V))

    _fed_V = 0.0
