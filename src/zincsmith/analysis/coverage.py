"""How often the interval value +- k u covers the truth, for the distributions that a budget is made of.

What comes from a data sheet is rectangular, what comes from repeats is normal (JCGM 101:2008, 6.4): the sum of few
rectangles covers more than a normal does at the same k.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zincsmith.model.finding import Contribution

GRID = 4096  # points of the density
SPAN = 8.0  # standard uncertainties to each side


def predicted_coverage(contributions: Sequence[Contribution], k: float) -> float:
    """Probability that a sum of these sources stays within k times its standard uncertainty.

    The densities are multiplied as characteristic functions: sin(x) / x for a rectangle, a Gaussian for repeats.
    Raises ValueError when nothing is uncertain.
    """
    density, x = _budget_density(contributions)
    inside = np.clip((k - np.abs(x)) / (x[1] - x[0]) + 0.5, 0.0, 1.0)
    return float(np.sum(density * inside) / np.sum(density))


def covering_factor(contributions: Sequence[Contribution], percent: float) -> float:
    """The k at which a sum of these sources stays within k times its standard uncertainty in ``percent`` of the cases.
    Raises ValueError when nothing is uncertain."""
    density, x = _budget_density(contributions)
    half = x >= 0.0
    within = 2.0 * (np.cumsum(density[half]) - 0.5 * density[half]) * (x[1] - x[0]) / (np.sum(density) * (x[1] - x[0]))
    return float(np.interp(percent / 100.0, within, x[half]))


def _budget_density(contributions: Sequence[Contribution]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Density of the sum in units of its standard uncertainty, on an even grid."""
    # A limit that counts as separate errors of several readings is the sum of as many rectangles.
    parted = [1 if c.separate is None or c.alike else c.count for c in contributions]
    effects = np.array([c.size / math.sqrt(n) for c, n in zip(contributions, parted, strict=True) for _ in range(n)])
    flat = [c.dof is None for c, n in zip(contributions, parted, strict=True) for _ in range(n)]
    u = math.sqrt(float(np.sum(effects**2)))
    if u == 0.0:
        raise ValueError("nothing in this budget is uncertain")
    return _density(effects / u, flat)


def _density(shares: NDArray[np.float64], flat: Sequence[bool]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    step = 2.0 * SPAN / GRID
    omega = 2.0 * math.pi * np.fft.fftfreq(GRID, step)
    spectrum = np.ones(GRID)
    for share, is_flat in zip(shares, flat, strict=True):
        if is_flat:
            spectrum *= np.sinc(omega * share * math.sqrt(3.0) / math.pi)
        else:
            spectrum *= np.exp(-0.5 * (omega * share) ** 2)
    density = np.fft.fftshift(np.real(np.fft.ifft(spectrum))) / step
    x = np.asarray((np.arange(GRID) - GRID // 2) * step, dtype=np.float64)
    return np.asarray(np.maximum(density, 0.0), dtype=np.float64), x
