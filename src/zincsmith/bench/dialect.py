"""Command dialects: how the operations of a role are said to one kind of instrument."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib import resources
from typing import Literal

from pydantic import BaseModel, ConfigDict, ValidationError, model_validator

from zincsmith.model.errors import InputError

OPERATIONS = {
    "ac_source": {"set_voltage", "get_voltage", "set_frequency", "get_frequency", "set_output", "get_output"},
    "load": {"set_current", "get_current", "set_input", "get_input", "read"},
    "power_meter": {"read"},
    "voltmeter": {"read"},
    "thermometer": {"read"},
    "clock": {"advance", "get_time"},
}


class Operation(BaseModel):
    """Either a command with ``{value}``, or a query with the form of its reply."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    command: str | None = None
    query: str | None = None
    reply: Literal["number", "numbers", "boolean", "error"] | None = None
    quantities: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _one_of_both(self) -> Operation:
        if (self.command is None) == (self.query is None) or (self.query is None) != (self.reply is None):
            raise ValueError("an operation is a command, or a query with a reply format")
        return self


class Dialect(BaseModel):
    """All operations of one instrument."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    role: str
    words: str
    operation: dict[str, Operation]

    @model_validator(mode="after")
    def _complete(self) -> Dialect:
        missing = OPERATIONS.get(self.role, set()) - set(self.operation)
        if self.role not in OPERATIONS or missing:
            raise ValueError(f"role {self.role!r} is unknown or misses operations: {', '.join(sorted(missing))}")
        return self


@cache
def dialect_for(role: str, name: str = "") -> Dialect:
    """The dialect of a name, or the plain one of the role. InputError when there is none or it is wrong."""
    file = resources.files("zincsmith.bench") / "dialects" / f"{name or role}.toml"
    if not file.is_file():
        raise InputError(f"there is no dialect {name or role!r}", key=f"instrument.{role}.dialect")
    try:
        return Dialect.model_validate(tomllib.loads(file.read_text("utf-8")))
    except (ValidationError, tomllib.TOMLDecodeError) as error:
        raise InputError(str(error), file=f"{name or role}.toml") from error
