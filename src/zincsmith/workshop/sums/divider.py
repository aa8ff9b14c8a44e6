"""The output that a divider sets, and the pair of preferred values for one that is wanted."""

from __future__ import annotations

from zincsmith.analysis.divider import pairs, upper_for
from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    return {"output": v["reference"] * (1.0 + v["upper"] / v["lower"])}


def chosen(v: Values) -> dict[str, float]:
    if not v["wanted"] > v["reference"]:
        raise ValueError("the output that is wanted lies above its reference")
    best = pairs(v["reference"], v["wanted"], f"E{v['series']:.0f}", v["reference"] / v["lower"])[0]
    return {
        "ideal": upper_for(v["reference"], v["wanted"], v["lower"]), "pair_upper": best.upper_ohm,
        "pair_lower": best.lower_ohm, "pair_output": best.out_V,
    }  # fmt: skip


SPEC = Sum(
    "divider",
    "Feedback divider",
    (
        Input("reference", "Volts of the reference, at the tap", "V", 2.5, 0.5),
        Input("upper", "From output to tap", "ohm", 100e3, 1.0),
        Input("lower", "From tap to return", "ohm", 95.3e3, 1.0, 1e-3),
        Input("wanted", "Output that is wanted", "V", 5.0, takes="plate:output_V"),
        Input("series", "Preferred values, E", "1", 96.0, 0.0, 3.0, 192.0),
    ),
    (
        Result("output", "Output", "V"),
        Result("ideal", "Above, for what is wanted, exactly", "ohm"),
        Result("pair_upper", "Nearest pair, above", "ohm"),
        Result("pair_lower", "Nearest pair, below", "ohm"),
        Result("pair_output", "Nearest pair gives", "V"),
    ),
    "V = Vref (1 + R upper / R lower)",
    "Kirchhoff, the tap takes no current; preferred values of IEC 60063 (from memory)",
    work,
    held={"output_voltage": lambda v: v["output"]},
    bench="""
w 40 20 640 20
o 640 20
w 190 20 190 34
r 190 52
w 190 70 190 116
n 190 93
r 190 134
w 190 152 190 170
w 40 170 640 170
o 640 170
g 40 170
w 190 93 300 93
w 450 93 540 93
q 540 70 100 46 compares
i upper 26 30
i lower 26 112
i reference 310 66
i wanted 310 124
i series 420 124
x output 540 132
    """,
    planned="output_voltage",
    once=chosen,
)
