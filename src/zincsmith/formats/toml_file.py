"""TOML from outside, with the place of whatever is wrong in it."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from zincsmith.model.errors import InputError

LARGEST_BYTES = 1_000_000


class Strict(BaseModel):
    """Base of all file shapes: unknown keys, wrong types, infinite numbers are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, allow_inf_nan=False)


Shape = TypeVar("Shape", bound=Strict)


def read_text(file: Path) -> str:
    """The text of a file; InputError when it cannot be read or is no text."""
    try:
        if not file.is_file():
            raise InputError("cannot be read (there is no such file, or it is no plain one)", file=str(file))
        if file.stat().st_size > LARGEST_BYTES:
            raise InputError("larger than 1 MB; that is not a file of this kind", file=str(file))
        return file.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError:
        raise InputError("this is not a text file in UTF-8", file=str(file)) from None
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None


def read(file: Path, shape: type[Shape]) -> Shape:
    """Read and check a TOML file; the InputError names file, line and key."""
    text = read_text(file)
    return check(load_toml(text, str(file)), shape, str(file), text)


def load_toml(text: str, file: str) -> dict[str, Any]:
    """What a TOML text holds; InputError with line and column when it is none."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        at = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        line, column = (int(at.group(1)), int(at.group(2))) if at else (None, None)
        message = re.sub(r"\s*\(at .*\)$", "", str(error))
        raise InputError(f"this is not valid TOML: {message}", file=file, line=line, column=column) from None
    except RecursionError:
        raise InputError("this is not valid TOML: nested too deeply", file=file) from None


def check(raw: dict[str, Any], shape: type[Shape], file: str, text: str = "") -> Shape:
    try:
        return shape.model_validate(raw)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        path = [str(part) for part in first["loc"]]
        raise InputError(reason(first), file=file, key=key_text(path), line=line_of(text, path)) from None


def reason(error: Any) -> str:
    """Why a value was refused, in words."""
    kind, given = error["type"], error.get("input")
    if kind in {"extra_forbidden", "unexpected_keyword_argument"}:
        return "unknown key"
    if kind in {"missing", "missing_argument"}:
        return "is missing"
    if kind in {"float_type", "int_type"}:
        return f"must be a number, not {given!r}"
    if kind == "string_type":
        return f"must be a text in quotes, not {given!r}"
    if kind == "bool_type":
        return f"must be true or false, not {given!r}"
    if kind == "finite_number":
        return f"must be a finite number, not {given!r}"
    if kind == "literal_error":
        return f"must be one of {error['ctx']['expected']}, not {given!r}"
    if kind in {"tuple_type", "list_type"}:
        return f"must be a list in brackets, not {given!r}"
    if kind == "dataclass_type":
        return f"must be a table, not {given!r}"
    return f"{error['msg']} (found {given!r})"


def key_text(path: list[str]) -> str:
    """The key of a value for a person: ``output.voltage_V``; in the second such table ``output#2.voltage_V``."""
    words: list[str] = []
    for part in path:
        if not part.isdigit():
            words.append(part)
        elif words and part != "0":
            words[-1] += f"#{int(part) + 1}"
    return ".".join(words)


def line_of(text: str, path: list[str]) -> int | None:
    """The line, from 1, of a key in a TOML text, or of the nearest thing around it, told from the text alone.

    A number in the path counts the tables of that name: ``output.1.voltage_V`` is in the second ``[[output]]``.
    """
    best, found, seen = 0, None, dict[str, int]()
    prefixes: list[list[str]] = [[]]
    for number, line in enumerate(text.splitlines(), 1):
        header = re.match(r"\s*(\[+)\s*([^\]]+?)\s*\]+", line)
        entry = re.match(r"\s*([\w\-.\"' ]+?)\s*=", line)
        if header:
            name = header.group(2)
            seen[name] = seen.get(name, -1) + 1
            parts = _parts(name)
            prefixes = [parts, [*parts, str(seen[name])]]
            here = prefixes
        elif entry:
            here = [[*prefix, *_parts(entry.group(1))] for prefix in prefixes]
        else:
            continue
        for one in here:
            if len(one) > best and path[: len(one)] == one:
                best, found = len(one), number
    return found


def _parts(name: str) -> list[str]:
    return [part.strip("\"' ") for part in name.split(".")]
