"""What Y capacitors let through."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    return {"current": 2.0 * math.pi * v["frequency"] * v["capacitor"] * v["volts"]}


SPEC = Sum(
    "touch_current",
    "Touch current of Y capacitors",
    (
        Input("capacitor", "Sum of the Y capacitors", "F", 2.2e-9, 20.0),
        Input("volts", "Line", "V", 240.0, 10.0, takes="plate:input_high_V"),
        Input("frequency", "Frequency", "Hz", 50.0, 1.0, takes="plate:input_Hz"),
    ),
    (Result("current", "Touch current", "A"),),
    "I = 2 pi f C V",
    "reactance of a capacitor; measured as IEC 60990 describes",
    work,
    held={"touch_current": lambda v: v["current"]},
    bench="""
w 40 30 300 30
w 40 160 300 160
o 40 30
o 40 160
w 300 30 300 62
c 300 70
w 300 78 300 114
n 300 95
c 300 122
w 300 130 300 160
p current 300 95 420 95 420 150
g 420 150
i volts 60 46
i frequency 60 102
i capacitor 320 40
x current 440 110
    """,
    planned="touch_current",
)
