"""What a supply costs while it runs, and while it idles."""

from __future__ import annotations

from zincsmith.workshop.base import Input, Result, Sum, Values

DAYS = 365.25


def work(v: Values) -> dict[str, float]:
    loaded = 24.0 * 0.01 * v["loaded"]
    drawn = v["output"] / (0.01 * v["efficiency"])
    yearly = DAYS * (loaded * drawn + (24.0 - loaded) * v["idle"]) / 1000.0
    lost = DAYS * (loaded * (drawn - v["output"]) + (24.0 - loaded) * v["idle"]) / 1000.0
    return {
        "energy": yearly,
        "lost": lost,
        "cost": yearly * v["tariff"] * v["years"],
        "cost_of_losses": lost * v["tariff"] * v["years"],
    }


SPEC = Sum(
    "running_cost",
    "Running cost",
    (
        Input("output", "Output while it is loaded", "W", 30.0, takes="feeding:loaded_W plate:output_W"),
        Input("efficiency", "Efficiency there", "%", 88.0, 1.0, 1.0, 100.0, takes="finding:efficiency"),
        Input("loaded", "Loaded, of the day", "%", 40.0, 0.0, 0.0, 100.0, takes="feeding:loaded_percent"),
        Input("idle", "Draws while it idles", "W", 0.2, 5.0, takes="finding:standby_power"),
        Input("tariff", "A kilowatt-hour costs", "1", 0.3, takes="feeding:tariff"),
        Input("years", "Years", "1", 5.0, takes="feeding:years"),
    ),
    (
        Result("energy", "Drawn in a year, kWh", "1"),
        Result("lost", "Of it lost, kWh", "1"),
        Result("cost", "Cost of all of it", "1"),
        Result("cost_of_losses", "Cost of what is lost", "1"),
    ),
    "kWh = 365.25 (hours loaded P / eff + hours idle P idle) / 1000",
    "energy times tariff; billed by watts, not volt-amperes",
    work,
    bench="""
w 40 170 400 170
p power 40 170 40 60 180 60 180 150 400 150
i output 50 8
i loaded 50 112
i efficiency 200 40
i idle 260 96
i tariff 440 20
i years 440 66
x cost 440 130
t 200 18 a day
    """,
)
