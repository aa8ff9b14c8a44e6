"""Columns of numbers from a file, and how large a file may be that they come from."""

from __future__ import annotations

import stat
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.units_text import split_head, unit_of
from zincsmith.model.errors import InputError

Array = NDArray[np.float64]

MOST_COLUMNS = 4096
MOST_NUMBERS = 50_000_000  # of a file: 400 MB decoded, with what reading takes beside them never above 2 GB
LARGER = "larger than what is read at once: export the stretch that is needed, or fewer columns"


@dataclass(frozen=True)
class Columns:
    """Columns by their heads as they stand, in the unit they stand in; a cell without a value is NaN.

    ``units`` are units that stand apart from the head (a row below it, an attribute). ``line`` is the line of the
    first row, None where a file has no lines. ``notes`` tell what was passed over.
    """

    file: Path
    values: Mapping[str, Array]
    units: Mapping[str, str]
    twice: tuple[str, ...]
    line: int | None
    notes: tuple[str, ...]

    def find(self, wanted: str, base: str) -> Array | None:
        """The column of a quantity in its base unit; None when there is none.

        ``wanted`` is a head, or a head without its unit: ``voltage_V`` finds ``voltage_mV`` and ``Voltage (mV)`` too.
        InputError when two fit, or the unit is of another kind.
        """
        name, _ = split_head(wanted)
        exact = [h for h in self.values if h == wanted]
        loose = [h for h in self.values if split_head(h)[0].lower().replace(" ", "_") == name.lower().replace(" ", "_")]
        heads = exact or loose
        if not heads:
            return None
        if len(heads) > 1 or heads[0] in self.twice:
            raise InputError(
                f"{max(2, len(heads))} columns are called {wanted!r}; rename one, or name the column that is meant",
                file=str(self.file),
                key=wanted,
            )
        head = heads[0]
        unit = unit_of(self.units[head]) if self.units.get(head) else split_head(head)[1]
        if unit is None:
            unit = (base, 1.0)
        if unit[0] != base:
            raise InputError(
                f"column {head!r} is in {unit[0] or 'no unit'}, {base or 'a plain number'} is wanted: name another",
                file=str(self.file),
                key=wanted,
            )
        return self.values[head] * unit[1] if unit[1] != 1.0 else self.values[head]

    def need(self, wanted: str, base: str, option: str) -> Array:
        """As find; InputError, with what there is and the ``option`` that names another, when there is none."""
        found = self.find(wanted, base)
        if found is None:
            heads = ", ".join(list(self.values)[:12])
            raise InputError(
                f"there is no column {wanted!r}; there are: {heads}. Name it with {option}", file=str(self.file)
            )
        return found


def refuse_large(file: Path, most: int) -> None:
    """InputError, before anything is read, for what is no plain file or larger than ``most`` bytes."""
    try:
        facts = file.stat()
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    if not stat.S_ISREG(facts.st_mode):
        raise InputError("this is no plain file", file=str(file))
    if facts.st_size > most:
        raise InputError(f"{facts.st_size / 1e6:.0f} MB, {LARGER}", file=str(file))


def refuse_many(file: Path, numbers: int, columns: int = 1) -> None:
    """InputError, before they are read, for more numbers or columns than are read at once."""
    if columns > MOST_COLUMNS:
        raise InputError(f"{columns} columns: up to {MOST_COLUMNS} are read", file=str(file))
    if numbers > MOST_NUMBERS:
        raise InputError(f"{numbers / 1e6:.0f} million numbers, {LARGER}", file=str(file))
