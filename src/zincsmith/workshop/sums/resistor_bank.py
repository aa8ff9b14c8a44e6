"""A binary bank of resistors."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    steps = round(v["steps"])
    least = v["volts"] / v["least"]
    most = v["least"] * (2.0**steps - 1.0)
    return {"largest": least, "smallest": least / 2.0 ** (steps - 1), "most": most, "power": most * v["volts"],
            "strongest": v["volts"] * v["least"] * 2.0 ** (steps - 1)}  # fmt: skip


SPEC = Sum(
    "resistor_bank",
    "Binary bank of resistors",
    (
        Input("volts", "Volts", "V", 12.0, 2.0, 1e-3, takes="plate:output_V"),
        Input("least", "Smallest step", "A", 0.1, 1.0, 1e-6),
        Input("steps", "Resistors", "1", 6.0, 0.0, 1.0, 16.0),
    ),
    (
        Result("largest", "Largest resistor", "ohm"),
        Result("smallest", "Smallest resistor", "ohm"),
        Result("most", "All of them", "A"),
        Result("power", "All of them", "W"),
        Result("strongest", "Heat of the smallest", "W"),
    ),
    "R n = V / (I 2^n); all together I (2^N - 1)",
    "Ohm",
    work,
    bench="""
w 40 24 640 24
w 40 170 640 170
w 360 24 360 60
r 360 78
w 360 96 360 170
w 420 24 420 60
r 420 78
w 420 96 420 170
w 480 24 480 60
r 480 78
w 480 96 480 170
t 500 60 1, 2, 4 ... times
i volts 40 74
i least 200 74
i steps 510 84
x smallest 210 128
    """,
)
