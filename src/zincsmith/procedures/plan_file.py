"""Plans by name, or as TOML files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zincsmith.formats.record_file import bind, listed, plain, raw_of, toml_text
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Options, Plan, PlanWatch
from zincsmith.model.quantities import WATCHABLE
from zincsmith.procedures.catalogue import names, options_of, planned
from zincsmith.procedures.static_grid.options import GridOptions

STATIC_GRID = Plan("Static grid", (GridOptions(),))
NAMED = {"static-grid": STATIC_GRID}


def read_plan(file: Path) -> Plan:
    """Read a plan file: ``name``, and a ``[[part]]`` for each procedure in order. InputError names file, key, line.

    A plan of one procedure may say ``procedure`` at the top and its options under ``[options]``.
    """
    raw, text = raw_of(file)
    if "procedure" in raw:
        raw["part"] = [{"procedure": raw.pop("procedure"), **raw.pop("options", {})}]
    parts = listed(raw, "part")
    unknown = set(raw) - {"name", "part", "watch", "then_units"}
    if unknown:
        raise InputError("unknown key", file=str(file), key=sorted(unknown)[0])
    if not isinstance(raw.get("name"), str):
        raise InputError("is missing: a plan has a name", file=str(file), key="name")
    if not parts:
        raise InputError("a plan has at least one part", file=str(file), key="part")
    watches = [
        bind(PlanWatch, one, str(file), text, lambda path, n=n: ("watch", str(n), *path))
        for n, one in enumerate(listed(raw, "watch"))
    ]
    units = raw.get("then_units", [])
    if not isinstance(units, list) or not all(isinstance(tag, str) and tag.strip() for tag in units):
        raise InputError("lists the tags of further units", file=str(file), key="then_units")
    made = tuple(_part(part, n, str(file), text) for n, part in enumerate(parts))
    plan = Plan(raw["name"], made, tuple(watches), tuple(units))
    check_plan(plan, str(file))
    return plan


def _part(raw: Any, n: int, file: str, text: str) -> Options:
    kind = raw.get("procedure") if isinstance(raw, dict) else None
    record = options_of(kind.replace("-", "_")) if isinstance(kind, str) else None
    if record is None:
        there = f"there is no procedure {kind!r}; there are: {', '.join(names())}"
        raise InputError(there, file=file, key=f"part#{n + 1}.procedure")
    raw = {**raw, "procedure": str(kind).replace("-", "_")}
    for key in ("lines", "first_line", "line"):
        if key in raw:
            raw = {**raw, key: _lines(raw[key], file, f"part#{n + 1}.{key}")}
    return bind(record, raw, file, text, lambda path: ("part", str(n), *path))


def _lines(value: Any, file: str, key: str) -> Any:
    """``[115, 60]`` as a line, ``[12, 0]`` as one of direct current, a list of such as lines."""
    if isinstance(value, list) and len(value) == 2 and not any(isinstance(v, list) for v in value):
        return {"voltage_V": value[0], "frequency_Hz": value[1]}
    if isinstance(value, list) and all(isinstance(v, list) and len(v) == 2 for v in value):
        return [_lines(v, file, key) for v in value]
    raise InputError("each line is volts and hertz, such as [115.0, 60.0]", file=file, key=key)


def write_plan(plan: Plan) -> str:
    """The text of a plan file that reads as this plan."""

    def part(options: Options) -> dict[str, Any]:
        found = {"procedure": options.procedure, **plain(options)}
        for key, value in found.items():
            if key in ("first_line", "line"):
                found[key] = _pair(value)
            elif key == "lines":
                found[key] = [_pair(v) for v in value]
        return found

    watches = {"watch": [plain(w) for w in plan.watches]} if plan.watches else {}
    then = {"then_units": list(plan.then_units)} if plan.then_units else {}
    return toml_text({"name": plan.name, **then, "part": [part(p) for p in plan.parts], **watches})


def _pair(line: dict[str, float]) -> list[float]:
    return [line["voltage_V"], line["frequency_Hz"]]


def check_plan(plan: Plan, file: str | None = None) -> None:
    """InputError for options that no bench can carry out."""
    for watch in plan.watches:
        if watch.quantity not in WATCHABLE:
            raise InputError(f"there are: {', '.join(WATCHABLE)}", file=file, key="watch.quantity")
        if watch.low is None and watch.high is None:
            raise InputError("a watch has a lower or an upper bound", file=file, key="watch")
        if watch.low is not None and watch.high is not None and watch.low > watch.high:
            raise InputError("its lower bound lies above its upper one: nothing can meet it", file=file, key="watch")
    for part in plan.parts:
        try:
            planned(part).check()
        except InputError as error:
            raise InputError(error.message, file=file, key=error.key) from None


def find_plan(name: str) -> Plan:
    """A plan by its name, or from a file of that name. InputError when there is neither."""
    if name in NAMED:
        return NAMED[name]
    if not name.endswith(".toml"):
        raise InputError(f"there is no plan {name!r}; there are: full, {', '.join(NAMED)}, or the path of a plan file")
    return read_plan(Path(name))
