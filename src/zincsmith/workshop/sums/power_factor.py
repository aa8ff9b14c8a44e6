"""Watts, volt-amperes and crest."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    apparent = v["volts"] * v["current"]
    if v["power"] > apparent:
        raise ValueError(f"{v['power']:g} W are more than {apparent:g} VA")
    return {"apparent": apparent, "factor": v["power"] / apparent, "peak": v["crest"] * v["current"]}


SPEC = Sum(
    "power_factor",
    "Crest, power factor and VA",
    (
        Input("volts", "Volts, rms", "V", 230.0, 0.0, 1e-3, takes="finding:input_voltage"),
        Input("current", "Amps, rms", "A", 0.5, 0.0, 1e-9, takes="finding:input_current"),
        Input("power", "Watts", "W", 65.0, takes="finding:input_power"),
        Input("crest", "Crest factor of the amps", "1", 3.0, 0.0, 1.0),
    ),
    (
        Result("apparent", "Apparent power", "VA"),
        Result("factor", "Power factor", "1"),
        Result("peak", "Crest of the amps", "A"),
    ),
    "S = V I; factor = P / S; peak = crest I",
    "IEEE 1459 (from memory)",
    work,
    held={"power_factor": lambda v: v["factor"]},
    bench="""
p power 60 160 360 160
p voltage 60 160 360 40
w 360 160 360 40
t 150 92 VA
t 200 176 W
i volts 400 10
i current 400 58
i power 400 106
i crest 540 58
x factor 90 30
    """,
    planned="power_factor",
)
