"""Which accuracy would decide a claim."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    margin = abs(v["limit"] - v["value"])
    expanded = math.hypot(0.01 * v["reading"] * v["value"], 0.01 * v["range_share"] * v["range"]) * 2.0 / math.sqrt(3.0)
    return {
        "margin": margin,
        "expanded": expanded,
        "decides": 1.0 if expanded < margin else 0.0,
        "allowed": 100.0 * margin / abs(v["value"]),
    }


SPEC = Sum(
    "uncertainty",
    "What accuracy would decide this claim",
    (
        Input("limit", "Limit", "1", 24.48, 0.0, -math.inf),
        Input("value", "Expected, or measured", "1", 24.04, 0.0, -math.inf),
        Input("reading", "Meter: of the reading", "%", 0.1),
        Input("range_share", "Meter: of the range", "%", 0.05),
        Input("range", "Range", "1", 60.0),
    ),
    (
        Result("margin", "Room to the limit", "1"),
        Result("expanded", "U of one reading, k = 2", "1"),
        Result("decides", "It decides (1) or not (0)", "1"),
        Result("allowed", "U may be, % of the value", "1"),
    ),
    "U = 2 sqrt((r V)^2 + (s range)^2) / sqrt 3",
    "GUM: limits as rectangles; guard band U",
    work,
    bench="""
w 40 80 420 80
w 300 60 300 100
p power 140 80 200 80
a 200 64 300 64
i value 120 96
i limit 280 96
i reading 480 10
i range_share 480 58
i range 480 106
x margin 200 24
    """,
)
