"""What the efficiency rules ask of a rating."""

from __future__ import annotations

from zincsmith.rules.loader import load
from zincsmith.workshop.base import Input, Result, Sum, Values

LOW_V, LOW_A = 6.0, 0.55  # below, and from there on: the rules' own class of low volts
BASIC, LOW = "ac-dc basic", "ac-dc low voltage"


def work(v: Values) -> dict[str, float]:
    kind = LOW if v["volts"] < LOW_V and v["current"] >= LOW_A else BASIC
    eu, us, coc = (load(name) for name in ("eu-2019-1782", "us-doe-level-vi", "eu-coc-tier-2"))
    if not all(one.covers(v["power"]) for one in (eu, us, coc)):
        raise ValueError("these rules speak of supplies up to 250 W")
    return {
        "eu_active": eu.efficiency_limit(kind, v["power"]), "eu_idle": eu.no_load_limit_W(kind, v["power"]),
        "us_active": us.efficiency_limit(kind, v["power"]), "us_idle": us.no_load_limit_W(kind, v["power"]),
        "coc_active": coc.efficiency_limit(kind, v["power"]),
        "coc_ten": coc.ten_percent_limit(kind, v["power"]) or 0.0,
        "coc_idle": coc.no_load_limit_W(kind, v["power"]),
    }  # fmt: skip


SPEC = Sum(
    "efficiency_limits",
    "Limits of the efficiency rules",
    (
        Input("power", "Rated output", "W", 60.0, 0.0, 0.01, takes="plate:output_W"),
        Input("volts", "Rated volts", "V", 24.0, 0.0, 0.1, takes="plate:output_V"),
        Input("current", "Rated amps", "A", 2.5, 0.0, 1e-3, takes="plate:output_A"),
    ),
    (
        Result("eu_active", "EU 2019/1782, average active", "1"),
        Result("eu_idle", "EU 2019/1782, no load", "W"),
        Result("us_active", "US DOE Level VI, average active", "1"),
        Result("us_idle", "US DOE Level VI, no load", "W"),
        Result("coc_active", "EU Code of Conduct tier 2, average active", "1"),
        Result("coc_ten", "EU Code of Conduct tier 2, at 10 %", "1"),
        Result("coc_idle", "EU Code of Conduct tier 2, no load", "W"),
    ),
    "limit = a P + b ln P + c by bands of rated output; one output, from the mains",
    "the rule files that ship, with their editions",
    work,
    bench="""
w 60 165 400 165
w 60 165 60 20
p efficiency 60 150 80 110 110 84 160 64 240 52 400 48
t 200 40 least average efficiency
i power 440 10
i volts 440 58
i current 440 106
x eu_active 110 96
    """,
    planned="average_active_efficiency",
)
