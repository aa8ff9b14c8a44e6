"""Practice: a unit whose physics nobody shows, drawn from a seed and a level, with one thing wrong, or nothing.

Only the stand-in reads the seed. What a person is told is the label, which is drawn apart from the fault: ``label`` of
one seed is the same whatever is wrong.
"""

from __future__ import annotations

import argparse
import json
import math
import random
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

SUFFIX = ".practice"
MAKERS = ("Ashbourne", "Colvend", "Dunscore", "Fenwater", "Kelloe", "Larbert", "Pennan", "Selkirk Row")
ROOM_DEGC = 23.0
Sections = dict[str, dict[str, Any]]


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
    """``probe_ratio`` and ``source_ohm`` are of the bench."""

    sections: Sections
    label: dict[str, Any]
    truth: Truth
    probe_ratio: float = 1.0
    source_ohm: float = 0.0


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


FAULTS: dict[str, tuple[int, Callable[[Drawn, float, random.Random], Truth]]] = {
    "sound": (1, _nothing), "ageing capacitor": (1, _ageing), "missing corrector": (1, _no_corrector),
    "low trip": (1, _low_trip), "hunting": (2, _hunting), "over-rated label": (2, _overrated),
    "wrong probe": (2, _wrong_probe), "latch": (2, _latch), "sagging source": (3, _sagging),
}  # fmt: skip
LEVELS = (1, 2, 3)


def drawn(seed: int, level: int) -> Drawn:
    """ValueError for a level that there is not."""
    if level not in LEVELS:
        raise ValueError(f"there is no level {level}; there are: 1, 2, 3")
    label = _label(random.Random(f"label {seed}"))
    one = Drawn(_sound(label, random.Random(f"unit {seed}")), label, Truth("", "", "", None, ""))
    dice = random.Random(f"fault {seed} {level}")
    name = dice.choice([fault for fault, (least, _) in FAULTS.items() if least <= level])
    one.truth = FAULTS[name][1](one, 0.5 * (level - 1), dice)
    return one


def as_toml(sections: Sections) -> str:
    return "\n".join(
        f"[{name}]\n" + "\n".join(f"{key} = {json.dumps(value)}" for key, value in section.items()) + "\n"
        for name, section in sections.items()
    )


def read(file: Path) -> Drawn:
    """What a file of practice stands for. ValueError for what is none."""
    said = json.loads(file.read_text("utf-8"))
    if not isinstance(said, dict) or not {"seed", "level"} <= set(said):
        raise ValueError(f"{file.name} is no file of practice")
    return drawn(int(said["seed"]), int(said["level"]))


def main() -> int:
    """``new`` keeps a seed and prints the label; ``reveal`` prints what was wrong."""
    parser = argparse.ArgumentParser(prog="python -m zincsmith.simbench.practice")
    parser.add_argument("do", choices=("new", "reveal"))
    parser.add_argument("file", type=Path)
    parser.add_argument("--level", type=int, default=1)
    parser.add_argument("--seed", type=int)
    asked = parser.parse_args()
    try:
        if asked.do == "new":
            seed = asked.seed if asked.seed is not None else random.SystemRandom().randrange(1, 2**31)
            made = drawn(seed, asked.level)
            asked.file.write_text(json.dumps({"seed": seed, "level": asked.level}), "utf-8")
            asked.file.chmod(0o600)
            sys.stdout.write(json.dumps(made.label) + "\n")
            return 0
        truth = read(asked.file).truth
    except (OSError, ValueError) as error:
        sys.stderr.write(f"practice: {error}\n")
        return 2
    seed = json.loads(asked.file.read_text("utf-8"))["seed"]
    value = truth.value if truth.value is None or math.isfinite(truth.value) else None
    told = {"fault": truth.fault, "about": truth.about, "figure": truth.figure, "value": value, "unit": truth.unit}
    sys.stdout.write(json.dumps({**told, "seed": seed}) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
