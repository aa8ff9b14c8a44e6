"""Repair or replace, as a sum."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values


def work(v: Values) -> dict[str, float]:
    fails, work_and_parts = 0.01 * v["fails"], v["part"] + v["postage"] + v["hours"] * v["rate"]
    repair = work_and_parts + v["delay"] * v["per_day"] + fails * v["new"]
    later = (v["delay"] - v["new_delay"]) * v["per_day"]
    return {
        "repair": repair,
        "replace": v["new"] + v["new_delay"] * v["per_day"],
        "saved": v["new"] + v["new_delay"] * v["per_day"] - repair,
        "even": (work_and_parts + later) / (1.0 - fails),
    }


SPEC = Sum(
    "repair_or_replace",
    "Repair or replace",
    (
        Input("part", "Parts", "1", 4.0),
        Input("postage", "Postage", "1", 5.0),
        Input("hours", "Hours of work", "1", 0.7, 30.0),
        Input("rate", "An hour costs", "1", 40.0),
        Input("delay", "Days without it", "1", 4.0, 50.0),
        Input("per_day", "A day without it costs", "1", 0.0),
        Input("fails", "It fails again", "%", 15.0, 50.0, 0.0, 99.0),
        Input("new", "A new one", "1", 60.0, takes="price:new"),
        Input("new_delay", "Days until the new one", "1", 2.0),
    ),
    (
        Result("repair", "Repair, as it is to be expected", "1"),
        Result("replace", "Replace", "1"),
        Result("saved", "Saved by the repair", "1"),
        Result("even", "Even for a new one at", "1"),
    ),
    "part + postage + time + delay + risk times a new one, against a new one and its delay",
    "expected cost; what is safe comes first",
    work,
    bench="""
q 10 4 330 180
q 356 4 320 180
t 26 16 repaired
t 372 16 a new one
i part 20 32
i postage 20 78
i hours 170 32
i rate 170 78
i delay 20 130
i fails 170 130
i new 366 32
i new_delay 366 78
i per_day 500 78
x repair 500 150
    """,
)
