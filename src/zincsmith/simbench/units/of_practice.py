"""Units of practice: their labels, what a sound one is like, and what may be wrong with one or with its bench."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

MAKERS = ("Ashbourne", "Colvend", "Dunscore", "Fenwater", "Kelloe", "Larbert", "Pennan", "Selkirk Row")
ROOM_DEGC = 23.0
PORTED = 0.2  # of all seeds are of units whose ports negotiate
Sections = dict[str, Any]


@dataclass(frozen=True)
class Truth:
    """What is wrong, and by which figure it shows: ``about`` how much, in words."""

    fault: str
    about: str
    figure: str
    value: float | None
    unit: str


@dataclass
class Drawn:
    """``probe_ratio``, ``source_ohm`` and ``tap_ohm`` are of the bench: by what the probe at the output really divides,
    what stands between source and unit, and what a voltage tap on the unit's side burdens, none where 0."""

    sections: Sections
    label: dict[str, Any]
    truth: Truth
    probe_ratio: float = 1.0
    source_ohm: float = 0.0
    tap_ohm: float = 0.0


def label_of(seed: int) -> dict[str, Any]:
    """What is printed on it, drawn apart from what is wrong."""
    dice = random.Random(f"label {seed}")
    return _ports_label(dice) if random.Random(f"kind {seed}").random() < PORTED else _label(dice)


def sound_one(label: dict[str, Any], seed: int) -> Sections:
    """A unit that holds what its label says, with room to spare."""
    dice = random.Random(f"unit {seed}")
    return _sound_ports(label, dice) if "ports" in label else _sound(label, dice)


def _ports_label(dice: random.Random) -> dict[str, Any]:
    watts = dice.choice((60, 65, 72, 90))
    second = dice.choice((18, 20, 27))
    return {
        "maker": dice.choice(MAKERS), "model": f"{dice.choice('CU')}{watts}-{dice.randrange(10, 90)}",
        "total_W": watts, "no_load_W": 0.2, "tolerance_percent": 5.0,
        "ports": [
            {"name": "C1", "modes": [[5.0, 3.0], [9.0, 3.0], [15.0, 3.0], [20.0, round(watts / 20.0, 2)]]},
            {"name": "C2", "modes": [[5.0, 3.0], [9.0, round(second / 9.0, 2)]]},
        ],
        "each_W": [watts - second, second],
        "says": f"{watts}W max total, C1+C2 {watts - second}W+{second}W",
    }  # fmt: skip


def _sound_ports(label: dict[str, Any], dice: random.Random) -> Sections:
    watts = label["total_W"]
    rails = [
        {"name": port["name"], "voltage_V": 5.0, "setpoint_error_percent": dice.uniform(-1.0, 1.0),
         "resistance_ohm": 0.035, "efficiency": dice.uniform(0.952, 0.966),
         "modes_V": [m[0] for m in port["modes"]], "modes_A": [m[1] for m in port["modes"]]}
        for port in label["ports"]
    ]  # fmt: skip
    return {
        "output": {
            "voltage_V": 24.0, "setpoint_error_percent": 0.0, "resistance_ohm": 0.01, "line_uV_per_V": 20.0,
            "drift_uV_per_K": -200.0, "limit_A": watts / 17.0, "capacitor_F": 680e-6, "bleeder_ohm": 8200.0,
        },
        "losses": {
            "fixed_W": 0.09, "linear_W_per_A": 1.6, "square_W_per_A2": 0.12, "fixed_line_exponent": -0.05,
            "square_line_exponent": 0.35, "square_per_K": 0.0022,
        },
        "thermal": {
            "core_J_per_K": 30.0, "core_to_case_K_per_W": 2.6, "case_J_per_K": 150.0, "case_to_ambient_K_per_W": 3.1,
        },
        "start": {
            "start_V": 84.0, "stop_V": 64.0, "delay_s": 0.5, "soft_start_s": 0.05, "wake_V": 40.0, "attempt_W": 1.2,
            "start_ohm": 500e3,
        },
        "mains": {"bulk_F": 1.7e-6 * watts, "series_ohm": 1.1, "diode_V": 0.75, "x_capacitor_F": 330e-9},
        "burst": {"below_W": 3.0},
        "protection": {"kind": "hiccup", "delay_s": 0.1, "off_s": 1.0},
        "shared": {
            "alone_W": float(watts), "tells_s": 0.4, "table": [{"ports": ["C1", "C2"], "each_W": label["each_W"]}],
        },
        "rail": rails,
    }  # fmt: skip


def _label(dice: random.Random) -> dict[str, Any]:
    volts = dice.choice((12.0, 19.0, 24.0))
    watts = dice.uniform(40.0, 56.0)
    amps = round(watts / volts * 4.0) / 4.0
    return {
        "maker": dice.choice(MAKERS),
        "model": f"{dice.choice('ABCKLMNP')}{dice.choice('DKPS')}-{dice.randrange(60, 990)}",
        "voltage_V": volts, "current_A": amps, "ripple_V": round(0.006 * volts, 3),
        "load_step_V": round(0.05 * volts, 2),
        "recovery_s": 1e-3, "no_load_W": 0.21, "power_factor": 0.9, "tolerance_percent": 2.0,
        "says": "OVERLOAD PROTECTED, RECOVERS BY ITSELF",
    }  # fmt: skip


def _sound(label: dict[str, Any], dice: random.Random) -> Sections:
    """A unit that holds what its label says, with room to spare."""
    volts, amps = label["voltage_V"], label["current_A"]
    watts = volts * amps
    loss = watts * dice.uniform(0.085, 0.105)
    swing = 0.35 * amps
    return {
        "output": {
            "voltage_V": volts, "setpoint_error_percent": dice.uniform(-0.4, 0.4),
            "resistance_ohm": 0.002 * volts / amps,
            "line_uV_per_V": 30.0, "drift_uV_per_K": -300.0, "limit_A": 1.35 * amps,
            "capacitor_F": 4e-4 * amps, "bleeder_ohm": 5600.0,
        },
        "losses": {
            "fixed_W": dice.uniform(0.03, 0.05), "linear_W_per_A": 0.55 * loss / amps,
            "square_W_per_A2": 0.4 * loss / amps**2, "fixed_line_exponent": 0.1, "square_line_exponent": 0.3,
            "square_per_K": 0.002,
        },
        "thermal": {
            "core_J_per_K": 30.0, "core_to_case_K_per_W": 26.0 / loss, "case_J_per_K": 220.0,
            "case_to_ambient_K_per_W": 22.0 / loss,
        },
        "start": {
            "start_V": 78.0, "stop_V": 64.0, "delay_s": 0.35, "soft_start_s": 0.04, "wake_V": 35.0, "attempt_W": 2.0,
            "start_ohm": 600e3,
        },
        "mains": {"bulk_F": 1e-6 * watts, "series_ohm": 1.1, "diode_V": 0.8, "x_capacitor_F": 330e-9},
        "corrector": {"from_W": 22.0, "until_W": 18.0, "bulk_V": 392.0, "efficiency": 0.968, "power_factor": 0.982},
        "protection": {"kind": "hiccup", "delay_s": 0.15, "off_s": 1.1},
        "display": {"volts_error_percent": 0.15, "amps_error_percent": -0.3},
        "ripple": {
            "switching_Hz": dice.uniform(60e3, 90e3), "current_A": swing, "esr_ohm": 0.3 * label["ripple_V"] / swing,
        },
        "response": {"natural_Hz": 3500.0, "damping": 0.5, "dip_ohm": 0.5 * label["load_step_V"] / (0.8 * amps)},
    }  # fmt: skip


# What may be wrong, by the level from which on it is drawn; how much of it a level makes of it: 1 plain, 3 slight.


def _nothing(_: Drawn, __: float, ___: random.Random) -> Truth:
    return Truth("sound", "it holds what its label says", "", None, "")


def _ageing(one: Drawn, slight: float, dice: random.Random) -> Truth:
    esr, left = 9.0 - 4.0 * slight * dice.uniform(0.8, 1.0), 0.2 + 0.3 * slight
    one.sections["ageing"] = {"capacity_share": left, "esr_factor": esr}
    r = one.sections["ripple"]
    return Truth("ageing capacitor", f"{100 * left:.0f} % of its capacitance is left, {esr:.1f} times its resistance",
                 "ripple", r["current_A"] * r["esr_ohm"] * esr, "V")  # fmt: skip


def _no_corrector(one: Drawn, _: float, __: random.Random) -> Truth:
    del one.sections["corrector"]
    return Truth("missing corrector", "nothing in it corrects the power factor", "power_factor", None, "1")


def _hunting(one: Drawn, slight: float, dice: random.Random) -> Truth:
    damping = (0.015 + 0.01 * slight) * dice.uniform(0.9, 1.1)
    one.sections["response"] |= {"natural_Hz": 1800.0, "damping": damping}
    return Truth(
        "hunting", f"its loop is damped by {damping:.3f} only: it rings at 1.8 kHz", "recovery_time", None, "s"
    )


def _low_trip(one: Drawn, slight: float, dice: random.Random) -> Truth:
    limit = one.label["current_A"] * (0.88 + 0.08 * slight * dice.uniform(0.6, 1.0))
    one.sections["output"]["limit_A"] = limit
    return Truth("low trip", f"it lets go at {limit:.2f} A", "overcurrent", limit, "A")


def _overrated(one: Drawn, slight: float, dice: random.Random) -> Truth:
    """Hot where it should only be warm: at full load it switches itself off after minutes."""
    share = 0.72 + 0.1 * slight * dice.uniform(0.5, 1.0)
    thermal = one.sections["thermal"]
    rise = 48.0
    thermal |= {"shutdown_degC": ROOM_DEGC + share * rise, "restart_degC": ROOM_DEGC + 0.4 * rise}
    about = f"at {ROOM_DEGC + share * rise:.0f} °C inside it switches itself off: its full load it bears for minutes"
    return Truth("over-rated label", about, "endurance", None, "s")


def _latch(one: Drawn, _: float, __: random.Random) -> Truth:
    one.sections["protection"] = {"kind": "latching", "delay_s": 0.15}
    return Truth("latch", "once it has let go it stays off until the mains is taken away", "", None, "")


def _sagging(one: Drawn, slight: float, dice: random.Random) -> Truth:
    one.source_ohm = (22.0 - 10.0 * slight) * dice.uniform(0.9, 1.1)
    return Truth("sagging source", f"{one.source_ohm:.0f} ohm stand between the source and the unit", "", None, "")


def _wrong_probe(one: Drawn, _: float, __: random.Random) -> Truth:
    one.probe_ratio = 10.0
    return Truth("wrong probe", "the probe at the output divides by ten, the scope was told one", "", None, "")


def _lying_display(one: Drawn, slight: float, dice: random.Random) -> Truth:
    wrong = dice.choice((-1.0, 1.0)) * (6.0 - 3.0 * slight * dice.uniform(0.9, 1.0))
    what = dice.choice(("volts", "amps"))
    one.sections["display"][f"{what}_error_percent"] = wrong
    about = f"its own display shows {abs(wrong):.1f} % {'more' if wrong > 0 else 'less'} {what} than there are"
    figure = f"display_{'voltage' if what == 'volts' else 'current'}_error_percent"
    return Truth("lying display", about, figure, wrong / 100.0, "1")


def _shared_ports(one: Drawn, slight: float, dice: random.Random) -> Truth:
    """With both in use the first gives less than is printed."""
    first, second = one.label["each_W"]
    left = round(first * (0.62 + 0.12 * slight * dice.uniform(0.8, 1.0)), 1)
    one.sections["shared"]["table"] = [{"ports": ["C1", "C2"], "each_W": [left, second]}]
    return Truth("shared ports", f"beside C2 its first port offers {left:g} W, {first:g} W are printed", "shared_power",
                 left, "W")  # fmt: skip


def _swapped_tap(one: Drawn, _: float, dice: random.Random) -> Truth:
    one.tap_ohm = dice.uniform(280e3, 420e3)
    return Truth(
        "swapped tap", "the power meter's volts are tapped at the unit: its own burden counts as standby, "
        f"{1000 * 230.0**2 / one.tap_ohm:.0f} mW at 230 V", "no_load_power", None, "W",
    )  # fmt: skip


FAULTS: dict[str, tuple[int, Callable[[Drawn, float, random.Random], Truth]]] = {
    "sound": (1, _nothing), "ageing capacitor": (1, _ageing), "missing corrector": (1, _no_corrector),
    "low trip": (1, _low_trip), "hunting": (2, _hunting), "over-rated label": (2, _overrated),
    "wrong probe": (2, _wrong_probe), "latch": (2, _latch), "sagging source": (3, _sagging),
    "lying display": (2, _lying_display), "swapped tap": (3, _swapped_tap), "shared ports": (1, _shared_ports),
}  # fmt: skip
OF_PORTS = ("sound", "shared ports")  # what may be wrong where ports negotiate; the others go with one output


def may_be(label: dict[str, Any], level: int) -> list[str]:
    """What is drawn from, of a unit with this label."""
    ports = "ports" in label
    return [name for name, (least, _) in FAULTS.items()
            if least <= level and (name in OF_PORTS if ports else name != "shared ports")]  # fmt: skip
