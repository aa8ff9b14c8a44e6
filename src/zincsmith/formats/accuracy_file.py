"""A file that says how good each column of a table is: ``[input_power_W] reading_percent = 0.1, range = 75``."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zincsmith.model.errors import InputError


class _Row(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, strict=False)
    reading_percent: float = Field(0.0, ge=0.0, le=100.0, allow_inf_nan=False)
    range_percent: float = Field(0.0, ge=0.0, le=100.0, allow_inf_nan=False)
    range: float | str | None = None
    offset: float = Field(0.0, ge=0.0, allow_inf_nan=False)
    resolution: float = Field(0.0, ge=0.0, allow_inf_nan=False)
    noise: float = Field(0.0, ge=0.0, allow_inf_nan=False)
    nonlinearity_percent: float = Field(0.0, ge=0.0, le=100.0, allow_inf_nan=False)


@dataclass(frozen=True)
class ColumnAccuracy:
    """The data-sheet limit of one column. ``range`` is a number in the unit of the column, or the name of a column that
    holds it row by row."""

    reading_percent: float
    range_percent: float
    range: float | str | None
    offset: float
    resolution: float
    noise: float
    nonlinearity_percent: float


def read_accuracy(file: Path, columns: Sequence[str]) -> dict[str, ColumnAccuracy]:
    """Accuracy by column. InputError, with key and reason, for what is no accuracy or speaks of no column."""
    try:
        found = tomllib.loads(file.read_text("utf-8"))
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise InputError(f"is no TOML: {error}", file=str(file)) from None
    out = {}
    for name, row in found.items():
        if name not in columns:
            raise InputError(f"speaks of no column; there are: {', '.join(columns)}", file=str(file), key=name)
        if not isinstance(row, dict):
            raise InputError("a table is wanted, such as reading_percent = 0.1", file=str(file), key=name)
        try:
            known = _Row.model_validate(row)
        except ValidationError as error:
            first = error.errors()[0]
            key = ".".join([name, *(str(p) for p in first["loc"][:1])])
            raise InputError(first["msg"], file=str(file), key=key) from None
        if isinstance(known.range, float) and not 0.0 < known.range < 1e12:
            raise InputError("a range is a positive number", file=str(file), key=f"{name}.range")
        if (known.range_percent or known.nonlinearity_percent) and known.range is None:
            raise InputError("a share of the range needs the range", file=str(file), key=f"{name}.range")
        out[name] = ColumnAccuracy(**known.model_dump())
    return out
