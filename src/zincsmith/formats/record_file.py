"""Records as TOML files: the keys of a file are the fields of the record, so the record is their one home."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from zincsmith.formats.toml_file import key_text, line_of, load_toml, read_text, reason
from zincsmith.model.errors import InputError

T = TypeVar("T")


def bind(cls: type[T], raw: dict[str, Any], file: str, text: str, path_of: Any = tuple) -> T:
    """A record from what a TOML file holds. InputError names file, key, line and reason.

    ``path_of`` turns the place of a value in the record into its key in the file.
    """
    try:
        return TypeAdapter(cls).validate_json(json.dumps(raw, default=str))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        path = [str(part) for part in path_of(first["loc"])]
        raise InputError(reason(first), file=file, key=key_text(path), line=line_of(text, path)) from None


def raw_of(file: Path) -> tuple[dict[str, Any], str]:
    """What a TOML file holds, and its text; InputError when it is none."""
    text = read_text(file)
    return load_toml(text, str(file)), text


def listed(raw: dict[str, Any], key: str) -> list[Any]:
    """A table or an array of tables as a list."""
    value = raw.get(key, [])
    return value if isinstance(value, list) else [value]


def plain(record: Any) -> Any:
    """A record as plain values, without what is at its default: what a file needs to say."""
    if dataclasses.is_dataclass(record):
        out = {}
        for field in dataclasses.fields(record):
            value = getattr(record, field.name)
            if value is None or value == _default(field):
                continue
            out[field.name] = plain(value)
        return out
    if isinstance(record, tuple | list):
        return [plain(one) for one in record]
    if isinstance(record, dict):
        return {key: plain(value) for key, value in record.items()}
    return record


def _default(field: dataclasses.Field[Any]) -> Any:
    if field.default is not dataclasses.MISSING:
        return field.default
    if field.default_factory is not dataclasses.MISSING:
        return field.default_factory()
    return dataclasses.MISSING


def toml_text(values: dict[str, Any]) -> str:
    """Plain values as TOML: figures and texts first, then tables, arrays of tables last."""
    lines: list[str] = []
    _table(values, "", lines)
    return "\n".join(lines).strip() + "\n"


def _table(values: dict[str, Any], prefix: str, lines: list[str]) -> None:
    simple = {k: v for k, v in values.items() if not _nested(v)}
    lines += [f"{_key(k)} = {_value(v)}" for k, v in simple.items()]
    for key, value in values.items():
        name = f"{prefix}{_key(key)}"
        if isinstance(value, dict) and value and key not in simple:
            if any(not _nested(v) for v in value.values()):
                lines += ["", f"[{name}]"]
            _table(value, f"{name}.", lines)
    for key, value in values.items():
        name = f"{prefix}{_key(key)}"
        if isinstance(value, list) and key not in simple:
            for one in value:
                lines += ["", f"[[{name}]]"]
                _table(one, f"{name}.", lines)


def _nested(value: Any) -> bool:
    if isinstance(value, dict):
        return bool(value) and any(isinstance(v, dict | list | str) for v in value.values())
    return isinstance(value, list) and bool(value) and all(isinstance(v, dict) for v in value)


def _key(key: str) -> str:
    plain_key = key.replace("_", "").replace("-", "")
    return key if plain_key.isascii() and plain_key.isalnum() else _text(key)


def _text(text: str) -> str:
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return _text(value)
    if isinstance(value, float):
        return repr(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, list):
        return "[" + ", ".join(_value(one) for one in value) + "]"
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_key(k)} = {_value(v)}" for k, v in value.items()) + " }" if value else "{}"
    return str(value)
