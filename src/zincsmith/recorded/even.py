"""A record whose samples come evenly, out of columns with times: what gaps and uneven times are worth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError

Array = NDArray[np.float64]

SLIGHT = 1e-3  # of a step: times that are off by less are even
ROUNDED = 0.6  # of a step: times off by less are rounded or jittery, but one a step
GAP = 3  # samples that may be missing in a row
LONG_GAP = 5.0  # times the usual step
GAPS = 0.01  # of all samples


@dataclass(frozen=True)
class Even:
    """``step_s`` apart, from ``begin_s`` on; ``notes`` tell what was done to make it so."""

    columns: tuple[Array, ...]
    step_s: float
    begin_s: float
    notes: tuple[str, ...]


def rising_times(found: Columns, wanted: str) -> Array:
    """The column of times in s. InputError with the line where they do not rise."""
    times = found.need(wanted, "s", "--time")
    known = times[times == times]
    if len(known) < 2:
        raise InputError("fewer than two rows have a time", file=str(found.file), key=wanted)
    return times


def longest_gap_s(times: Array) -> float | None:
    """The longest time between two samples where it is far beyond the usual step; None where the record has no gap."""
    steps = np.diff(times)
    longest = float(np.max(steps))
    return longest if longest > LONG_GAP * float(np.median(steps)) else None


def refuse_falling(found: Columns, times: Array, wanted: str) -> None:
    """Times that go back say that records were joined, or rows lost their order: nothing is certain then."""
    back = np.flatnonzero(np.diff(times) < 0.0)
    if len(back):
        at = int(back[0]) + 1
        raise InputError(
            f"the time goes back from {times[at - 1]:g} to {times[at]:g} s (row {at + 1} of numbers): two records in "
            "one file, or rows out of order. Separate or sort them",
            file=str(found.file),
            line=found.line + at if found.line is not None else None,
            key=wanted,
        )


def _refuse_gaps(found: Columns, whole: NDArray[np.bool_], missing: int) -> None:
    longest = int(np.max(np.diff(np.flatnonzero(whole)))) - 1
    if longest > GAP or missing > GAPS * len(whole):
        raise InputError(
            f"{missing} of {len(whole)} rows are not whole, {longest} in a row: what lies between cannot be told. "
            "Record it again without gaps",
            file=str(found.file),
        )


def _rows_wanted(times: Array, step: float, missing: bool) -> int:
    """How many rows an even record over these times has: those that are there, where they are nearly as many."""
    count = round(float(times[-1] - times[0]) / step) + 1 if step > 0.0 else len(times)
    nearly = not missing and abs(count - len(times)) <= 0.02 * len(times)
    return len(times) if step <= 0.0 or nearly else count


def evenly(found: Columns, times: Array, columns: tuple[Array, ...], wanted: str) -> Even:
    """Columns at even times. InputError where too much is missing to say what lies between."""
    notes = []
    whole = times == times
    for column in columns:
        whole &= column == column
    begin, end = int(np.argmax(whole)), len(whole) - int(np.argmax(whole[::-1]))
    if not whole.any() or end - begin < 2:
        raise InputError("no two rows are whole", file=str(found.file), key=wanted)
    times, columns, whole = times[begin:end], tuple(c[begin:end] for c in columns), whole[begin:end]
    missing = len(whole) - int(np.count_nonzero(whole))
    if missing:
        _refuse_gaps(found, whole, missing)
        notes.append(f"{missing} {'row' if missing == 1 else 'rows'} not whole; bridged by straight lines")
        times, columns = times[whole], tuple(c[whole] for c in columns)
    refuse_falling(found, times, wanted)
    steps = np.diff(times)
    span = float(times[-1] - times[0])
    count = _rows_wanted(times, float(np.median(steps)), bool(missing))
    if span <= 0.0 or count < 2:
        raise InputError("all rows have one and the same time", file=str(found.file), key=wanted)
    step = span / (count - 1)
    if count == len(times):
        off = float(np.max(np.abs(times - times[0] - step * np.arange(count)))) / step
        if off <= SLIGHT:
            return Even(columns, step, float(times[0]), tuple(notes))
        if off <= ROUNDED:
            notes.append("the times are rounded or jitter by less than a step; taken as even")
            return Even(columns, step, float(times[0]), tuple(notes))
    if float(np.max(steps)) > (GAP + 1.5) * step:
        at = int(np.argmax(steps))
        raise InputError(
            f"nothing is recorded between {times[at]:g} and {times[at + 1]:g} s: what lies between cannot be told. "
            "Record it again without gaps",
            file=str(found.file),
            line=found.line + begin + at + 1 if found.line is not None and not missing else None,
            key=wanted,
        )
    if not missing:
        notes.append("the times are uneven; brought to an even step by straight lines")
    even = times[0] + step * np.arange(count)
    return Even(tuple(np.interp(even, times, c) for c in columns), step, float(times[0]), tuple(notes))
