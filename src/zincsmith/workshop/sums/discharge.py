"""How long a capacitor takes to be safe, and what its resistor stands."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values

PULLED_S = 2.0  # after a plug is pulled, of one standard; value from memory


def work(v: Values) -> dict[str, float]:
    if v["to"] >= v["from"]:
        raise ValueError("it falls from more volts to less")
    return {
        "time": v["resistor"] * v["capacitor"] * math.log(v["from"] / v["to"]),
        "peak": v["from"] ** 2 / v["resistor"], "energy": 0.5 * v["capacitor"] * v["from"] ** 2,
        "bleeder": v["within"] / (v["capacitor"] * math.log(v["from"] / v["to"])),
    }  # fmt: skip


SPEC = Sum(
    "discharge",
    "Discharge and bleeder",
    (
        Input("capacitor", "Capacitor", "F", 120e-6, 20.0, 1e-12),
        Input("from", "From", "V", 325.0, 0.0, 1e-3),
        Input("to", "Down to", "V", 30.0, 0.0, 1e-3),
        Input("resistor", "Through", "ohm", 2200.0, 5.0, 1e-3),
        Input("within", "A bleeder is to do it within", "s", 60.0),
    ),
    (
        Result("time", "Takes", "s"),
        Result("peak", "Its resistor stands at first", "W"),
        Result("energy", "And takes up in all", "J"),
        Result("bleeder", "Bleeder, at most", "ohm"),
    ),
    "t = R C ln(V0 / V); P = V0^2 / R; W = C V0^2 / 2",
    "closed form of R C",
    work,
    held={"plug_voltage": lambda v: v["from"] * math.exp(-PULLED_S / (v["resistor"] * v["capacitor"]))},
    costs={"no_load_power": lambda v: v["peak"]},  # at most: of direct volts; across the line half of it
    bench="""
w 90 30 420 30
w 90 160 420 160
n 90 30
w 90 30 90 84
c 90 92
w 90 100 90 160
w 420 30 420 76
r 420 94
w 420 112 420 160
i capacitor 110 74
i resistor 440 74
p voltage 300 40 312 84 330 110 360 128 400 134
i from 250 0
i to 250 132
i within 560 132
x time 560 20
    """,
    planned="plug_voltage",
)
