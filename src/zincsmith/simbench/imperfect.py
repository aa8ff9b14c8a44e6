"""What a bench adds that no data sheet of a single meter tells: phase, burdens, leads, a load that is set a little off.

Drawn once for a bench, from what its rig states as limits. Everything is closed form: the phase error moves the watts
by V1 I1 sin(phi1) delta, with the fundamental taken from the current itself.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass

PHASE_DEG = 0.02  # limit, as the example rig states it
SHUNT_OHM = 0.01
LEAD_SHARE = 0.1  # by which a lead is off what gauge and length say
SET_PERCENT = 0.1
SCOPE_GAIN, SCOPE_OFFSET, SCOPE_PPM = 0.02, 0.005, 50.0  # limits: of the reading, of the span, of its clock
STEPS = 60_000  # of a display, over its range


@dataclass(frozen=True)
class ScopeErrors:
    """Of one channel: relative error of its gain, of its offset as a share of the span, of the clock of them all."""

    gain: float = 0.0
    offset: float = 0.0
    clock: float = 0.0


def scope_errors(seed: int, channel: int) -> ScopeErrors:
    """What one channel errs, anywhere within its limits; the clock is shared by all."""
    dice, clock = random.Random(f"scope {seed} {channel}"), random.Random(f"clock {seed}").uniform(-1.0, 1.0)
    return ScopeErrors(
        SCOPE_GAIN * dice.uniform(-1.0, 1.0), SCOPE_OFFSET * dice.uniform(-1.0, 1.0), 1e-6 * SCOPE_PPM * clock
    )


@dataclass(frozen=True)
class Imperfections:
    """``input_lead_ohm`` lies between power meter and unit, ``shunt_ohm`` in the meter, before a tap on the source's
    side; ``tap_ohm`` is that of a tap on the unit's, none where 0. ``apart``: gain and offset of a meter are drawn once
    each, and it shows whole steps of its display."""

    input_lead_ohm: float = 0.0
    shunt_ohm: float = 0.0
    phase_rad: float = 0.0
    load_set: float = 0.0  # relative error of what the load is set to
    apart: bool = False
    tap_ohm: float = 0.0

    @property
    def series_ohm(self) -> float:
        return self.input_lead_ohm + self.shunt_ohm


def drawn(seed: int, input_lead_ohm: float) -> Imperfections:
    """The imperfections of one bench."""
    dice = random.Random(f"imperfect {seed}")
    return Imperfections(
        input_lead_ohm * (1.0 + dice.uniform(-LEAD_SHARE, LEAD_SHARE)),
        SHUNT_OHM,
        math.radians(dice.uniform(-PHASE_DEG, PHASE_DEG)),
        dice.uniform(-SET_PERCENT, SET_PERCENT) / 100.0,
        True,
    )


def reactive_W(volts_rms: float, half_cycle_A: list[float]) -> float:
    """V1 I1 sin(phi1) of a current given over the positive half of the mains cycle, var, positive where it lags."""
    n = len(half_cycle_A)
    if not n:
        return 0.0
    # The second half mirrors the first, so that the sums over a whole cycle are twice those of a half.
    lagging = -2.0 / n * sum(i * math.cos(math.pi * (k + 0.5) / n) for k, i in enumerate(half_cycle_A))
    return volts_rms * lagging / math.sqrt(2.0)
