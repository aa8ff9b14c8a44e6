"""Decision rules (JCGM 106:2012): simple and guarded acceptance, probability of conformity."""

from __future__ import annotations

import math

from zincsmith.model.finding import Verdict


def simple_verdict(value: float, low: float | None, high: float | None) -> Verdict:
    """Simple acceptance: the value alone decides; a value on the limit holds."""
    inside = (low is None or value >= low) and (high is None or value <= high)
    return Verdict.HOLDS if inside else Verdict.FAILS


def guard_band(u: float | None, k: float | None, guard: str) -> float | None:
    """The guard band w: ``U`` is k u (ISO 14253-1, from memory), ``1.645u`` leaves a worst chance of false acceptance
    of 5 %, ``none`` is simple acceptance. None where the uncertainty is not known, whatever the rule."""
    if u is None or k is None:
        return None
    return {"U": k * u, "1.645u": 1.645 * u, "none": 0.0}[guard]


def guarded_verdict(value: float, width: float | None, low: float | None, high: float | None) -> Verdict:
    """Guarded acceptance with w = ``width``: holds when value +/- w lies wholly inside, fails when wholly outside.

    An uncertainty that is not known (None) decides nothing.
    """
    if width is None:
        return Verdict.TOO_CLOSE
    lower, upper = value - width, value + width
    if (low is None or lower >= low) and (high is None or upper <= high):
        return Verdict.HOLDS
    if (low is not None and upper < low) or (high is not None and lower > high):
        return Verdict.FAILS
    return Verdict.TOO_CLOSE


def conformance_probability(value: float, u: float, low: float | None, high: float | None) -> float:
    """Probability that the true value lies in [low, high] for a normal distribution and a flat prior."""
    if u <= 0.0:
        return 1.0 if simple_verdict(value, low, high) is Verdict.HOLDS else 0.0
    above = 1.0 if high is None else _phi((high - value) / u)
    below = 0.0 if low is None else _phi((low - value) / u)
    return above - below


def _phi(z: float) -> float:
    return 0.5 * math.erfc(-z / math.sqrt(2.0))
