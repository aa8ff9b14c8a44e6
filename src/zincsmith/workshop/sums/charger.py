"""A charge planned: volts, amps, how long."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    amps = v["rate"] * v["capacity"]
    # To the corner at constant current; behind it the current falls along an exponential to its tail.
    corner = 0.01 * v["corner"] * v["capacity"] / amps
    left = (1.0 - 0.01 * v["corner"]) * v["capacity"]
    tail = min(0.999, 0.01 * v["tail"])
    tau = left / (amps * (1.0 - tail))
    return {
        "volts": v["cells"] * v["cell"],
        "current": amps,
        "constant_h": corner,
        "falling_h": tau * math.log(1.0 / tail),
    }


SPEC = Sum(
    "charger",
    "Charge, planned",
    (
        Input("cells", "Cells in series", "1", 6.0, 0.0, 1.0),
        Input("cell", "Each is charged to", "V", 2.4),
        Input("capacity", "Capacity, Ah", "1", 7.0, 10.0, 1e-6),
        Input("rate", "Amps per ampere-hour", "1", 0.2, 0.0, 1e-6),
        Input("corner", "Full at the corner", "%", 80.0, 5.0, 1.0, 99.0),
        Input("tail", "Ends at, of its current", "%", 10.0, 0.0, 0.1, 99.0),
    ),
    (
        Result("volts", "Charged to", "V"),
        Result("current", "With", "A"),
        Result("constant_h", "At constant current, h", "1"),
        Result("falling_h", "At constant volts, h", "1"),
    ),
    "t = Ah / I to the corner; then an exponential to the tail",
    "common practice; the maker of the cells has the last word",
    work,
    bench="""
p current 300 60 400 60 440 110 500 138 560 146
p voltage 300 130 400 70 460 56 560 56
w 290 160 580 160
w 290 160 290 40
b 60 60
b 60 90
b 60 120
w 60 40 60 50
w 60 70 60 80
w 60 100 60 110
w 60 130 60 150
i cells 80 10
i cell 80 56
i capacity 80 104
i rate 310 0
i corner 440 0
i tail 590 104
x volts 575 50
    """,
)
