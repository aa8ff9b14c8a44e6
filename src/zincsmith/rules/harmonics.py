"""Reads the limits for harmonics of the input current."""

from __future__ import annotations

import hashlib
import math
import tomllib
from dataclasses import dataclass
from functools import cache
from importlib import resources

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import InputError
from zincsmith.rules.own import own_folder

NAME = "iec-61000-3-2"
LEAST_W = 75.0  # of active input power, where a class does not say otherwise
NEEDED = ("A", "D")  # classes that every file of limits has


class _Row(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    orders: list[int]
    amps: float | None = None
    amps_by_order: float | None = None
    amps_a_watt: float | None = None
    amps_a_watt_by_order: float | None = None
    percent: float | None = None
    times_power_factor: bool = False


class _Class(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    not_above: str = ""
    from_class: str = ""
    times: float = Field(default=1.0, gt=0.0)
    from_W: float = LEAST_W
    up_to_W: float = 0.0
    up_to_as: str = ""
    row: list[_Row] = []


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
class Draw:
    """What a unit takes, as far as limits go by it: watts, amps of the fundamental, power factor."""

    power_W: float
    first_A: float = 0.0
    power_factor: float = 1.0


@dataclass(frozen=True)
class HarmonicLimits:
    """Limits by class, in A, in A/W where a class goes by power, in percent of the fundamental (with whether that is
    multiplied by the power factor) where it goes by that; ``digest`` identifies the file in force."""

    title: str
    edition: str
    provenance: str
    read_by: str
    amps: dict[str, dict[int, float]]
    amps_a_watt: dict[str, dict[int, float]]
    percent: dict[str, dict[int, tuple[float, bool]]]
    least_W: dict[str, float]
    small: dict[str, tuple[float, str]]  # up to so many watts a class has the amps a watt of another
    digest: str
    own: bool

    @property
    def name(self) -> str:
        return NAME

    @property
    def classes(self) -> tuple[str, ...]:
        return tuple(self.amps)

    def limits_A(self, name: str, draw: Draw) -> dict[int, float]:
        """The limit of each order that has one, A, for a class and what the unit takes."""
        up_to, other = self.small[name]
        if other and draw.power_W <= up_to:
            return {n: x * draw.power_W for n, x in self.amps_a_watt[other].items()}
        if self.percent[name]:
            return {
                n: percent / 100.0 * draw.first_A * (draw.power_factor if by_factor else 1.0)
                for n, (percent, by_factor) in self.percent[name].items()
            }
        plain, per_watt = self.amps[name], self.amps_a_watt[name]
        if not per_watt:
            return dict(plain)
        return {n: min(x * draw.power_W, plain.get(n, math.inf)) for n, x in per_watt.items()}


def load_harmonics() -> HarmonicLimits:
    """A person's own limits where there is a file of that name among the rule sets, else those that ship with the
    program. InputError, with key and reason, when the file is wrong."""
    mine = own_folder() / f"{NAME}.toml"
    own = mine.is_file()
    return read_harmonics(
        (mine if own else resources.files("zincsmith.rules") / "limits" / f"{NAME}.toml").read_bytes(), own
    )


@cache  # by what stands in the file
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
    others = [x for one in data.classes.values() for x in (one.not_above, one.from_class, one.up_to_as) if x]
    for name in (*NEEDED, *others):
        if name not in data.classes:
            raise InputError(f"has no class {name}", file=file, key="class")
    plain = {name: _amps(data.classes[one.from_class] if one.from_class else one) for name, one in data.classes.items()}
    amps = {name: plain[one.not_above or name] for name, one in data.classes.items()}
    times = {name: one.times for name, one in data.classes.items()}
    return HarmonicLimits(
        title=data.title,
        edition=f"{data.document}, edition {data.edition}",
        provenance=data.provenance,
        read_by=data.read_by,
        amps={name: {n: x * times[name] for n, x in rows.items()} for name, rows in amps.items()},
        amps_a_watt={name: _amps_a_watt(one) for name, one in data.classes.items()},
        percent={name: _percent(one) for name, one in data.classes.items()},
        least_W={name: one.from_W for name, one in data.classes.items()},
        small={name: (one.up_to_W, one.up_to_as) for name, one in data.classes.items()},
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


def _percent(one: _Class) -> dict[int, tuple[float, bool]]:
    return {
        order: (row.percent, row.times_power_factor)
        for row in one.row
        if row.percent is not None
        for order in row.orders
    }
