"""Columns of numbers from a file, and how large a file may be that they come from."""

from __future__ import annotations

import stat
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
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
    first row, None where a file has no lines. ``notes`` tell what was passed over. ``called`` says which head stands
    for what is wanted, where a person has said so.
    """

    file: Path
    values: Mapping[str, Array]
    units: Mapping[str, str]
    twice: tuple[str, ...]
    line: int | None
    notes: tuple[str, ...]
    called: Mapping[str, str] = field(default_factory=dict)

    def find(self, wanted: str, base: str) -> Array | None:
        """The column of a quantity in its base unit; None when there is none.

        ``wanted`` is a head, or a head without its unit: ``voltage_V`` finds ``voltage_mV`` and ``Voltage (mV)`` too.
        InputError when two fit, or the unit is of another kind.
        """
        name, _ = split_head(wanted)
        exact = [h for h in self.values if h == wanted]
        loose = [h for h in self.values if split_head(h)[0].lower().replace(" ", "_") == name.lower().replace(" ", "_")]
        said = [self.called[wanted]] if self.called.get(wanted) in self.values else []
        heads = said or exact or loose
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
                f"there is no column {wanted!r}; there are: {heads}. Say which of them it is "
                f"(on the command line {option})",
                file=str(self.file),
            )
        return found


# What people call a column, in small letters and without its unit.
SAID = {
    "time_s": ("time", "t", "elapsed", "seconds", "zeit", "temps", "tiempo", "tempo"),
    "power_W": ("power", "p", "watts", "pin", "p1", "active power", "leistung", "puissance", "potencia", "potenza"),
    "voltage_V": ("voltage", "v", "u", "volts", "vin", "u1", "ch1"),
    "current_A": ("current", "i", "amps", "iin", "i1", "ch2"),
    "load_percent": ("load", "load %", "load percent"),
    "input_voltage_V": ("input voltage", "vin", "v in", "uin"),
    "input_current_A": ("input current", "iin", "i in"),
    "input_power_W": ("input power", "pin", "p in"),
    "power_factor": ("power factor", "pf"),
    "output_voltage_V": ("output voltage", "vout", "v out", "uout"),
    "output_current_A": ("output current", "iout", "i out"),
    "case_temperature_degC": ("case temperature", "case", "tc", "temperature"),
}


def likely(heads: Sequence[str], wanted: Sequence[str]) -> dict[str, str]:
    """Which head most likely stands for what is wanted, by its name alone; each head once, what is not clear left
    out."""
    found: dict[str, str] = {}
    for name in wanted:
        own = split_head(name)[0].lower().replace("_", " ")
        names = (own, *SAID.get(name, ()))
        fits = [h for h in heads if split_head(h)[0].lower().replace("_", " ").strip() in names]
        if len(fits) == 1 and fits[0] not in found.values():
            found[name] = fits[0]
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
