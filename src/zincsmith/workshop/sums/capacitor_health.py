"""What an electrolytic capacitor should read."""

from __future__ import annotations

from zincsmith.analysis.capacitors import esr_limit_ohm, leakage_limit_A
from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    most = esr_limit_ohm(v["rated"], v["marked"], v["frequency"])
    return {"left": v["measured"] / v["marked"], "esr_limit": most, "worn": v["esr"] / most,
            "leakage_limit": leakage_limit_A(v["rated"], v["marked"]), "ripple": v["esr"] * v["current"]}  # fmt: skip


SPEC = Sum(
    "capacitor_health",
    "Capacitor health",
    (
        Input("marked", "As marked", "F", 1000e-6, 0.0, 1e-12),
        Input("rated", "Rated", "V", 35.0, 0.0, 1.0),
        Input("measured", "Measured", "F", 820e-6, 1.0),
        Input("esr", "Series resistance, measured", "ohm", 0.09, 3.0),
        Input("frequency", "At", "Hz", 120.0, 0.0, 20.0),
        Input("current", "Ripple current, peak to peak", "A", 1.0),
    ),
    (
        Result("left", "Of its marking", "1"),
        Result("esr_limit", "Such parts are sold with, at most", "ohm"),
        Result("worn", "Times that", "1"),
        Result("leakage_limit", "It may leak", "A"),
        Result("ripple", "Ripple by its resistance, peak to peak", "V"),
    ),
    "ESR = tan d / (2 pi f C); 0.01 C V",
    "loss tangents of general-purpose series (values from memory); IEC 60384-4",
    work,
    bench="""
c 60 60
w 60 30 60 52
w 60 68 60 84
r 60 102
w 60 120 60 150
w 20 30 480 30
w 20 150 380 150
i marked 90 40
i rated 90 96
i measured 260 40
i esr 260 96
i current 500 40
i frequency 500 96
x left 400 158
    """,
)
