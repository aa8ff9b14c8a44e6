"""How warm something gets in the end, from how it has warmed so far.

A body with one time constant: T(t) = Tf - (Tf - T0) exp(-t / tau). What warms in several stages follows that only once
the fast ones are over, so that the fit is made from several beginnings; by how much they differ is a part of U.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

Array = NDArray[np.float64]

STEADY_K, STEADY_S = 1.0, 1800.0  # drift in so long that counts as steady
LEAST = 8  # readings
BEGINNINGS = (0.0, 0.2, 0.4)  # of the record
TOLD = (-7.0, 20.0)  # of the logarithm of a time constant in s, while it is looked for
FAR = 3.0  # times the length of the record: a longer time constant is not told by it


@dataclass(frozen=True)
class Warming:
    """``final_degC`` with its standard uncertainty, the time constant, both None where the record does not bend enough
    to tell; ``drift_K`` in half an hour, None where it is shorter than that."""

    final_degC: float | None
    final_u: float | None
    tau_s: float | None
    drift_K: float | None

    @property
    def steady(self) -> bool:
        return self.drift_K is not None and abs(self.drift_K) < STEADY_K


def by_three(first: float, second: float, third: float) -> float | None:
    """The final value by three readings at equal distances of time, (T1 T3 - T2^2) / (T1 + T3 - 2 T2); None where they
    lie on a straight line."""
    bend = first + third - 2.0 * second
    return None if bend == 0.0 else (first * third - second**2) / bend


def warming_of(times: Array, degC: Array) -> Warming:
    """``times`` in s (n,), rising. ValueError for fewer than eight readings."""
    if len(times) < LEAST:
        raise ValueError(f"{len(times)} readings tell nothing of a time constant: {LEAST} at least")
    drift = _drift_K(times, degC)
    fits = [one for share in BEGINNINGS if (one := _fitted(times, degC, share)) is not None]
    if not fits:
        if drift is not None and abs(drift) < STEADY_K:  # it stands: the end of it is the end
            last = degC[times >= times[-1] - STEADY_S]
            return Warming(float(np.mean(last)), STEADY_K / math.sqrt(3.0), None, drift)
        return Warming(None, None, None, drift)
    final, u, tau = fits[-1]
    spread = max(abs(one[0] - final) for one in fits)
    return Warming(final, math.hypot(u, spread / math.sqrt(3.0)), tau, drift)


def reaches_s(warming: Warming, times: Array, degC: Array, limit_degC: float) -> float | None:
    """When it passes a limit, s from the first reading; None where it never does, or nobody can tell."""
    over = np.flatnonzero(degC >= limit_degC)
    if len(over):
        return float(times[over[0]] - times[0])
    final, tau = warming.final_degC, warming.tau_s
    if final is None or tau is None or final <= limit_degC:
        return None
    left = (final - limit_degC) / (final - float(degC[-1]))
    return float(times[-1] - times[0]) - tau * math.log(left) if left > 0.0 else None


def _drift_K(times: Array, degC: Array) -> float | None:
    if times[-1] - times[0] < 0.999 * STEADY_S:
        return None
    inside = times >= times[-1] - STEADY_S
    if int(np.sum(inside)) < 3:
        return None
    return float(np.polyfit(times[inside], degC[inside], 1)[0]) * STEADY_S


def _fitted(times: Array, degC: Array, share: float) -> tuple[float, float, float] | None:
    """(final, its standard error, tau) of what lies behind a beginning; None where it does not bend enough."""
    begin = times[0] + share * (times[-1] - times[0])
    inside = times >= begin
    t, seen = times[inside] - begin, degC[inside]
    if len(t) < LEAST:
        return None
    length = float(t[-1])
    middle = int(np.argmin(np.abs(t - 0.5 * length)))
    guess = by_three(float(seen[0]), float(seen[middle]), float(seen[-1]))
    start = [
        guess if guess is not None and abs(guess) < 1e3 else float(seen[-1]),
        float(seen[0]),
        math.log(0.5 * length),
    ]

    def off(p: Array) -> Array:
        return np.asarray(p[0] - (p[0] - p[1]) * np.exp(-t / np.exp(np.clip(p[2], *TOLD))) - seen)

    done = least_squares(off, start, method="lm", max_nfev=400)
    final, first, tau = float(done.x[0]), float(done.x[1]), math.exp(min(50.0, float(done.x[2])))
    if not done.success or tau > FAR * length:
        return None
    free = max(1, len(t) - 3)
    scatter2 = float(np.sum(done.fun**2)) / free
    try:
        covariance = np.linalg.inv(done.jac.T @ done.jac) * scatter2
    except np.linalg.LinAlgError:
        return None
    u = math.sqrt(max(0.0, float(covariance[0, 0])))
    moved = abs(final - first)
    return (final, u, tau) if moved > 4.0 * math.sqrt(scatter2) and u < moved else None
