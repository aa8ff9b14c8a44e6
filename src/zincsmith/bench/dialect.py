"""Which dialect an instrument is spoken to in: one that ships, or a file of a person's own."""

from __future__ import annotations

from functools import cache
from importlib import resources
from pathlib import Path

from zincsmith.formats.dialect_file import parse_dialect, read_dialect
from zincsmith.model.dialect import Dialect
from zincsmith.model.errors import InputError


@cache
def dialect_for(role: str, name: str = "") -> Dialect:
    """The dialect of a name, of a file (a name ending in .toml), or the plain one of the role.

    InputError when there is none, it is wrong, or it is one of another role.
    """
    key = f"instrument.{role}.dialect"
    if name.endswith(".toml"):
        found = read_dialect(Path(name))
    else:
        file = resources.files("zincsmith.bench") / "dialects" / f"{name or role}.toml"
        if not file.is_file():
            raise InputError(f"there is no dialect {name or role!r}", key=key)
        found = parse_dialect(file.read_text("utf-8"), file.name)
    if found.role != role:
        raise InputError(f"{found.words} is a dialect of the {found.role.replace('_', ' ')}", key=key)
    return found
