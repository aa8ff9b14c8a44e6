"""How warm a winding was, from its ohms cold and right after switch-off.

R grows with (K + T): K is 234.5 for copper, 225 for aluminium (the formula of IEC 60335-1 and IEC 62368-1, from
memory). What cools between switch-off and the first reading is gone back along an exponential.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.analysis.heating import by_three

METALS = {"copper": 234.5, "aluminium": 225.0}
EVEN = 0.02  # so much the two distances of time may differ


@dataclass(frozen=True)
class Winding:
    """``ohm`` at switch-off, ``degC`` then, ``rise_K`` over the room of then with its standard uncertainty;
    ``gone_back`` tells whether that is from three readings or, without them, the first one as it was."""

    ohm: float
    degC: float
    rise_K: float
    u_K: float
    gone_back: bool


def at_switch_off(readings: Sequence[tuple[float, float]]) -> tuple[float, bool]:
    """(ohm at 0 s, whether it is gone back to) of (s after switch-off, ohm). ValueError for times that are not even,
    and for ohms that do not fall to something."""
    rows = sorted(readings)
    if not rows or rows[0][0] < 0.0 or any(ohm <= 0.0 for _, ohm in rows):
        raise ValueError("readings are seconds after switch-off and ohms above zero")
    if len(rows) == 1:
        return rows[0][1], rows[0][0] == 0.0
    if len(rows) != 3:
        raise ValueError("one reading, or three at equal distances of time")
    (t1, r1), (t2, r2), (t3, r3) = rows
    step = t2 - t1
    if step <= 0.0 or abs((t3 - t2) / step - 1.0) > EVEN:
        raise ValueError("the three readings lie at equal distances of time")
    end = by_three(r1, r2, r3)
    ratio = (r3 - r2) / (r2 - r1) if r2 != r1 else math.inf
    if end is None or not 0.0 < ratio < 1.0 or not r1 > r2:
        raise ValueError("the ohms do not fall, ever more slowly: read them sooner, and on one range")
    return end + (r1 - end) * ratio ** (-t1 / step), True


def winding(
    cold_ohm: float, cold_degC: float, hot: Sequence[tuple[float, float]], room_degC: float, metal: str = "copper",
    u_ohm: float = 0.0,
) -> Winding:  # fmt: skip
    """``u_ohm`` is the standard uncertainty of each reading. ValueError as ``at_switch_off``, and for ohms not above
    zero."""
    if cold_ohm <= 0.0:
        raise ValueError("ohms are above zero")
    ohm, back = at_switch_off(hot)
    slope = (METALS[metal] + cold_degC) / cold_ohm
    degC = slope * ohm - METALS[metal]
    u = slope * math.hypot(u_ohm, ohm / cold_ohm * u_ohm)
    return Winding(ohm, degC, degC - room_degC, u, back)
