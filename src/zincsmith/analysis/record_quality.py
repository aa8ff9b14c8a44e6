"""Whether a record shows its signal: steps of the converter that are too few, tops that were cut off, a mean that is
none of the mains, a signal that changes while it is recorded."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

CLIPPED = 0.02  # of all samples at one end
ZERO = 0.02  # of the span: a plateau so near to zero is no end of a range
FLAT = 6.0  # times as many samples at the top as just below it
SQUARE = 8  # levels: with fewer a record is switched
COARSE = 20.0  # steps of quantization from end to end
LEAST_PERIODS = 6  # in which a change is looked for
LOOKED_AT = 200_000  # samples that the levels are counted in


def coarse_steps(record: Array) -> int | None:
    """How many steps of the converter a record fills, where these are too few; else None."""
    levels, step = _levels(record)
    span = float(np.ptp(record))
    if len(levels) <= SQUARE or step is None or span / step >= COARSE:
        return None
    return round(span / step)


def clipped_share(record: Array) -> float:
    """The share of samples that stand at the end of a range, where they are more than a signal leaves there; else 0.

    A switched record has flat tops, and a rectified current rests at zero: neither is clipped.
    """
    levels, step = _levels(record)
    if len(levels) <= SQUARE:
        return 0.0
    low, high = float(np.min(record)), float(np.max(record))
    step = step or (high - low) / 256.0
    share = max(_flat(record, high, step), _flat(-record, -low, step))
    return share if share > CLIPPED else 0.0


def change_within(record: Array, per_period: float) -> float:
    """How far the rms of the last third of whole periods lies from that of the first third, relative; 0 where there
    are too few periods to tell."""
    length = len(record)
    periods = int(length / per_period + 1e-6) if per_period > 1.0 else 0
    if periods < LEAST_PERIODS:
        return 0.0
    edge = round(periods // 3 * per_period)
    last = round(periods * per_period)
    first_rms, last_rms = (float(np.sqrt(np.mean(part**2))) for part in (record[:edge], record[last - edge : last]))
    return last_rms / first_rms - 1.0 if first_rms > 0.0 else 0.0


def _levels(record: Array) -> tuple[Array, float | None]:
    """The different values of a record, and the step between them where it is quantized."""
    levels = np.unique(record[:LOOKED_AT])
    if len(levels) < 2 or len(levels) >= len(record) / 8:
        return levels, None
    return levels, float(np.min(np.diff(levels)))


def _flat(record: Array, high: float, step: float) -> float:
    """The share of samples at the top, where the top is a plateau: nearly nothing lies just below it, and it lasts.

    The rounded top of a sine fills its highest step for about twice as long as the one below.
    """
    if abs(high) < ZERO * (high - float(np.min(record))):
        return 0.0  # rests at zero, as a rectified current does
    top = record > high - 0.5 * step
    below = int(np.count_nonzero(~top & (record > high - 1.5 * step)))
    lasts = int(np.count_nonzero(top[3:] & top[2:-1] & top[1:-2] & top[:-3]))
    count = int(np.count_nonzero(top))
    return count / len(record) if lasts and count > FLAT * below else 0.0
