"""Unit files: everything known about one unit as TOML, in and out. docs/unit-file.md describes the keys."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from zincsmith.formats.plate_check import check_unit
from zincsmith.formats.record_file import bind, listed, plain, raw_of, toml_text
from zincsmith.formats.toml_file import key_text, line_of
from zincsmith.model.errors import InputError
from zincsmith.model.unit import Nameplate, Unit

# What stands at the top of a file belongs to the unit or to its nameplate; tables are named in the singular.
TABLES = {
    "inputs": "input",
    "outputs": "output",
    "limits": "limit",
    "signals": "signal",
    "nodes": "node",
    "claims": "claim",
    "rules": "rule",
    "terminals": "terminal",
}
PLATE = [f.name for f in dataclasses.fields(Nameplate)]
UNIT = [f.name for f in dataclasses.fields(Unit) if f.name != "nameplate"]


def read_unit(file: Path) -> Unit:
    """Read a unit file. InputError names file, line, key and reason."""
    raw, text = raw_of(file)
    name = str(file)

    def refuse(key: str, message: str) -> InputError:
        path = key.split(".")
        return InputError(message, file=name, key=key_text(path), line=line_of(text, path))

    known = {TABLES.get(key, key) for key in (*UNIT, *PLATE)}
    for key in raw:
        if key not in known:
            raise refuse(key, "unknown key")
    plate = {key: raw[TABLES.get(key, key)] for key in PLATE if TABLES.get(key, key) in raw}
    for key, single in TABLES.items():
        if key in plate:
            plate[key] = listed(raw, single)
    for one in plate.get("inputs", []):
        _complete_input(one)
    for one in plate.get("outputs", []):
        _complete_output(one)
    rest = {key: raw[TABLES.get(key, key)] for key in UNIT if TABLES.get(key, key) in raw}
    unit = bind(Unit, {**rest, "nameplate": plate}, name, text, _path)
    if not unit.tag.strip():
        raise refuse("tag", "must not be empty: it identifies the unit in the book")
    for problem in check_unit(unit):
        raise refuse(problem.field, problem.message)
    return dataclasses.replace(unit, tag=unit.tag.strip())


def unit_text(unit: Unit) -> str:
    """The unit as a TOML file; reading it gives the same unit."""
    values = plain(unit)
    plate = values.pop("nameplate", {})
    for one in plate.get("inputs", []):
        if one.get("type") == "dc" and one.get("frequency_Hz") == []:
            del one["frequency_Hz"]
    for one, output in zip(plate.get("outputs", []), unit.nameplate.outputs, strict=True):
        if not output.fixed and (one["voltage_V"], one["current_A"]) == _headline(one):
            del one["voltage_V"], one["current_A"]
    return toml_text({TABLES.get(key, key): value for key, value in {**values, **plate}.items()})


def _path(place: Iterable[Any]) -> list[Any]:
    parts = [part for part in place if part != "nameplate"]
    return [TABLES.get(parts[0], parts[0]), *parts[1:]] if parts else []


def _complete_input(one: Any) -> None:
    if not isinstance(one, dict):
        return
    if one.get("type") == "dc":
        one.setdefault("frequency_Hz", [])
    positions = one.get("selector_V")
    if "voltage_V" not in one and isinstance(positions, list) and all(isinstance(v, int | float) for v in positions):
        one["voltage_V"] = [min(positions), max(positions)] if positions else []


def _complete_output(one: Any) -> None:
    """The headline rating of an output that states modes or a range instead of one voltage."""
    if isinstance(one, dict) and ("voltage_V" not in one or "current_A" not in one):
        voltage, current = _headline(one)
        if voltage is not None:
            one.setdefault("voltage_V", voltage)
        if current is not None:
            one.setdefault("current_A", current)


def _headline(one: dict[str, Any]) -> tuple[float | None, float | None]:
    try:
        modes = [(m["voltage_V"], m["current_A"]) for m in one.get("modes", []) if m.get("current_A") is not None]
        if modes:
            return max(modes, key=lambda m: abs(m[0]) * m[1])
        if "adjustable_V" in one:
            current = one["adjustable_A"][1] if "adjustable_A" in one else one.get("current_A")
            return one["adjustable_V"][1], current
        if one.get("programmable"):
            ranges = [
                (r["voltage_V"][1], r["current_A"]) for r in one["programmable"] if r.get("current_A") is not None
            ]
            return max(ranges, key=lambda r: r[0] * r[1])
    except (KeyError, TypeError, IndexError, ValueError, AttributeError):
        pass  # the shape is wrong: binding says where
    return None, None
