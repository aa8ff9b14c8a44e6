"""Reads rule sets and works out their limits."""

from __future__ import annotations

import hashlib
import math
import tomllib
from dataclasses import dataclass
from importlib import resources
from importlib.resources.abc import Traversable

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line


class Band(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    up_to_W: float = math.inf
    linear: float = 0.0
    ln: float = 0.0
    constant: float


class SupplyClass(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    words: str
    efficiency: list[Band]
    no_load: list[Band]


class _File(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    title: str
    short: str
    document: str
    edition: str
    scope: str
    lines: list[tuple[float, float]]
    read_by: str
    read_on: str
    provenance: str
    classes: dict[str, SupplyClass] = Field(alias="class")


@dataclass(frozen=True)
class RuleSet:
    """A published rule; ``digest`` identifies the file that was in force when a finding was judged."""

    name: str
    title: str
    short: str
    document: str
    edition: str
    provenance: str
    lines: tuple[Line, ...]
    classes: dict[str, SupplyClass]
    digest: str

    def efficiency_limit(self, supply_class: str, power_W: float) -> float:
        """Least average active efficiency, a plain ratio, for a rated output power in W."""
        return _limit(self._class(supply_class).efficiency, power_W)

    def no_load_limit_W(self, supply_class: str, power_W: float) -> float:
        """Greatest no-load power in W for a rated output power in W."""
        return _limit(self._class(supply_class).no_load, power_W)

    def _class(self, supply_class: str) -> SupplyClass:
        try:
            return self.classes[supply_class]
        except KeyError:
            known = ", ".join(self.classes)
            raise InputError(f"{self.title} has no class {supply_class!r}; it has: {known}", key="class") from None


def names() -> list[str]:
    """The rule sets that ship with the program."""
    return sorted(f.name.removesuffix(".toml") for f in _folder().iterdir() if f.name.endswith(".toml"))


def load(name: str) -> RuleSet:
    """Load one by name; InputError when there is none or its file is wrong."""
    if name not in names():
        raise InputError(f"there is no rule set {name!r}; there are: {', '.join(names())}", key="rule")
    raw = (_folder() / f"{name}.toml").read_bytes()
    try:
        data = _File.model_validate(tomllib.loads(raw.decode("utf-8")))
    except (ValidationError, tomllib.TOMLDecodeError) as error:
        raise InputError(str(error), file=f"{name}.toml") from error
    return RuleSet(
        name=name,
        title=data.title,
        short=data.short,
        document=data.document,
        edition=data.edition,
        provenance=data.provenance,
        lines=tuple(Line(v, f) for v, f in data.lines),
        classes=data.classes,
        digest=hashlib.sha256(raw).hexdigest()[:16],
    )


def _folder() -> Traversable:
    return resources.files("zincsmith.rules") / "data"


def _limit(bands: list[Band], power_W: float) -> float:
    band = next(b for b in bands if power_W <= b.up_to_W)
    return band.linear * power_W + (band.ln * math.log(power_W) if band.ln else 0.0) + band.constant
