"""What is left at the pins of a plug that was pulled: a capacitor that a resistance empties, V exp(-t / R C).

What reads it empties it too. With the capacitor known that part is taken off: 1 / tau = 1 / R C + 1 / (R read) C.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.turn_on_off import Departure, departure_from_course

Array = NDArray[np.float64]

FITTED_TO = 0.1  # of what stood at first: below, noise and offset tell more than the course
KEPT = 0.2  # of the crest: pulled below it, next to nothing was left to be seen
SETTLES_S = 0.5e-3  # after the pull, until contacts have parted
FITS = 64  # means of stretches that the course is laid through
ENDLESS_S = 1e5  # a time constant beyond which nothing empties it that could be seen here


@dataclass(frozen=True)
class Emptying:
    """``pulled`` in samples; ``crest_V`` of the mains before, ``stood_V`` right after the pull (signed), ``tau_s`` None
    where too little stood, ``seen_s`` how long it was recorded after the pull."""

    pulled: float
    crest_V: float
    stood_V: float
    tau_s: float | None
    seen_s: float


def pull_of(volts: Array, step_s: float) -> Departure | None:
    """Where the mains left its course; None where it never does."""
    return departure_from_course(volts, step_s)


def emptying(volts: Array, step_s: float, pull: Departure) -> Emptying:
    """``volts`` (n,) in V, at pins that were pulled at ``pull``; by a straight line through the logarithm, each stretch
    weighed by its volts, for the same noise counts more in the logarithm of less."""
    at = math.ceil(pull.at)
    before = volts[: max(8, at - 1)]
    crest = math.sqrt(2.0) * float(np.std(before))
    after = volts[min(len(volts) - 1, at + math.ceil(SETTLES_S / step_s)) :]
    stood = float(np.mean(after[: max(4, round(SETTLES_S / step_s))]))
    seen_s = len(after) * step_s
    if abs(stood) < KEPT * crest or len(after) < 2 * FITS:
        return Emptying(pull.at, crest, stood, None, seen_s)
    size = np.sign(stood) * after
    gone = np.flatnonzero(size < FITTED_TO * abs(stood))
    parts = np.array_split(size[: max(FITS, int(gone[0])) if len(gone) else len(size)], FITS)
    means = np.array([float(np.mean(part)) for part in parts])
    lengths = np.array([len(part) for part in parts])
    times = (np.cumsum(lengths) - 0.5 * lengths) * step_s
    kept = np.maximum(means, 1e-3 * abs(stood))
    slope = float(np.polyfit(times, np.log(kept), 1, w=kept)[0])
    return Emptying(pull.at, crest, stood, -1.0 / slope if slope < -1.0 / ENDLESS_S else ENDLESS_S, seen_s)


def without_reader(tau_s: float, across_ohm: float, farad: float) -> float:
    """The time constant of the pins alone, s; ENDLESS_S where what read them explains all of it."""
    own = 1.0 / tau_s - 1.0 / (across_ohm * farad)
    return 1.0 / own if own > 1.0 / ENDLESS_S else ENDLESS_S


def left_after(crest_V: float, tau_s: float, seconds: float) -> float:
    """V so long after a pull at the crest, the worst there is."""
    return crest_V * math.exp(-seconds / tau_s)
