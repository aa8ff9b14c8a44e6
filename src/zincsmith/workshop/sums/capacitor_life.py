"""How long a capacitor lasts."""

from __future__ import annotations

from zincsmith.analysis.capacitors import life_h
from zincsmith.workshop.base import Input, Result, Sum, Values

HOURS = 8766.0  # of a year


def work(v: Values) -> dict[str, float]:
    hours = life_h(v["rated"], v["rated_at"], v["at"])
    return {"hours": hours, "years": hours / HOURS}


SPEC = Sum(
    "capacitor_life",
    "Capacitor life",
    (
        Input("rated", "Rated life, hours", "1", 2000.0),
        Input("rated_at", "At", "degC", 105.0, 0.0, -60.0, 300.0),
        Input("at", "It sits at", "degC", 65.0, 5.0, -60.0, 300.0),
    ),
    (Result("hours", "Hours", "1"), Result("years", "Years, day and night", "1")),
    "L = L0 2^((T0 - T) / 10 K)",
    "the ten-kelvin rule, common practice",
    work,
    bench="""
p temperature 60 150 140 148 240 140 340 116 430 60
w 40 160 460 160
w 40 160 40 20
t 50 30 life halves with every 10 K
c 560 70
w 560 40 560 62
w 560 78 560 110
i rated 90 50
i rated_at 250 50
i at 480 132
x hours 90 120
    """,
)
