"""How warm it gets, and how much it may be loaded."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    return {"rise": v["power"] * v["resistance"], "temperature": v["room"] + v["power"] * v["resistance"],
            "most": (v["limit"] - v["room"]) / v["resistance"]}  # fmt: skip


SPEC = Sum(
    "heat",
    "Rise and derating",
    (
        Input("power", "Heat", "W", 6.0, 5.0),
        Input("resistance", "To the room, K/W", "1", 7.0, 10.0, 1e-3),
        Input("room", "Room", "degC", 25.0, 0.0, -60.0, 200.0),
        Input("limit", "It may be", "degC", 95.0, 0.0, -60.0, 300.0),
    ),
    (
        Result("rise", "Rise, K", "1"),
        Result("temperature", "It gets", "degC"),
        Result("most", "It may turn into heat, at most", "W"),
    ),
    "T = room + P Rth",
    "one thermal resistance",
    work,
    held={"hot_spot": lambda v: v["temperature"], "case_temperature": lambda v: v["temperature"]},
    bench="""
q 30 100 160 64
p temperature 80 90 86 76 80 62 86 48
p temperature 110 90 116 76 110 62 116 48
w 205 160 420 160
w 205 160 205 20
p power 205 50 300 50 400 160
i power 38 108
i resistance 430 64
i room 220 112
i limit 430 10
x temperature 430 140
    """,
    planned="hot_spot",
)
