"""What the pass element of a linear supply turns into heat."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    watts = (v["raw"] - v["output"]) * v["current"]
    if watts < 0.0:
        raise ValueError("the output lies above the raw volts")
    return {"power": watts, "temperature": v["room"] + watts * v["resistance"], "efficiency": v["output"] / v["raw"]}


SPEC = Sum(
    "pass_element",
    "Pass element",
    (
        Input("raw", "Raw volts", "V", 38.0, 10.0, 1e-3),
        Input("output", "Output", "V", 5.0, takes="plate:output_V"),
        Input("current", "Current", "A", 3.0, takes="plate:output_A"),
        Input("resistance", "To the room, K/W", "1", 0.8, 10.0),
        Input("room", "Room", "degC", 25.0, 0.0, -60.0, 200.0),
    ),
    (
        Result("power", "Heat", "W"),
        Result("temperature", "It gets", "degC"),
        Result("efficiency", "Efficiency at best", "1"),
    ),
    "P = (Vraw - V) I",
    "Kirchhoff",
    work,
    held={"hot_spot": lambda v: v["temperature"]},
    bench="""
w 40 40 250 40
q 250 24 170 32 pass element
w 420 40 560 40
w 560 40 560 82
r 560 100
w 560 118 560 160
w 40 160 560 160
o 40 40
o 40 160
i raw 40 74
i resistance 250 66
i room 250 112
i output 430 82
i current 580 82
x power 570 10
    """,
    planned="hot_spot",
)
