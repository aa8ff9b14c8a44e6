"""Reads rule sets and works out their limits: those that ship with the program, and those a person adds as files.

A person's own lie in the folder ``rules`` of the program's configuration, or in the one that ZINCSMITH_RULES names; one
with the name of a shipped set stands in its place.
"""

from __future__ import annotations

import hashlib
import math
import tomllib
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.rules.harmonics import NAME as HARMONICS
from zincsmith.rules.harmonics import harmonic_class
from zincsmith.rules.own import own_folder


class Band(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    up_to_W: float = math.inf
    linear: float = 0.0
    ln: float = 0.0
    constant: float


class SupplyClass(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    words: str
    efficiency: list[Band] = Field(min_length=1)
    ten_percent: list[Band] = []
    no_load: list[Band] = Field(min_length=1)


class _File(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    title: str
    short: str
    document: str
    edition: str
    scope: str
    scope_W: tuple[float, float] = (0.0, math.inf)
    lines: list[tuple[float, float]] = Field(min_length=1)
    marking_lines: list[tuple[float, float]] = []
    stable_percent: float | None = None
    stable_min: float | None = None
    read_by: str
    read_on: str
    provenance: str
    classes: dict[str, SupplyClass] = Field(alias="class")


@dataclass(frozen=True)
class RuleSet:
    """A published rule; ``digest`` identifies the file that was in force when a finding was judged. ``scope_W`` is the
    span of rated output power that it speaks of; ``own`` says that a person added it."""

    name: str
    title: str
    short: str
    document: str
    edition: str
    provenance: str
    read_by: str  # who read the values against the document; empty while nobody has
    lines: tuple[Line, ...]
    marking: tuple[Line, ...]  # those of the lines that belong to a marking scheme, not to the rule itself
    stability: str  # its own rule of when a reading is steady, in words; empty where the file states none
    classes: dict[str, SupplyClass]
    digest: str
    scope_W: tuple[float, float]
    own: bool

    def covers(self, power_W: float) -> bool:
        """Whether it speaks of a rated output power."""
        return self.scope_W[0] <= power_W <= self.scope_W[1]

    def ten_percent_limit(self, supply_class: str, power_W: float) -> float | None:
        """Least efficiency at 10 % load, a plain ratio; None where it has no such limit."""
        bands = self._class(supply_class).ten_percent
        return _limit(bands, power_W) if bands else None

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
    """The rule sets for efficiency and standby that there are, a person's own among them."""
    return sorted({f.name.removesuffix(".toml") for folder in _folders() for f in _files(folder)} - {HARMONICS})


def load(name: str) -> RuleSet:
    """Load one by name; InputError when there is none or its file is wrong."""
    for folder in _folders():
        for file in _files(folder):
            if file.name == f"{name}.toml":
                return read_rules(name, file.read_bytes(), isinstance(folder, Path))
    raise InputError(f"there is no rule set {name!r}; there are: {', '.join(names())}", key="rule")


def supply_rules(choices: Iterable[RuleChoice]) -> list[tuple[RuleChoice, RuleSet]]:
    """Those of the choices that speak of efficiency and standby, with their rule sets. InputError as for load."""
    return [(c, load(c.set)) for c in choices if harmonic_class(c) is None]


@cache  # by what stands in the file: one that is edited is another
def read_rules(name: str, raw: bytes, own: bool) -> RuleSet:
    """A rule set from the text of its file. InputError, with key and reason, when it is wrong."""
    try:
        data = _File.model_validate(tomllib.loads(raw.decode("utf-8")))
    except ValidationError as error:
        first = error.errors()[0]
        key = ".".join(str(part) for part in first["loc"])
        raise InputError(first["msg"], file=f"{name}.toml", key=key) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise InputError(str(error), file=f"{name}.toml") from None
    for kind, one in data.classes.items():
        for bands in (one.efficiency, one.no_load, one.ten_percent):
            if bands and bands[-1].up_to_W < data.scope_W[1]:
                raise InputError(
                    f"the last band ends at {bands[-1].up_to_W:g} W, the scope at {data.scope_W[1]:g} W",
                    file=f"{name}.toml",
                    key=f"class.{kind}",
                )
    return RuleSet(
        name=name,
        title=data.title,
        short=data.short,
        document=data.document,
        edition=data.edition,
        provenance=data.provenance,
        read_by=data.read_by,
        lines=tuple(Line(v, f) for v, f in data.lines),
        marking=tuple(Line(v, f) for v, f in data.marking_lines),
        stability=_stability(data),
        classes=data.classes,
        digest=hashlib.sha256(raw).hexdigest()[:16],
        scope_W=data.scope_W,
        own=own,
    )


def _stability(data: _File) -> str:
    if data.stable_percent is None or data.stable_min is None:
        return ""
    return f"steady: within {data.stable_percent:g} % over {data.stable_min:g} min"


def _folders() -> list[Path | Traversable]:
    return [own_folder(), resources.files("zincsmith.rules") / "data"]


def _files(folder: Path | Traversable) -> list[Path | Traversable]:
    return [f for f in folder.iterdir() if f.name.endswith(".toml")] if folder.is_dir() else []


def _limit(bands: list[Band], power_W: float) -> float:
    band = next(b for b in bands if power_W <= b.up_to_W)
    return band.linear * power_W + (band.ln * math.log(power_W) if band.ln else 0.0) + band.constant
