"""What may be wrong inside a simulated unit, and what would have been damaged by feeding it all the same."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from zincsmith.simbench.units.rectifier import Intake

KINDS = ("none", "short input", "short output", "leaky bulk", "dead controller", "open feedback")
# Found inside only: a stage that is open, dried out or off its value.
HIDDEN = ("open fuse", "open bridge", "open start", "dry bulk", "drifted reference", "open divider")
SHORT_OHM = 3.0
DRY_LEFT = 0.15  # of its capacitance
LEAK_OHM = 2500.0
DRIFTED = 0.92  # of the regulated output, with a reference that has
OPEN_LOOP = 1.55  # of the regulated output, with nothing to hold it
# What parts stand before they are damaged; invented, of the size that bench experience suggests.
OVER_VOLT_S = 1.0  # relative over-voltage times seconds of an output capacitor
SHORT_J = 60.0  # into a shorted switch before the bridge goes too
LEAK_J = 120.0  # into a leaky bulk capacitor, above what it can lose
LEAK_COOL_W = 1.0


@dataclass(frozen=True)
class Parts:
    """Markings of the unit's own parts."""

    output_capacitor_V: float = math.inf
    fuse_A: float = math.inf


@dataclass
class Defect:
    """``damage`` lists what would have gone by now, each once."""

    parts: Parts
    kind: str = "none"
    damage: list[str] = field(default_factory=list)
    _over: float = 0.0
    _joule: float = 0.0
    _melt: float = 0.0
    _open: bool = False  # the fuse has gone

    @property
    def fuse_is_open(self) -> bool:
        return self._open

    @property
    def bulk_share(self) -> float:
        """What is left of the bulk capacitor."""
        return DRY_LEFT if self.kind == "dry bulk" else 1.0

    @property
    def starts(self) -> bool:
        stopped = ("dead controller", "short input", "open fuse", "open bridge", "open start")
        return self.kind not in stopped and not self._open

    @property
    def tries(self) -> bool:
        return self.starts

    @property
    def shorted_output(self) -> bool:
        return self.kind == "short output"

    def attempt_W(self, healthy_W: float, state: str) -> float:
        """Power of an attempt to start; into a shorted output it is a heavy one."""
        return 15.0 if self.kind == "short output" and state == "pause" else healthy_W

    def regulated_V(self, volts: float) -> float:
        if self.kind == "drifted reference":
            return DRIFTED * volts
        return OPEN_LOOP * volts if self.kind in ("open feedback", "open divider") else volts

    def draw(self, intake: Intake, input_V: float, series_ohm: float, h: float) -> Intake:
        """Add what the fault takes from the mains, and follow what it does to the parts."""
        if self._open or self.kind in ("open fuse", "open bridge"):
            return Intake(0.0, 0.0, 0.0)
        if input_V == 0.0:
            return intake
        if self.kind == "short input":
            amps = input_V / (SHORT_OHM + series_ohm)
            watts = amps**2 * (SHORT_OHM + series_ohm)
            self._joule += watts * h
            self._say(self._joule > SHORT_J, "the bridge rectifier, by a shorted switch")
            intake = Intake(intake.current_A + amps, intake.power_W + watts, 0.0)
        elif self.kind == "leaky bulk":
            watts = (math.sqrt(2.0) * input_V) ** 2 / LEAK_OHM
            self._joule = max(0.0, self._joule + (watts - LEAK_COOL_W) * h)
            self._say(self._joule > LEAK_J, "the bulk capacitor, vented")
            intake = Intake(intake.current_A + watts / (0.55 * input_V), intake.power_W + watts, intake.bulk_min_V)
        self._melt = max(0.0, self._melt + ((intake.current_A / self.parts.fuse_A) ** 2 - 1.0) * h)
        if self._melt > 1.0:
            self._open = True
            self._say(True, "the fuse")
        return intake

    def strain(self, output_V: float, h: float) -> None:
        """Over-voltage ages an output capacitor within seconds."""
        over = output_V / self.parts.output_capacitor_V - 1.0
        self._over = max(0.0, self._over + over * h) if over > 0.0 else max(0.0, self._over - 0.1 * h)
        self._say(self._over > OVER_VOLT_S, "an output capacitor, burst")

    def _say(self, gone: bool, what: str) -> None:
        if gone and what not in self.damage:
            self.damage.append(what)
