"""Drop and loss of a pair of leads."""

from __future__ import annotations

from zincsmith.analysis.leads import pair_resistance
from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    ohm = pair_resistance(v["length"], v["area"], v["temperature"])
    return {"resistance": ohm, "drop": ohm * v["current"], "loss": ohm * v["current"] ** 2}


SPEC = Sum(
    "lead",
    "Lead drop and gauge",
    (
        Input("length", "Length of one lead, m", "1", 1.2),
        Input("area", "Copper of one lead, mm2", "1", 1.5, 5.0, 1e-3),
        Input("current", "Current", "A", 5.0, takes="plate:output_A"),
        Input("temperature", "Temperature", "degC", 20.0, 0.0, -60.0, 200.0),
    ),
    (Result("resistance", "Of both leads", "ohm"), Result("drop", "Drop", "V"), Result("loss", "Loss", "W")),
    "R = 2 l rho / A, rho rising by 0.393 % a kelvin",
    "resistivity of copper, IEC 60028 (value from memory)",
    work,
    bench="""
q 20 50 90 100 unit
w 110 60 580 60
w 110 140 580 140
q 580 44 90 106 load
a 120 46 440 46
i length 220 2
i area 130 74
i temperature 290 84
i current 430 84
p current 380 60 410 60
x drop 460 20
x loss 560 160
    """,
)
