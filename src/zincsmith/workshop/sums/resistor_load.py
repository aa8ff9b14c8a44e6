"""A resistor as load."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    ohm = v["volts"] / v["current"]
    watts = v["volts"] * v["current"]
    return {"resistance": ohm, "power": watts, "rating": watts / (0.01 * v["used"])}


SPEC = Sum(
    "resistor_load",
    "Resistor as load",
    (
        Input("volts", "Volts", "V", 24.0, 2.0, 1e-3, takes="plate:output_V"),
        Input("current", "Current", "A", 2.5, 5.0, 1e-6, takes="plate:output_A"),
        Input("used", "Used up to", "%", 50.0, 0.0, 1.0, 100.0),
    ),
    (
        Result("resistance", "Resistor", "ohm"),
        Result("power", "It turns into heat", "W"),
        Result("rating", "It is rated for, at least", "W"),
    ),
    "R = V / I; P = V I; rating = P / share",
    "Ohm; half of the rating is common practice",
    work,
    costs={"no_load_power": lambda v: v["power"]},  # where it stays connected as a minimum load
    bench="""
w 60 30 420 30
w 60 160 420 160
o 60 30
o 60 160
w 420 30 420 76
r 420 94
w 420 112 420 160
p temperature 450 70 456 60 450 50 456 40
p temperature 466 70 472 60 466 50 472 40
i volts 40 74
i current 240 38
i used 490 120
x resistance 440 86
    """,
)
