"""The step of a display, estimated from the values that it showed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

MOST_DIGITS = 7  # a value with more digits was not read off a display
SLACK = 0.02  # of a step, by which a value may miss a multiple of it


def display_step(values: Sequence[float]) -> float | None:
    """The step that different values are multiples of, in their unit; of values that are all equal the last digit
    shown, which the step cannot exceed by the digits alone. None where no step is seen."""
    distinct = np.unique(np.asarray(values, dtype=np.float64))
    if len(distinct) == 0 or not np.all(np.isfinite(distinct)):
        return None
    digits = max(len(repr(float(v)).lstrip("-0.").replace(".", "")) for v in distinct)
    if digits > MOST_DIGITS:
        return None
    if len(distinct) == 1:
        text = repr(float(distinct[0]))
        return 10.0 ** -len(text.partition(".")[2]) if "e" not in text else None
    step = float(np.min(np.diff(distinct)))
    counts = (distinct - distinct[0]) / step
    return step if float(np.max(np.abs(counts - np.round(counts)))) <= SLACK else None
