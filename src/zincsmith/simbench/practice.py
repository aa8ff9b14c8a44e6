"""Practice: a unit whose physics nobody shows, drawn from a seed and a level, with one thing wrong, or nothing; or one
that a teacher wrote.

Only the stand-in reads the seed, or the teacher's file. What a person is told is the label, which is drawn apart from
the fault: that of one seed is the same whatever is wrong.
"""

from __future__ import annotations

import argparse
import json
import math
import random
import sys
import tomllib
from dataclasses import fields
from pathlib import Path
from typing import Any

from zincsmith.simbench.units.of_practice import FAULTS, Drawn, Sections, Truth, label_of, may_be, sound_one
from zincsmith.simbench.units.parameters import sections_of

SUFFIX = ".practice"
LEVELS = (1, 2, 3)
LABEL = {"maker", "model", "voltage_V", "current_A", "ripple_V", "load_step_V", "recovery_s", "no_load_W",
         "power_factor", "tolerance_percent", "says"}  # fmt: skip
LABEL_OF_PORTS = {"maker", "model", "total_W", "no_load_W", "tolerance_percent", "ports", "each_W", "says"}
BENCH = ("probe_ratio", "source_ohm", "tap_ohm")


def drawn(seed: int, level: int) -> Drawn:
    """ValueError for a level that there is not."""
    if level not in LEVELS:
        raise ValueError(f"there is no level {level}; there are: 1, 2, 3")
    label = label_of(seed)
    one = Drawn(sound_one(label, seed), label, Truth("", "", "", None, ""))
    dice = random.Random(f"fault {seed} {level}")
    name = dice.choice(may_be(label, level))
    one.truth = FAULTS[name][1](one, 0.5 * (level - 1), dice)
    return one


def written(text: str, file: Path) -> Drawn:
    """A unit of practice that somebody wrote: ``[label]``, ``[truth]``, ``[bench]`` beside the sections of its physics.
    ValueError with the place of what is wrong."""
    raw = tomllib.loads(text)
    label, truth, bench = (raw.pop(name, {}) for name in ("label", "truth", "bench"))
    needed = LABEL_OF_PORTS if "ports" in label else LABEL
    if missing := sorted(needed - set(label)):
        raise ValueError(f"{file.name}: [label] lacks {', '.join(missing)}: what a person reads before measuring")
    if odd := sorted(set(label) - LABEL - LABEL_OF_PORTS):
        raise ValueError(f"{file.name}: [label] has unknown keys: {', '.join(odd)}")
    known = {f.name for f in fields(Truth)}
    if not {"fault", "about"} <= set(truth) <= known:
        raise ValueError(f"{file.name}: [truth] wants fault and about, and knows {', '.join(sorted(known))}")
    if truth["fault"] not in FAULTS:
        raise ValueError(f"{file.name}: [truth] fault {truth['fault']!r} is none; there are: {', '.join(FAULTS)}")
    if odd := sorted(set(bench) - set(BENCH)):
        raise ValueError(f"{file.name}: [bench] has unknown keys: {', '.join(odd)}; there are: {', '.join(BENCH)}")
    sections_of(as_toml(raw), file)
    wrong = Truth(**{"figure": "", "value": None, "unit": ""} | truth)
    return Drawn(raw, label, wrong, **{key: float(value) for key, value in bench.items()})


def as_toml(sections: Sections) -> str:
    """As a file of physics is written."""
    tables = [
        (f"[[{name}]]" if isinstance(section, list) else f"[{name}]", one)
        for name, section in sections.items()
        for one in (section if isinstance(section, list) else [section])
    ]
    return "\n".join(
        f"{head}\n" + "".join(f"{key} = {_value(value)}\n" for key, value in table.items()) for head, table in tables
    )


def _value(value: object) -> str:
    if isinstance(value, dict):
        return f"{{ {', '.join(f'{key} = {_value(one)}' for key, one in value.items())} }}"
    if isinstance(value, list):
        return f"[{', '.join(map(_value, value))}]"
    return json.dumps(value)


def read(file: Path) -> Drawn:
    """What a file of practice stands for. ValueError for what is none."""
    said = _kept(file)
    return written(said["unit"], file) if "unit" in said else drawn(int(said["seed"]), int(said["level"]))


def _kept(file: Path) -> dict[str, Any]:
    said = json.loads(file.read_text("utf-8"))
    if not isinstance(said, dict) or not ({"seed", "level"} <= set(said) or "unit" in said):
        raise ValueError(f"{file.name} is no file of practice")
    return said


def main() -> int:
    """``new`` keeps a seed and prints the label; ``reveal`` prints what was wrong."""
    parser = argparse.ArgumentParser(prog="python -m zincsmith.simbench.practice")
    parser.add_argument("do", choices=("new", "reveal"))
    parser.add_argument("file", type=Path)
    parser.add_argument("--level", type=int, default=1)
    parser.add_argument("--seed", type=int)
    parser.add_argument("--unit", type=Path, help="one that somebody wrote (TOML), instead of one that is drawn")
    asked = parser.parse_args()
    try:
        if asked.do == "new":
            if asked.unit is not None:
                kept: dict[str, Any] = {"unit": asked.unit.read_text("utf-8")}
                made = written(kept["unit"], asked.unit)
            else:
                seed = asked.seed if asked.seed is not None else random.SystemRandom().randrange(1, 2**31)
                made, kept = drawn(seed, asked.level), {"seed": seed, "level": asked.level}
            asked.file.write_text(json.dumps(kept), "utf-8")
            asked.file.chmod(0o600)
            sys.stdout.write(json.dumps(made.label) + "\n")
            return 0
        truth = read(asked.file).truth
    except (OSError, ValueError) as error:
        sys.stderr.write(f"practice: {error}\n")
        return 2
    seed = _kept(asked.file).get("seed")
    value = truth.value if truth.value is None or math.isfinite(truth.value) else None
    told = {"fault": truth.fault, "about": truth.about, "figure": truth.figure, "value": value, "unit": truth.unit}
    sys.stdout.write(json.dumps({**told, "seed": seed}) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
