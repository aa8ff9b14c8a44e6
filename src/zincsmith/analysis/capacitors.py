"""What an electrolytic capacitor should read by its markings, and what is left of one that has aged.

The loss tangent at 120 Hz by rated volts, 0.02 more for each 1000 uF beyond the first, is that of general-purpose
series as makers print it (values from memory); ESR is tan d / (2 pi f C), a closed form. Parts made for switching are
far below it, so that it tells a worn one, not a good one. End of life by a capacity that lost a fifth, a loss tangent
beyond twice its limit and a leakage of 0.01 C V: IEC 60384-4 and data sheets of such series, values from memory.
"""

from __future__ import annotations

import math

TANGENT = ((6.3, 0.22), (10.0, 0.19), (16.0, 0.16), (25.0, 0.14), (35.0, 0.12), (50.0, 0.10), (100.0, 0.08),
           (250.0, 0.15), (350.0, 0.20), (500.0, 0.24))  # fmt: skip
LOST, TANGENT_WORN = 0.2, 2.0
LEAST_LEAK_A = 3e-6
BESIDE = 1.3  # times its marking: more is another one beside it


def loss_tangent(rated_V: float, farad: float) -> float:
    """The most that such a part is sold with, at 120 Hz."""
    by_volts = next((t for volts, t in TANGENT if rated_V <= volts), TANGENT[-1][1])
    return by_volts + 0.02 * max(0.0, math.ceil(farad / 1e-3) - 1.0)


def esr_limit_ohm(rated_V: float, farad: float, hertz: float) -> float:
    """What a sound one reads at most: the loss at 120 Hz below some kHz, half of it above, where only its electrolyte
    is left (common practice, no source)."""
    at_120 = loss_tangent(rated_V, farad) / (2.0 * math.pi * 120.0 * farad)
    return at_120 if hertz < 5e3 else 0.5 * at_120


def leakage_limit_A(rated_V: float, farad: float) -> float:
    """After two minutes at its rated volts."""
    return max(LEAST_LEAK_A, 0.01 * farad * rated_V)


def life_h(rated_h: float, rated_degC: float, at_degC: float) -> float:
    """By the rule that ten kelvin less double it (common practice)."""
    return float(rated_h * 2.0 ** ((rated_degC - at_degC) / 10.0))
