"""The bulk capacitor for a time of hold-up."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    if v["from"] <= v["to"]:
        raise ValueError("it falls from more volts to less")
    return {"capacitor": 2.0 * v["power"] * v["time"] / (0.01 * v["efficiency"] * (v["from"] ** 2 - v["to"] ** 2))}


SPEC = Sum(
    "hold_up_capacitor",
    "Capacitor for hold-up",
    (
        Input("power", "Output power", "W", 60.0, takes="plate:output_W"),
        Input("time", "For", "s", 0.01),
        Input("efficiency", "Efficiency", "%", 88.0, 1.0, 1.0, 100.0, takes="finding:efficiency"),
        Input("from", "Volts it stands at", "V", 140.0, 5.0),
        Input("to", "Volts it works down to", "V", 80.0, 5.0),
    ),
    (Result("capacitor", "Capacitor", "F"),),
    "C = 2 P t / (eff (V1^2 - V2^2))",
    "energy of a capacitor",
    work,
    held={"hold_up": lambda v: v["time"]},
    bench="""
w 20 40 190 40
n 60 40
w 60 40 60 90
c 60 98
w 60 106 60 160
w 20 160 480 160
q 190 20 160 150
w 350 40 480 40
w 480 40 480 82
r 480 100
w 480 118 480 160
i power 500 82
i efficiency 200 86
i from 520 10
i to 520 138
p voltage 366 60 396 60 450 84
a 396 52 450 52
i time 366 86
x capacitor 82 86
    """,
    planned="hold_up",
)
