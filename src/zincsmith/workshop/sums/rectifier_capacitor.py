"""A capacitor behind a rectifier: exact, beside the rule of thumb."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values

STEPS = 60


def work(v: Values) -> dict[str, float]:
    peak = math.sqrt(2.0) * v["volts"] - 2.0 * v["drop"]
    half = 0.5 / v["frequency"]
    if peak <= 0.0 or v["current"] * half / v["capacitor"] >= peak:
        raise ValueError("the capacitor is empty before the next crest comes")
    omega, slope = 2.0 * math.pi * v["frequency"], v["current"] / v["capacitor"]
    # It leaves the sine where that falls faster than the load discharges it, and meets the next half wave again.
    leaves = math.asin(min(1.0, slope / (omega * peak))) / omega
    start = peak * math.cos(omega * leaves)
    low, high = leaves, half
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        meets = start - slope * (middle - leaves) <= peak * abs(math.cos(omega * middle)) and middle > 0.5 * half
        low, high = (low, middle) if meets else (middle, high)
    valley = start - slope * (high - leaves)
    return {"ripple": peak - valley, "rule": v["current"] * half / v["capacitor"], "valley": valley, "crest": peak}


SPEC = Sum(
    "rectifier_capacitor",
    "Rectifier with a capacitor",
    (
        Input("volts", "Mains or winding, rms", "V", 12.0, 10.0, 0.1),
        Input("frequency", "Frequency", "Hz", 50.0, 1.0, 1.0, takes="plate:input_Hz"),
        Input("current", "Load", "A", 1.0, takes="plate:output_A"),
        Input("capacitor", "Capacitor", "F", 4700e-6, 20.0, 1e-9),
        Input("drop", "Each diode", "V", 0.8),
    ),
    (
        Result("ripple", "Ripple, peak to peak", "V"),
        Result("rule", "Ripple by the rule of thumb", "V"),
        Result("valley", "Valley", "V"),
        Result("crest", "Crest", "V"),
    ),
    "Vp cos wt until the load discharges it faster; then V - I t / C until it meets the next half wave; "
    "rule: I / (2 f C)",
    "closed forms met by bisection; the rule of thumb is common practice",
    work,
    bench="""
s 40 95
w 40 79 40 48 120 48
w 40 111 40 170 640 170
d 140 48
w 160 48 640 48
n 330 48
w 330 48 330 96
c 330 104
w 330 112 330 170
w 640 48 640 86
r 640 104
w 640 122 640 170
i volts 62 64
i frequency 62 112
i drop 172 0
i capacitor 346 84
i current 520 84
p voltage 380 26 394 8 420 22 434 8 460 22 474 8 500 22
x ripple 520 6
    """,
    planned="ripple",
)
