"""Reads the limits for harmonics of the input current."""

from __future__ import annotations

import hashlib
import math
import tomllib
from dataclasses import dataclass
from importlib import resources

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import InputError
from zincsmith.rules.own import own_folder

NAME = "iec-61000-3-2"
NEEDED = ("A", "D")  # classes that every file of limits has


class _Row(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    orders: list[int]
    amps: float | None = None
    amps_by_order: float | None = None
    amps_a_watt: float | None = None
    amps_a_watt_by_order: float | None = None


class _Class(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    not_above: str = ""
    row: list[_Row]


class _File(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    title: str
    document: str
    edition: str
    scope: str
    read_by: str
    read_on: str
    provenance: str
    classes: dict[str, _Class] = Field(alias="class")


def harmonic_class(choice: RuleChoice) -> str | None:
    """The class of equipment where a choice speaks of harmonics, else None."""
    return choice.supply_class if choice.set == NAME else None


@dataclass(frozen=True)
class HarmonicLimits:
    """Limits by class, in A and, where a class goes by power, in A/W; ``digest`` identifies the file in force."""

    title: str
    edition: str
    provenance: str
    read_by: str
    amps: dict[str, dict[int, float]]
    amps_a_watt: dict[str, dict[int, float]]
    digest: str
    own: bool

    @property
    def name(self) -> str:
        return NAME

    @property
    def classes(self) -> tuple[str, ...]:
        return tuple(self.amps)

    def limits_A(self, name: str, power_W: float) -> dict[int, float]:
        """The limit of each order that has one, for a class and an active input power."""
        plain, per_watt = self.amps[name], self.amps_a_watt[name]
        if not per_watt:
            return dict(plain)
        return {n: min(x * power_W, plain.get(n, math.inf)) for n, x in per_watt.items()}


def load_harmonics() -> HarmonicLimits:
    """A person's own limits where there is a file of that name among the rule sets, else those that ship with the
    program. InputError, with key and reason, when the file is wrong."""
    mine = own_folder() / f"{NAME}.toml"
    own = mine.is_file()
    return read_harmonics(
        (mine if own else resources.files("zincsmith.rules") / "limits" / f"{NAME}.toml").read_bytes(), own
    )


def read_harmonics(raw: bytes, own: bool) -> HarmonicLimits:
    """Limits from the text of their file. InputError, with key and reason, when it is wrong."""
    file = f"{NAME}.toml"
    try:
        data = _File.model_validate(tomllib.loads(raw.decode("utf-8")))
    except ValidationError as error:
        first = error.errors()[0]
        raise InputError(first["msg"], file=file, key=".".join(map(str, first["loc"]))) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise InputError(str(error), file=file) from None
    for name in (*NEEDED, *(one.not_above for one in data.classes.values() if one.not_above)):
        if name not in data.classes:
            raise InputError(f"has no class {name}", file=file, key="class")
    plain = {name: _amps(one) for name, one in data.classes.items()}
    return HarmonicLimits(
        title=data.title,
        edition=f"{data.document}, edition {data.edition}",
        provenance=data.provenance,
        read_by=data.read_by,
        amps={name: plain[one.not_above or name] for name, one in data.classes.items()},
        amps_a_watt={name: _amps_a_watt(one) for name, one in data.classes.items()},
        digest=hashlib.sha256(raw).hexdigest()[:16],
        own=own,
    )


def _amps(one: _Class) -> dict[int, float]:
    out = {}
    for row in one.row:
        for order in row.orders:
            if row.amps is not None or row.amps_by_order is not None:
                out[order] = row.amps if row.amps is not None else (row.amps_by_order or 0.0) / order
    return out


def _amps_a_watt(one: _Class) -> dict[int, float]:
    out = {}
    for row in one.row:
        for order in row.orders:
            if row.amps_a_watt is not None or row.amps_a_watt_by_order is not None:
                by_order = (row.amps_a_watt_by_order or 0.0) / order
                out[order] = row.amps_a_watt if row.amps_a_watt is not None else by_order
    return out
