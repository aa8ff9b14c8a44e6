"""A ratio in decibels."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    if v["before"] <= 0.0 or v["behind"] <= 0.0:
        raise ValueError("both are more than nothing")
    ratio = v["before"] / v["behind"]
    return {"ratio": ratio, "amplitude": 20.0 * math.log10(ratio), "power": 10.0 * math.log10(ratio)}


SPEC = Sum(
    "decibel",
    "Ratio and decibels",
    (Input("before", "Before", "1", 1.0), Input("behind", "Behind", "1", 0.001)),
    (
        Result("ratio", "Ratio", "1"),
        Result("amplitude", "Of volts or amps, dB", "1"),
        Result("power", "Of watts, dB", "1"),
    ),
    "20 log, 10 log",
    "definition",
    work,
    bench="""
w 40 100 640 100
w 100 92 100 108
w 220 88 220 112
w 340 92 340 108
w 460 88 460 112
w 580 92 580 108
a 160 76 400 76
i before 60 24
i behind 440 24
x amplitude 260 124
    """,
)
