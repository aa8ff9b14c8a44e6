"""Which dialect an instrument is spoken to in: one that ships, or one of a person's own whose text the rig carries.

A name that a rig carries is never opened as a path: a rig may have come with a book from somewhere else.
"""

from __future__ import annotations

import re
from functools import cache
from importlib import resources

from zincsmith.formats.dialect_file import parse_dialect
from zincsmith.model.dialect import Dialect
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LAWS, LoadLaw
from zincsmith.model.rig import Instrument
from zincsmith.model.roles import BY_LAW


@cache
def dialect_for(role: str, name: str = "", text: str = "") -> Dialect:
    """The dialect that ``text`` describes, else the one that ships under a name, else the plain one of the role.

    InputError when there is none, it is wrong, or it is one of another role.
    """
    key = f"instrument.{role}.dialect"
    if text:
        found = parse_dialect(text, name)
    elif name and not re.fullmatch(r"[a-z0-9_-]+", name):
        raise InputError(
            f"the rig names the dialect {name[:80]!r} and does not carry its text: pick the file again at Rig", key=key
        )
    else:
        file = resources.files("zincsmith.bench") / "dialects" / f"{name or role}.toml"
        if not file.is_file():
            raise InputError(f"there is no dialect {name or role!r}", key=key)
        found = parse_dialect(file.read_text("utf-8"), file.name)
    if found.role != role:
        raise InputError(f"{found.words} is a dialect of the {found.role.replace('_', ' ')}", key=key)
    return found


def laws_of(load: Instrument) -> tuple[LoadLaw, ...]:
    """By which laws a load can draw: an instrument by wire what its dialect can say, one that a person sets all of
    them; resistors the currents they are chosen for, and the law that they follow; the others a current alone."""
    if load.how == "by hand":
        if load.dummy is None:
            return LAWS
        return ("CC", "CR") if load.dummy.kind in ("resistor", "binary bank") else ("CC",)
    said = dialect_for(load.role, load.dialect, load.dialect_text).operation
    able = (law for law in LAWS if {"set_mode", f"set_{BY_LAW[law].quantity}"} <= set(said))
    return tuple(dict.fromkeys(("CC", *able)))
