"""Periodic records: their frequency, and the harmonics of a known frequency, by least squares.

A record is sampled evenly. Least squares does not ask for a whole number of periods, and its normal matrix over even
samples is known in closed form, so that a long record costs little more than one product per order.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

LEAST_PERIODS = 1.0
A_PERIOD = 256  # samples a period that a long record is thinned to
SEARCHED = 7  # orders that take part in the search for the frequency
STEPS = 12
SMALL = 16_384  # samples that the frequency is first looked for in
ALONE = 0.6  # of the energy is explained by a period and its harmonics, or there is none


@dataclass(frozen=True)
class Thinned:
    """A record averaged over ``block`` samples; ``step_s`` is the time between two of its own."""

    values: Array
    step_s: float
    block: int

    def droop(self, angular: Array) -> Array:
        """How much of each angular frequency (rad/s) the averaging left."""
        half = 0.5 * angular * self.step_s / self.block
        with np.errstate(invalid="ignore", divide="ignore"):
            kept = np.sin(self.block * half) / (self.block * np.sin(half))
        return np.where(half == 0.0, 1.0, kept)

    @property
    def delay_s(self) -> float:
        """The middle of the first block, after the first sample."""
        return 0.5 * (self.block - 1) * self.step_s / self.block


def thin(values: Array, step_s: float, frequency_Hz: float, a_period: int = A_PERIOD) -> Thinned:
    """Average neighbouring samples until about ``a_period`` of them make a period."""
    block = max(1, int(1.0 / (frequency_Hz * step_s * a_period)))
    return Thinned(_averaged(values, block), step_s * block, block)


def fundamental(values: Array, step_s: float) -> float | None:
    """The frequency in Hz of the period that explains a record best; None when nothing in it repeats.

    Coarse from the spectrum, fine by Gauss-Newton on the frequency with the lowest orders beside it.
    """
    swing = values - np.mean(values)
    energy = float(np.dot(swing, swing))
    if len(values) < 8 or energy == 0.0:
        return None
    block = max(1, len(values) // SMALL)
    small = _averaged(swing, block)
    if float(np.dot(small, small)) * block < 0.5 * energy:  # averaging took the period itself away
        block, small = 1, swing[:SMALL] - np.mean(swing[:SMALL])
    step, size = step_s * block, float(np.dot(small, small))
    coarse, span_s = _coarse(small, step), step * len(small)
    # Where a spectrum of few periods is blunt, its neighbours are tried too.
    tries = [coarse] if coarse * span_s > 4.0 else [coarse * x for x in (0.7, 0.8, 0.9, 1.0, 1.1, 1.25, 1.45)]
    found = [_refine(small, step, f) for f in tries if f * span_s >= 0.75]
    if not found or size == 0.0:
        return None
    # A longer period with its own second order explains as much: the strongest line is the fundamental.
    found = [row for row in found if row[2] >= 0.5] or found
    best, left, _ = min(found, key=lambda row: row[1])
    if left > (1.0 - ALONE) * size:
        return None
    periods = best * step_s * len(values)
    fine = thin(swing, step_s, best, int(min(64.0, max(12.0, 4.0 * SMALL / periods))))
    return _refine(fine.values, fine.step_s, best)[0]


def _averaged(values: Array, block: int) -> Array:
    whole = values.shape[-1] // block
    return np.asarray(values[..., : whole * block].reshape(*values.shape[:-1], whole, block).mean(axis=-1))


def _coarse(values: Array, step_s: float) -> float:
    """The strongest line of the spectrum, between its bins by a parabola through the logarithms."""
    n = len(values)
    spectrum = np.abs(np.fft.rfft(values * np.hanning(n), 4 * n))
    at = int(np.argmax(spectrum[2:-1])) + 2
    a, b, c = np.log(np.maximum(spectrum[at - 1 : at + 2], 1e-300))
    bend = a - 2.0 * b + c
    shift = 0.5 * (a - c) / bend if bend < 0.0 else 0.0
    return float((at + shift) / (4 * n * step_s))


def _refine(values: Array, step_s: float, frequency_Hz: float) -> tuple[float, float, float]:
    """(frequency, sum of squares that is left, share of the first order) after Gauss-Newton on the frequency."""
    times = (np.arange(len(values)) - 0.5 * (len(values) - 1)) * step_s
    span = len(values) * step_s
    f = frequency_Hz
    left, share = math.inf, 0.0
    for _ in range(STEPS):
        orders = range(1, max(1, min(SEARCHED, int(0.45 / (f * step_s)))) + 1)
        turn = np.exp(2j * math.pi * f * times)
        power, columns = np.ones_like(turn), [np.ones(len(values))]
        for _k in orders:
            power = power * turn
            columns += [power.real, power.imag]
        base = np.stack(columns)
        square_of = base @ base.T
        fit = np.linalg.solve(square_of, base @ values)
        rest = values - fit @ base
        left = float(np.dot(rest, rest))
        share = float(np.sum(fit[1:3] ** 2) / max(1e-300, np.sum(fit[1:] ** 2)))
        weights = np.zeros(len(fit))  # the slope by frequency is the record turned a quarter, times its time
        for k in orders:
            weights[2 * k - 1], weights[2 * k] = k * fit[2 * k], -k * fit[2 * k - 1]
        bend = 2.0 * math.pi * times * (weights @ base)
        # What the other columns explain of the slope says nothing of the frequency.
        own = bend - np.linalg.solve(square_of, base @ bend) @ base
        square = float(np.dot(own, own))
        if square == 0.0:
            break
        step = float(np.dot(own, rest)) / square
        step = min(max(step, -0.3 / span), 0.3 / span)
        f += step
        if abs(step) < 1e-10 * f:
            break
    return f, left, share


def harmonics(values: Array, step_s: float, frequency_Hz: float, orders: int) -> NDArray[np.complex128]:
    """Complex rms of orders 0 to ``orders`` at a known frequency, phase against a cosine at the first sample.

    ``values`` (..., n) may be several records of one length; (..., orders + 1) complex, the mean is the real part of
    order 0. Raises ValueError where a record cannot show an order, by its rate or by its length.
    """
    if orders * frequency_Hz * step_s >= 0.5:
        raise ValueError(f"order {orders} lies above half the sample rate")
    record = thin(values, step_s, frequency_Hz, max(A_PERIOD, 6 * orders))
    n = record.values.shape[-1]
    if n * record.step_s * frequency_Hz < LEAST_PERIODS * 0.999 or n < 2 * orders + 1:
        raise ValueError("the record is shorter than one period")
    product = _products(record.values, 2.0 * math.pi * frequency_Hz * record.step_s, orders)
    full = np.concatenate([np.conj(product[..., :0:-1]), product], axis=-1)  # orders -K to K
    gap = np.arange(-2 * orders, 2 * orders + 1)
    angle: Array = np.asarray(2.0 * math.pi * frequency_Hz * record.step_s * gap, dtype=np.float64)
    sums = _geometric(angle, n)
    at = np.arange(2 * orders + 1)
    matrix = sums[(at[None, :] - at[:, None]) + 2 * orders]
    found = np.linalg.solve(matrix, np.moveaxis(full, -1, 0).reshape(2 * orders + 1, -1))[orders:]
    found = np.moveaxis(found.reshape(orders + 1, *full.shape[:-1]), 0, -1)
    angular: Array = np.asarray(2.0 * math.pi * frequency_Hz * np.arange(orders + 1), dtype=np.float64)
    found = found * np.exp(-1j * angular * record.delay_s) / record.droop(angular)
    found[..., 1:] *= math.sqrt(2.0)  # both halves of the line, as rms
    return np.asarray(found)


def lines_of(values: Array, count: int) -> NDArray[np.complex128]:
    """Complex rms of lines 0 to ``count``, (..., n) to (..., count + 1): the record is taken for one period of their
    spacing, which it may miss by a sample."""
    found = np.fft.rfft(values, axis=-1)[..., : count + 1] / values.shape[-1]
    found[..., 1:] *= math.sqrt(2.0)
    return np.asarray(found)


def _products(values: Array, angle: float, orders: int) -> NDArray[np.complex128]:
    """Sums of values[..., m] exp(-j k angle m) for k = 0 ... orders: the turns within a block are worked out once."""
    n = values.shape[-1]
    block = min(n, 2048)
    rows, k = n // block, np.arange(orders + 1)
    inside = np.exp(-1j * angle * np.outer(np.arange(block), k))
    cut = values[..., : rows * block].reshape(*values.shape[:-1], rows, block)
    part = cut @ inside.real + 1j * (cut @ inside.imag)
    total = np.sum(part * np.exp(-1j * angle * block * np.outer(np.arange(rows), k)), axis=-2)
    rest = values[..., rows * block :]
    total = total + np.exp(-1j * angle * rows * block * k) * (rest @ inside[: rest.shape[-1]])
    return np.asarray(total)


def _geometric(angle: Array, n: int) -> NDArray[np.complex128]:
    """Sum of exp(j angle m) over m = 0 ... n - 1, in closed form."""
    half = 0.5 * angle
    with np.errstate(invalid="ignore", divide="ignore"):
        kernel = np.sin(n * half) / np.sin(half)
    kernel = np.where(np.abs(np.sin(half)) < 1e-12, float(n), kernel)
    return np.asarray(kernel * np.exp(1j * (n - 1) * half))


def whole_periods(count: int, step_s: float, frequency_Hz: float) -> tuple[int, float]:
    """(periods, their length in samples, not whole) that a record of ``count`` samples holds from its first one on.

    A record of exactly n periods ends one sample before the next would begin; that one counts as there. The frequency
    is known with some error: a record that lacks 0.02 % of its length is taken for whole.
    """
    periods = math.floor(count * step_s * frequency_Hz * (1.0 + 2e-4))
    return periods, periods / (frequency_Hz * step_s)


def mean_over(values: Array, length: float) -> float:
    """Mean of a record from its first sample over ``length`` samples (not whole), trapezoidal, the end interpolated.

    Where the period ends behind the last sample, it ends with the value it began with.
    """
    last = len(values) - 1
    if length >= last:
        total = float(np.sum(values)) - 0.5 * (float(values[0]) + float(values[last]))
        return (total + 0.5 * (length - last) * (float(values[last]) + float(values[0]))) / length
    whole = int(length)
    rest = length - whole
    total = float(np.sum(values[:whole])) + 0.5 * (float(values[whole]) - float(values[0]))
    end = (1.0 - rest) * float(values[whole]) + rest * float(values[whole + 1])
    return (total + 0.5 * rest * (float(values[whole]) + end)) / length
