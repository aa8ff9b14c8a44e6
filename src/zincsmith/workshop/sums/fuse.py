"""A fuse for an input."""

from __future__ import annotations

import math

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    amps = v["power"] / (v["volts"] * v["factor"] * 0.01 * v["efficiency"])
    crest = math.sqrt(2.0) * v["highest"]
    return {
        "current": amps,
        "rated": amps / (0.01 * v["used"]),
        "i2t": 0.5 * v["bulk"] * crest**2 / v["series"],
        "peak": crest / v["series"],
    }


SPEC = Sum(
    "fuse",
    "Fuse of an input",
    (
        Input("power", "Output power", "W", 60.0, takes="plate:output_W"),
        Input("efficiency", "Efficiency", "%", 86.0, 2.0, 1.0, 100.0, takes="finding:efficiency"),
        Input("volts", "Lowest line", "V", 90.0, 0.0, 1.0, takes="plate:input_low_V"),
        Input("factor", "Power factor there", "1", 0.55, 5.0, 0.01, 1.0, takes="finding:power_factor"),
        Input("used", "Used up to", "%", 75.0, 0.0, 1.0, 100.0),
        Input("highest", "Highest line", "V", 264.0, 0.0, 1.0, takes="plate:input_high_V"),
        Input("bulk", "Bulk capacitor", "F", 120e-6, 20.0),
        Input("series", "In series as it is switched on", "ohm", 10.0, 20.0, 1e-3),
    ),
    (
        Result("current", "Draws at most", "A"),
        Result("rated", "Rated for, at least", "A"),
        Result("i2t", "Stands an inrush of, A2s", "1"),
        Result("peak", "Crest of the inrush", "A"),
    ),
    "I = P / (V factor eff); I2t = C Vp^2 / (2 R)",
    "closed form of R C; three quarters of the rating is common practice; slow, and above what the line "
    "can give in its breaking capacity",
    work,
    held={"inrush": lambda v: v["peak"]},
    bench="""
o 40 40
w 40 40 90 40
f 110 40
w 130 40 280 40
rh 310 40
w 340 40 540 40
w 520 40 520 66
c 520 74
w 520 82 520 160
o 40 160
w 40 160 540 160
q 540 30 146 140
i volts 26 52
i highest 26 104
i used 130 52
i series 270 52
i bulk 360 104
i efficiency 545 48
i power 545 104
i factor 200 104
x current 340 10
    """,
    planned="inrush",
)
