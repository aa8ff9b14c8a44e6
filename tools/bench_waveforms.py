"""A long record: the figures of its ripple, over the least that NumPy needs to look at it, and the memory it takes."""

from __future__ import annotations

import statistics
import time
import tracemalloc

import numpy as np
from scipy.signal import lfilter

from zincsmith.analysis.ripple import ripple_of

SAMPLES = 10_000_000
STEP_S = 4e-9
TURNS = 5
Row = tuple[str, float, float, float, str]


def measures() -> list[Row]:
    """(name, ratio, goal, milliseconds, spread): medians of interleaved turns; memory of what is taken beside the
    record, and the record itself, over the record."""
    t = np.arange(SAMPLES) * STEP_S
    volts = 12.0 + 0.004 * np.sin(2.0 * np.pi * 100.0 * t) + 0.02 * np.abs((t * 131e3) % 1.0 - 0.5)
    volts += 1e-3 * np.random.default_rng(1).standard_normal(SAMPLES)
    del t
    lfilter([1.0], [1.0, 0.5], volts[:9])  # SciPy is there before the clock runs
    ratios, ours = [], []
    for _ in range(TURNS):
        began = time.perf_counter()
        volts.min(), volts.max(), volts.std(), np.fft.rfft(volts)
        between = time.perf_counter()
        found = ripple_of(volts, STEP_S, 100.0)
        ours.append(time.perf_counter() - between)
        ratios.append(ours[-1] / (between - began))
    assert found.switching is not None
    assert abs(found.switching.frequency_Hz - 131e3) < 5.0
    tracemalloc.start()
    ripple_of(volts, STEP_S, 100.0)
    peak = (volts.nbytes + tracemalloc.get_traced_memory()[1]) / volts.nbytes
    tracemalloc.stop()
    spread = f"{min(ratios):.2f} to {max(ratios):.2f}"
    milliseconds = 1000.0 * statistics.median(ours)
    return [
        ("ripple of 10 M samples", statistics.median(ratios), 1.2, milliseconds, spread),
        ("ripple of 10 M samples, peak of memory", peak, 4.0, milliseconds, ""),
    ]
