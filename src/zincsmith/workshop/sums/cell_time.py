"""How long a cell lasts."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    drawn = v["power"] / (0.01 * v["efficiency"])
    return {"hours": v["volts"] * v["capacity"] * 0.01 * v["usable"] / drawn, "current": drawn / v["volts"]}


SPEC = Sum(
    "cell_time",
    "Run time from a cell",
    (
        Input("volts", "Volts of the cell, in the mean", "V", 3.7, 3.0, 0.1),
        Input("capacity", "Capacity, Ah", "1", 2.6, 10.0),
        Input("usable", "Of it used", "%", 85.0, 5.0, 1.0, 100.0),
        Input("power", "Load", "W", 2.5, takes="plate:output_W"),
        Input("efficiency", "Efficiency between", "%", 88.0, 3.0, 1.0, 100.0, takes="finding:efficiency"),
    ),
    (Result("hours", "Lasts, h", "1"), Result("current", "Draws from it", "A")),
    "t = V Ah share / (P / eff)",
    "energy; a cell that is drained faster gives less",
    work,
    bench="""
b 60 95
w 60 86 60 40 240 40
w 60 104 60 160 520 160
q 240 30 70 130
w 310 40 520 40
w 520 40 520 82
r 520 100
w 520 118 520 160
i volts 80 0
i capacity 80 72
i usable 330 50
i efficiency 330 104
i power 540 82
x hours 560 20
    """,
)
