"""Losses over load: fixed, linear and square part, where a mode changes, and which point does not fit the rest."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

TERMS = 3
LEAST_A_MODE = 4  # points that a mode of its own has at least
WORTH = 10.0  # by how much the information criterion has to fall before a mode change is believed


@dataclass(frozen=True)
class LossModel:
    """P = fixed + linear I + square I^2, in W, V and ohm. ``rest`` (n,) are the residuals in W, ``deleted`` (n,) those
    against a fit without the point itself: a fit of few points follows an outlier and hides it. ``spread`` (n,) is the
    standard deviation of a deleted residual over that of one point: the fit without it is uncertain where it stood.
    ``scatter`` is the residual standard deviation, None without degrees of freedom to spare.
    """

    fixed_W: float
    linear_V: float
    square_ohm: float
    rest: Array
    deleted: Array
    spread: Array
    scatter: float | None


def fit_losses(current_A: Array, loss_W: Array) -> LossModel:
    """Least squares over (n,) points. Raises ValueError for fewer than three different currents."""
    if len(np.unique(current_A)) < TERMS:
        raise ValueError("three different currents at least are needed")
    base = np.stack([np.ones_like(current_A), current_A, current_A**2], axis=1)
    fit, *_ = np.linalg.lstsq(base, loss_W, rcond=None)
    rest = loss_W - base @ fit
    q, _ = np.linalg.qr(base)
    own = np.clip(np.sum(q * q, axis=1), 0.0, 1.0)  # leverage: how far a point draws the fit to itself
    with np.errstate(divide="ignore", invalid="ignore"):
        deleted = np.where(own < 1.0 - 1e-9, rest / (1.0 - own), np.nan)
        spread = np.where(own < 1.0 - 1e-9, 1.0 / np.sqrt(1.0 - own), np.nan)
    spare = len(current_A) - TERMS
    scatter = math.sqrt(float(np.dot(rest, rest)) / spare) if spare > 0 else None
    return LossModel(float(fit[0]), float(fit[1]), float(fit[2]), rest, deleted, spread, scatter)


def fixed_weights(current_A: Array) -> Array:
    """(n,): the fixed part of fit_losses is their sum with the losses, W."""
    base = np.stack([np.ones_like(current_A), current_A, current_A**2], axis=1)
    return np.asarray(np.linalg.pinv(base)[0])


def mode_change(current_A: Array, loss_W: Array, u_W: float) -> tuple[float, float] | None:
    """(below, above): the currents between which the losses change to another curve; None where one curve does.

    Two curves are believed when they lower the Bayesian information criterion clearly, with ``u_W`` as the least
    scatter of a point, so that no noise is read as a mode.
    """
    order = np.argsort(current_A)
    x, y = current_A[order], loss_W[order]
    n = len(x)
    if n < 2 * LEAST_A_MODE:
        return None
    one = _criterion(_squares(x, y), n, TERMS, u_W)
    best: tuple[float, int] | None = None
    for cut in range(LEAST_A_MODE, n - LEAST_A_MODE + 1):
        both = _squares(x[:cut], y[:cut]) + _squares(x[cut:], y[cut:])
        value = _criterion(both, n, 2 * TERMS + 1, u_W)
        if best is None or value < best[0]:
            best = value, cut
    if best is None or one - best[0] < WORTH:
        return None
    return float(x[best[1] - 1]), float(x[best[1]])


def _squares(x: Array, y: Array) -> float:
    if len(np.unique(x)) < TERMS:
        return math.inf
    rest = fit_losses(x, y).rest
    return float(np.dot(rest, rest))


def _criterion(squares: float, n: int, terms: int, u_W: float) -> float:
    return n * math.log(squares / n + u_W**2 + 1e-30) + terms * math.log(n)
