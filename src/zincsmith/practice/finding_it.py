"""Books of practice: begun with a label alone, stated, scored by what was measured.

The seed stays with the stand-in, in the folder of the user's own state: nothing in the book or beside it tells the
fault. It is asked for what was wrong once a person has stated it.
"""

from __future__ import annotations

import json
import secrets
import subprocess
import sys
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

from zincsmith.book.reader import BookReader, RunRow
from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.model.claim import Condition, RuleChoice, StatedClaim
from zincsmith.model.errors import BookError, InputError
from zincsmith.model.intake import LookItem, LookOver
from zincsmith.model.label import Mode
from zincsmith.model.practice import FAULTS, Practice, Truth
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Sharing, Unit

RIG, RIG_OF_PORTS = (Path(__file__).parent / name for name in ("rig.toml", "rig_of_ports.toml"))
TAG, KEY = "PR-1", "practice"
LEVELS = (1, 2, 3)
ANSWERS_S = 20.0


def begin(book: Path, level: int, seed: int | None = None, unit: Path | None = None) -> Unit:
    """A book with a label, a rig and a unit that the stand-in draws (``seed`` repeats one), or ``unit``, that somebody
    wrote. InputError where the book is there already, the level is none, or the file is not understood."""
    if book.exists():
        raise InputError("there is a book of that name; practice begins in a new one", file=str(book))
    if level not in LEVELS:
        raise InputError(f"there is no level {level}; there are: {', '.join(map(str, LEVELS))}", key="level")
    folder = user_state_path("zincsmith") / "practice"
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / f"{secrets.token_hex(8)}.practice"
    more = ("--unit", str(unit)) if unit is not None else ("--seed", str(seed)) if seed is not None else ()
    label = _asked("new", file, "--level", str(level), *more)
    pick_file(str(file))
    of_ports = "ports" in label
    made, rig = _of_ports(label) if of_ports else _unit(label), read_rig(RIG_OF_PORTS if of_ports else RIG)
    if rig.standin is None:
        raise InputError("the rig of practice has no stand-in", file=str(RIG))
    rig = replace(rig, name="Bench of practice", standin=replace(rig.standin, file=str(file)))
    with BookWriter(book) as writer:
        writer.revise("unit", made.tag, made, "the label of a unit of practice")
        writer.revise("rig", "bench", rig, "the bench of practice")
        writer.revise("practice", KEY, Practice(level, str(file)), "a book of practice")
    return made


def _asked(do: str, file: Path, *more: str) -> dict[str, Any]:
    """The stand-in, in a process of its own. InputError in its words."""
    command = [sys.executable, "-m", "zincsmith.simbench.practice", do, str(file), *more]
    done = subprocess.run(command, capture_output=True, text=True, timeout=ANSWERS_S, check=False)
    if done.returncode:
        raise InputError(done.stderr.strip() or "the stand-in does not answer", file=str(file))
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def _unit(label: dict[str, Any]) -> Unit:
    volts, amps = label["voltage_V"], label["current_A"]
    output = OutputRating(volts, amps, round(volts * amps, 1), label["tolerance_percent"], 1.0, 0.5)
    full = Condition(load_percent=(100.0, 100.0))
    claims = (
        StatedClaim("ripple", None, label["ripple_V"], "manual", "page 2", condition=full),
        StatedClaim("load_step", None, label["load_step_V"], "manual", "page 2"),
        StatedClaim("recovery_time", None, label["recovery_s"], "manual", "page 2"),
        StatedClaim("display_voltage_error_percent", -0.01, 0.01, "manual", "page 3"),
        StatedClaim("display_current_error_percent", -0.015, 0.015, "manual", "page 3", condition=full),
        StatedClaim(
            "power_factor", label["power_factor"], None, "label", "", condition=replace(full, line_V=(230.0, 230.0))
        ),
    )
    plate = Nameplate(
        inputs=(InputRating((100.0, 240.0), (50.0, 60.0), 2.0),), outputs=(output,), claims=claims,
        no_load_power_W=label["no_load_W"], rules=(RuleChoice("us-doe-level-vi", "ac-dc basic"),),
    )  # fmt: skip
    return _labelled(label, plate)


def _of_ports(label: dict[str, Any]) -> Unit:
    """Ports that negotiate and share."""
    ports = [(one["name"], tuple(Mode(volts, amps) for volts, amps in one["modes"])) for one in label["ports"]]
    outputs = tuple(
        OutputRating(modes[-1].voltage_V, modes[-1].current_A or 0.0, tolerance_percent=label["tolerance_percent"],
                     name=name, modes=modes) for name, modes in ports
    )  # fmt: skip
    plate = Nameplate(
        inputs=(InputRating((100.0, 240.0), (50.0, 60.0), 1.6),), outputs=outputs,
        sharing=(Sharing(tuple(name for name, _ in ports), tuple(map(float, label["each_W"]))),),
        total_power_W=float(label["total_W"]), no_load_power_W=label["no_load_W"],
    )  # fmt: skip
    return replace(_labelled(label, plate), kind="usb adapter")


def _labelled(label: dict[str, Any], plate: Nameplate) -> Unit:
    look = LookOver(items=(LookItem("Label legible", "found"),), verdict="fit to power")
    return Unit(TAG, label["maker"], label["model"], plate, place="practice", label=(label["says"],), look=look)


@dataclass(frozen=True)
class Score:
    """``right`` names the fault; ``inside`` whether the stated value holds the true one within U; ``trips`` how often
    the bench had to be made safe by a watch, ``unconfirmed`` how often it was not confirmed safe."""

    right: bool
    inside: bool | None
    u: float | None
    runs: int
    minutes: float
    trips: int
    unconfirmed: int
    truth: Truth
    stated: str


def stated(reader: BookReader, fault: str, by: str, value: float | None = None, u: float | None = None) -> Practice:
    """The record of a statement, with what the stand-in tells then. InputError as ``state``."""
    practice = _of(reader)
    if fault not in FAULTS:
        raise InputError(f"there is no fault {fault!r}; there are: {', '.join(FAULTS)}", key="fault")
    if not by.strip():
        raise InputError("somebody states it: say who", key="by")
    if practice.stated:
        raise InputError(f"{practice.by} stated {practice.stated!r} already; what was wrong has been told", key="fault")
    if not [row for row in reader.runs() if row.outcome is not None]:
        raise InputError("nothing was measured yet: plan and run first", key="fault")
    truth = Truth(**_asked("reveal", Path(practice.file)))
    return replace(practice, stated=fault, value=value, u=u, by=by.strip(), truth=truth)


def state(book: Path, fault: str, by: str, value: float | None = None, u: float | None = None) -> Score:
    """What a person found; from then on it stands, and what was wrong is told. InputError for what is no fault, nobody
    who states it, a book that is none of practice, one that is stated already, and one without a run."""
    with BookReader(book) as reader:
        done = stated(reader, fault, by, value, u)
    with BookWriter(book) as writer:
        writer.revise("practice", KEY, done, "what was found was stated")
    return score(book)


def score(book: Path) -> Score:
    """Of a book whose fault was stated. InputError else."""
    with BookReader(book) as reader:
        return scored(reader)


def scored(reader: BookReader) -> Score:
    practice = _of(reader)
    if practice.truth is None:
        raise InputError("nothing was stated yet: what was wrong is told afterwards", key="fault")
    rows = [row for row in reader.runs() if row.outcome is not None]
    closed = [reader.closed(row.id) for row in rows]
    seconds = sum(_lasted_s(row) for row in rows)
    true, stated = practice.truth.value, practice.value
    inside = None if true is None or stated is None else abs(stated - true) <= max(practice.u or 0.0, 0.02 * abs(true))
    return Score(
        practice.stated == practice.truth.fault, inside, practice.u, len(rows), seconds / 60.0,
        sum(one is not None and one.outcome == "tripped" for one in closed),
        sum(one is not None and bool(one.unconfirmed) for one in closed), practice.truth, practice.stated,
    )  # fmt: skip


def words_of(one: Score) -> list[str]:
    """As a person is told, down to the truth."""
    t = one.truth
    right = "Right" if one.right else "Not right"
    lines = [f"{right}: {one.stated!r} was stated, {t.fault!r} it was: {t.about}."]
    if t.value is not None:
        lines.append(f"It shows by {t.figure.replace('_', ' ')}: {t.value:.4g} {t.unit}.")
    if one.inside is not None:
        lines.append("The stated value holds the true one." if one.inside else "The true value lies outside of it.")
    safe = "every run ended confirmed safe" if not one.unconfirmed else f"{one.unconfirmed} of them not confirmed safe"
    lines.append(f"{one.runs} runs in {one.minutes:.1f} min; stopped by a watch {one.trips} times; {safe}.")
    if t.seed is not None:
        lines.append(f"The same again: --seed {t.seed}.")
    return lines


def _lasted_s(row: RunRow) -> float:
    """By the clock on the wall."""
    if row.ended is None:
        return 0.0
    return (datetime.fromisoformat(row.ended) - datetime.fromisoformat(row.began)).total_seconds()


def _of(reader: BookReader) -> Practice:
    practice = reader.practice()
    if practice is None:
        raise BookError(f"{reader.path.name} is no book of practice")
    return practice
