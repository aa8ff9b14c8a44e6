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
