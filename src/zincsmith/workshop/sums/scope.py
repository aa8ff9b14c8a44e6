"""What a scope is set to for what is looked for."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    band = 0.35 / v["edge"]
    rate = v["per_edge"] / v["edge"]
    length = v["periods"] * v["period"]
    return {"bandwidth": band, "rate": rate, "length": length, "samples": rate * length}


SPEC = Sum(
    "scope",
    "Scope settings",
    (
        Input("edge", "Fastest edge, 10 to 90 %", "s", 50e-9, 0.0, 1e-12),
        Input("period", "Period of what is looked for", "s", 10e-3, 0.0, 1e-12),
        Input("periods", "Of it", "1", 3.0, 0.0, 0.01),
        Input("per_edge", "Samples on the edge", "1", 5.0, 0.0, 1.0),
    ),
    (
        Result("bandwidth", "Bandwidth, at least", "Hz"),
        Result("rate", "Samples a second, at least", "1"),
        Result("length", "Length of the record", "s"),
        Result("samples", "Samples", "1"),
    ),
    "B = 0.35 / t rise; rate = n / t rise; samples = rate times length",
    "first-order rise time; the number of samples is common practice",
    work,
    bench="""
q 30 20 300 140
p voltage 40 90 80 90 90 50 150 50 160 120 220 120 230 60 280 60 290 90 320 90
a 40 172 320 172
i edge 350 20
i period 350 68
i periods 350 116
i per_edge 500 20
x bandwidth 500 100
    """,
)
