"""Two files of one moment as one set of columns: an instrument may write each channel into a file of its own."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from zincsmith.formats.columns import Columns
from zincsmith.formats.table_file import read_columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import rising_times

SLIGHT = 1e-3  # of a step


def joined(first: Columns, second: Columns, time: str) -> Columns:
    """The columns of both. InputError unless both have the same times: samples are never shifted against each other."""
    one, other = rising_times(first, time), rising_times(second, time)
    step = float(np.median(np.diff(one)))
    if len(one) != len(other) or float(np.max(np.abs(one - other))) > SLIGHT * abs(step):
        raise InputError(
            f"its times are not those of {first.file.name}: records of two moments make no power. Record both channels "
            "at once",
            file=str(second.file),
            key=time,
        )
    both = dict(first.values)
    for head, column in second.values.items():
        if head not in both:
            both[head] = column
    return Columns(
        first.file,
        both,
        {**second.units, **first.units},
        (*first.twice, *second.twice),
        first.line,
        (*first.notes, *second.notes),
    )


def columns_of(files: Sequence[Path], time: str) -> Columns:
    """What one file holds, or two of one moment. InputError for what cannot be read."""
    found = read_columns(files[0])
    return joined(found, read_columns(files[1]), time) if len(files) == 2 else found
