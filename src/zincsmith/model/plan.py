"""A plan: the procedures of a run in their order, each with its options."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any, ClassVar

from zincsmith.model.operating_point import feed_words
from zincsmith.model.record import Record
from zincsmith.model.scope import Stood

CHECKS: dict[type, Any] = {}
CATALOGUE = "zincsmith.procedures.catalogue"  # asked by name, so that plans can be read without knowing who is in it


@dataclass(frozen=True)
class Line(Record):
    """One input condition: V rms and Hz, or V and 0 Hz for direct current."""

    voltage_V: float
    frequency_Hz: float

    @property
    def words(self) -> str:
        return feed_words(self.voltage_V, self.frequency_Hz)


LINES = (Line(115.0, 60.0), Line(230.0, 50.0))


@dataclass(frozen=True)
class Options(Record):
    """What one part of a plan asks of its procedure: a frozen record of its own for each, with the name of the
    procedure as the default of ``procedure``. In a plan that is stored, that name says which record it is.
    """

    procedure: str = ""
    attended: ClassVar[bool] = False  # it goes beyond the rating: somebody is there, whatever cut-outs there are

    @property
    def lines_used(self) -> tuple[Line, ...]:
        """The lines that points are taken at."""
        return ()

    @property
    def loads_used(self) -> tuple[float, ...]:
        """The loads that points are taken at, in percent of the rating."""
        return ()

    def stands(self) -> tuple[Stood, ...]:
        """Where it takes points and for how long they have stood by then at least, as far as that is known before."""
        return ()

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: Any) -> Any:
        if cls is not Options:
            return handler(source)
        from pydantic_core import core_schema

        return core_schema.no_info_plain_validator_function(
            _bound, serialization=core_schema.plain_serializer_function_ser_schema(_plain)
        )


@dataclass(frozen=True)
class UnknownOptions(Options):
    """Those of a procedure that is not installed here: kept as they stand, and carried out by nobody."""

    procedure: str = ""
    given: dict[str, Any] = field(default_factory=dict)


def _bound(value: Any) -> Options:
    """ValueError for what no procedure takes."""
    if isinstance(value, Options):
        return value
    if not isinstance(value, dict) or not isinstance(value.get("procedure"), str):
        raise ValueError("a part of a plan names its procedure")
    record = options_of(value["procedure"])
    if record is None:
        return UnknownOptions(value["procedure"], {k: v for k, v in value.items() if k != "procedure"})
    found: Options = _checks_of(record).validate_json(json.dumps(value))
    return found


def _checks_of(record: type[Options]) -> Any:
    """What checks the options of a procedure: made once, it takes longer than the checking."""
    from pydantic import TypeAdapter

    if record not in CHECKS:
        CHECKS[record] = TypeAdapter(record)
    return CHECKS[record]


def _plain(options: Options) -> Any:
    if isinstance(options, UnknownOptions):
        return {"procedure": options.procedure, **options.given}
    return _checks_of(type(options)).dump_python(options, mode="json")


def options_of(procedure: str) -> type[Options] | None:
    """The record of a procedure's options; None for one that is not installed, or does not load."""
    found: type[Options] | None = import_module(CATALOGUE).options_of(procedure)
    return found


@dataclass(frozen=True)
class PlanWatch(Record):
    """A limit a person adds for the whole run: make safe when ``quantity`` leaves it."""

    quantity: str
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class Plan:
    """``parts`` are carried out one after another; each says by its options which procedure it is. ``then_units`` are
    the tags of the units that the same is done with after the first, each in a run of its own behind a gate."""

    name: str
    parts: tuple[Options, ...]
    watches: tuple[PlanWatch, ...] = ()
    then_units: tuple[str, ...] = ()

    @property
    def lines(self) -> tuple[Line, ...]:
        """Every line that points are taken at, each once, in order."""
        return tuple(dict.fromkeys(line for part in self.parts for line in part.lines_used))
