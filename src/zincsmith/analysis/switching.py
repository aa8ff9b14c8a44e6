"""A node that switches: how often, how evenly, for which part of the time.

A cycle begins where the volts fall to their lower state; a probe without contact shows edges as pulses, and a cycle
begins with each of those that point upwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import crossing, middle_crossings, noise_of, state_levels

Array = NDArray[np.float64]
Stability = Literal["stable", "alternating", "skipping"]

LEAST_CYCLES = 8
LOW_WITHIN = 0.25  # of the step above the lower state: an interval with its mean there is one in which it conducts
PULSE_AT = 0.5  # of the largest pulse
CLUSTER = 3.0  # times further apart than the ringing within a pulse: the next pulse
SKIPPED_FROM = 1.5  # times the usual period: a cycle is missing
ALTERNATES_FROM = 0.005  # of the period between the even and the odd ones; common practice, no source
CLEAR = 6.0  # standard errors by which they have to differ


@dataclass(frozen=True)
class Switching:
    """``spread`` is that of the period, its 5 to 95 % quantiles over its median; ``jitter_s`` the standard deviation of
    the periods of whole cycles, of alternating ones about their own mean; ``duty`` the share of the period in which it
    conducts; ``missing`` counts cycles that were skipped, ``alternates`` is the difference between even and odd
    periods over their mean; ``frequency_u_Hz`` what jitter and sampling leave open of the mean."""

    frequency_Hz: float
    frequency_u_Hz: float
    spread: float
    jitter_s: float
    duty: float | None
    cycles: int
    missing: int
    alternates: float
    stability: Stability


def switching_of(values: Array, step_s: float, contact: bool = True) -> Switching | None:
    """``values`` (n,) of the node, in V, or in whatever a probe without ``contact`` gives. None where fewer than eight
    cycles stand clear of the noise."""
    begins, conducts = cycles_of(values) if contact else (_pulses(values), None)
    if len(begins) < LEAST_CYCLES + 1:
        return None
    periods = np.diff(begins) * step_s
    usual = float(np.median(periods))
    lacking = np.rint(periods / usual) - 1.0
    skipped = int(np.sum(lacking[periods > SKIPPED_FROM * usual]))
    whole = periods[periods <= SKIPPED_FROM * usual]
    even, odd = whole[::2], whole[1::2]
    apart = float(np.mean(even) - np.mean(odd))
    error = math.hypot(float(np.std(even)) / math.sqrt(len(even)), float(np.std(odd)) / math.sqrt(len(odd)))
    alternates = abs(apart) / usual
    alternating = not skipped and alternates > ALTERNATES_FROM and abs(apart) > CLEAR * error
    jitter = math.sqrt(0.5 * (float(np.var(even)) + float(np.var(odd)))) if alternating else float(np.std(whole))
    mean = 0.5 * float(np.mean(even) + np.mean(odd)) if alternating else float(np.mean(whole))
    timing = math.sqrt(2.0 / 12.0) * step_s / (len(periods) * mean)  # of the first and the last edge
    stability: Stability = "skipping" if skipped else "alternating" if alternating else "stable"
    return Switching(
        1.0 / mean, math.hypot(timing, jitter / mean / math.sqrt(len(whole))) / mean,
        float(np.ptp(np.quantile(whole, [0.05, 0.95]))) / usual, jitter,
        float(np.mean(conducts)) * step_s / mean if conducts is not None else None,
        len(periods) + skipped, skipped, alternates, stability,
    )  # fmt: skip


def cycles_of(values: Array) -> tuple[Array, Array]:
    """(begins, conducts) in samples: where each cycle begins, and how long it conducts."""
    low, high = state_levels(values)
    begins, conducts = [], []
    crossings = middle_crossings(values)
    for (begin, rises), (end, _) in pairwise(crossings):
        inside = values[math.ceil(begin) : max(math.ceil(begin) + 1, math.floor(end))]
        if not rises and float(np.mean(inside)) < low + LOW_WITHIN * (high - low):
            begins.append(begin)
            conducts.append(end - begin)
    return np.array(begins), np.array(conducts)


def _pulses(values: Array) -> Array:
    """Where each pulse upwards begins, in samples; its ringing counts with it."""
    centred = values - float(np.median(values))
    largest = float(np.quantile(centred, 1.0 - 10.0 / len(values))) if len(values) > 20 else float(np.max(centred))
    if largest <= 8.0 * noise_of(values):
        return np.empty(0)
    level = PULSE_AT * largest
    rising = np.flatnonzero((centred[1:] >= level) & (centred[:-1] < level)) + 1
    if len(rising) < 3:
        return np.empty(0)
    gaps = np.diff(rising)
    ordered = np.sort(gaps)
    steps = ordered[1:] / np.maximum(ordered[:-1], 1)
    k = int(np.argmax(steps)) if len(steps) else 0
    apart = math.sqrt(ordered[k] * ordered[k + 1]) if len(steps) and steps[k] > CLUSTER else 0.0
    first = rising[np.concatenate([[True], gaps > apart])]
    return np.array([crossing(centred, int(at), level) for at in first])
