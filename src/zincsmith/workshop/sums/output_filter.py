"""What an output filter leaves of the switching."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    if not 0.0 < v["output"] < v["input"]:
        raise ValueError("a step-down stage gives less volts than it gets")
    duty = v["output"] / v["input"]
    swing = v["output"] * (1.0 - duty) / (v["inductor"] * v["frequency"])
    return {
        "current": swing,
        "capacitive": swing / (8.0 * v["frequency"] * v["capacitor"]),
        "resistive": swing * v["esr"],
    }


SPEC = Sum(
    "output_filter",
    "Output inductor and capacitor of a step-down stage",
    (
        Input("input", "Input", "V", 12.0),
        Input("output", "Output", "V", 5.0, takes="plate:output_V"),
        Input("frequency", "Switching", "Hz", 500e3, 10.0, 1.0, takes="finding:switching_frequency"),
        Input("inductor", "Inductor", "H", 10e-6, 20.0, 1e-9),
        Input("capacitor", "Capacitor", "F", 47e-6, 20.0, 1e-12),
        Input("esr", "Its series resistance", "ohm", 5e-3, 50.0),
    ),
    (
        Result("current", "Ripple of the inductor, peak to peak", "A"),
        Result("capacitive", "Ripple by the capacitance, peak to peak", "V"),
        Result("resistive", "Ripple by its resistance, peak to peak", "V"),
    ),
    "dI = V (1 - V / Vin) / (L f); dV = dI / (8 f C), dI ESR",
    "volt-second balance and the charge of a triangle",
    work,
    held={"ripple": lambda v: v["capacitive"] + v["resistive"]},  # at most: they do not peak together
    bench="""
q 10 14 140 162
i input 20 20
i frequency 20 66
i output 20 118
p current 158 60 170 30 182 60 194 30 206 60
w 150 90 230 90
l 262 90
w 294 90 640 90
n 400 90
w 400 90 400 104
c 400 112
w 400 120 400 132
r 400 150
w 400 168 400 178
w 150 178 640 178
o 640 90
o 640 178
i inductor 232 20
i capacitor 420 96
i esr 420 138
x current 440 40
p voltage 560 60 572 56 584 60 596 56 608 60
    """,
    planned="ripple",
)
