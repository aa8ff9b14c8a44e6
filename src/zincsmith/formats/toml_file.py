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
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        at = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        line, column = (int(at.group(1)), int(at.group(2))) if at else (None, None)
        message = re.sub(r"\s*\(at .*\)$", "", str(error))
        raise InputError(f"this is not valid TOML: {message}", file=str(file), line=line, column=column) from None
    except RecursionError:
        raise InputError("this is not valid TOML: nested too deeply", file=str(file)) from None
    return check(raw, shape, str(file), text)


def check(raw: dict[str, Any], shape: type[Shape], file: str, text: str = "") -> Shape:
    try:
        return shape.model_validate(raw)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        path = [str(part) for part in first["loc"]]
        raise InputError(_words(first), file=file, key=".".join(path), line=line_of(text, path)) from None


def _words(error: Any) -> str:
    kind, given = error["type"], error.get("input")
    if kind == "extra_forbidden":
        return "unknown key"
    if kind == "missing":
        return "is missing"
    if kind in {"float_type", "int_type"}:
        return f"must be a number, not {given!r}"
    if kind == "string_type":
        return f"must be a text in quotes, not {given!r}"
    if kind == "finite_number":
        return f"must be a finite number, not {given!r}"
    return f"{error['msg']} (found {given!r})"


def line_of(text: str, path: list[str]) -> int | None:
    """The line, from 1, of a key in a TOML text, as far as it can be told from the text alone."""
    keys = [part for part in path if not part.isdigit()]
    if not text or not keys:
        return None
    section, fallback = "", None
    for number, line in enumerate(text.splitlines(), 1):
        header = re.match(r"\s*\[+\s*([^\]]+?)\s*\]+", line)
        if header:
            section = header.group(1).split(".")[0].strip("\"' ")
            if section == keys[0]:
                fallback = fallback or number
        elif re.match(rf"\s*[\"']?{re.escape(keys[-1])}[\"']?\s*=", line) and (len(keys) == 1 or section == keys[0]):
            return number
    return fallback
