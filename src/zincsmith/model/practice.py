"""A book of practice: a simulated unit with something wrong, or nothing, that somebody is to find."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.model.record import Record

Fault = Literal[
    "sound",
    "ageing capacitor",
    "missing corrector",
    "low trip",
    "hunting",
    "over-rated label",
    "wrong probe",
    "latch",
    "sagging source",
    "lying display",
    "swapped tap",
    "shared ports",
]
FAULTS: dict[Fault, str] = {
    "sound": "it holds what its label says, nothing is wrong",
    "ageing capacitor": "its output capacitor is not what it was",
    "missing corrector": "nothing in it corrects the power factor",
    "low trip": "it lets go below the amps of its label",
    "hunting": "its loop rings after a step",
    "over-rated label": "it bears its full load for minutes only",
    "wrong probe": "the probe at its output divides by something else than the scope was told",
    "latch": "once it has let go it stays off, where its label says that it recovers",
    "sagging source": "what feeds it gives way under load",
    "lying display": "its own display shows other volts, or amps, than there are",
    "swapped tap": "the power meter's volts are tapped at the unit, where the rig says at the source",
    "shared ports": "with both ports in use one gives less than is printed",
}  # fmt: skip


@dataclass(frozen=True)
class Truth(Record):
    """As the stand-in tells it once everything is stated; ``seed`` draws the same again, where it was drawn."""

    fault: str
    about: str
    figure: str
    value: float | None
    unit: str
    seed: int | None


@dataclass(frozen=True)
class Practice(Record):
    """``file`` is where the stand-in keeps the seed; nothing of it is in the book until ``stated`` is."""

    level: int
    file: str
    stated: str = ""
    value: float | None = None
    u: float | None = None
    by: str = ""
    truth: Truth | None = None
