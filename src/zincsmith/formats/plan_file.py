"""Plans by name, or as TOML files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, get_args

from zincsmith.formats.record_file import bind, listed, plain, raw_of, toml_text
from zincsmith.model.errors import InputError
from zincsmith.model.plan import (
    BringUpOptions,
    DisplayOptions,
    GridOptions,
    HandsInOptions,
    HarmonicOptions,
    Line,
    Options,
    Plan,
    PlanWatch,
    RegimeOptions,
    RigCheckOptions,
    StandbyOptions,
)
from zincsmith.model.quantities import WATCHABLE

STATIC_GRID = Plan("Static grid", (GridOptions(),))
NAMED = {"static-grid": STATIC_GRID}
KINDS: dict[str, type[Options]] = {cls.__dataclass_fields__["procedure"].default: cls for cls in get_args(Options)}
LONGEST_S = 86400.0


def read_plan(file: Path) -> Plan:
    """Read a plan file: ``name``, and a ``[[part]]`` for each procedure in order. InputError names file, key, line.

    A plan of one procedure may say ``procedure`` at the top and its options under ``[options]``.
    """
    raw, text = raw_of(file)
    if "procedure" in raw:
        raw["part"] = [{"procedure": raw.pop("procedure"), **raw.pop("options", {})}]
    parts = listed(raw, "part")
    unknown = set(raw) - {"name", "part", "watch"}
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
    plan = Plan(raw["name"], tuple(_part(part, n, str(file), text) for n, part in enumerate(parts)), tuple(watches))
    check_plan(plan, str(file))
    return plan


def _part(raw: Any, n: int, file: str, text: str) -> Options:
    kind = raw.get("procedure") if isinstance(raw, dict) else None
    if kind not in KINDS:
        raise InputError(
            f"there is no procedure {kind!r}; there are: {', '.join(KINDS)}", file=file, key=f"part#{n + 1}.procedure"
        )
    for key in ("lines", "first_line", "line"):
        if key in raw:
            raw = {**raw, key: _lines(raw[key], file, f"part#{n + 1}.{key}")}
    return bind(KINDS[kind], raw, file, text, lambda path: ("part", str(n), *path))


def _lines(value: Any, file: str, key: str) -> Any:
    """``[115, 60]`` as a line, a list of such as lines."""
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
    return toml_text({"name": plan.name, "part": [part(p) for p in plan.parts], **watches})


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
        check = CHECKS.get(type(part))
        if check is not None:
            check(part, file)


def _check_regimes(part: RegimeOptions, file: str | None) -> None:
    _check_lines((part.line,), file, "part.line")
    if not 2.0 <= part.step_percent <= 50.0 or not 0.1 <= part.resolution_percent <= part.step_percent:
        raise InputError("steps of 2 to 50 %, closed in on to 0.1 % at best", file=file, key="part.step_percent")
    _between(1.0, 600.0, file, settle_s=part.settle_s, average_s=part.average_s)


def _check_display(part: DisplayOptions, file: str | None) -> None:
    _check_lines((part.line,), file, "part.line")
    _check_loads(part.loads_percent, file)
    _between(1.0, 3600.0, file, settle_s=part.settle_s, average_s=part.average_s)


def _check_hands_in(part: HandsInOptions, file: str | None) -> None:
    _check_lines((part.line,), file, "part.line")
    _between(0.0, LONGEST_S, file, warm_up_s=part.warm_up_s)


def _check_harmonics(part: HarmonicOptions, file: str | None) -> None:
    _check_lines(part.lines, file, "part.lines")
    _check_loads(part.loads_percent, file)
    _between(1.0, 3600.0, file, settle_s=part.settle_s, average_s=part.average_s)
    _between(0.2, 10.0, file, record_s=part.record_s)


def _check_standby(part: StandbyOptions, file: str | None) -> None:
    _check_lines(part.lines, file, "part.lines")
    _between(0.0, LONGEST_S, file, warm_up_s=part.warm_up_s)
    _between(10.0, 600.0, file, block_s=part.block_s)
    if not 900.0 <= part.at_least_s <= part.at_most_s <= LONGEST_S:
        raise InputError("15 min at least, and no more than at_most_s", file=file, key="part.at_least_s")
    if not 0.0 <= part.leakage_W <= 10.0:
        raise InputError("must lie between 0 and 10 W", file=file, key="part.leakage_W")


def _check_bring_up(part: BringUpOptions, file: str | None) -> None:
    _check_lines((part.first_line,), file, "part.first_line")
    if not 1.0 <= part.step_percent <= 50.0 or not 0.1 <= part.resolution_V <= 50.0:
        raise InputError("steps of 1 to 50 % and 0.1 to 50 V are needed", file=file, key="part.step_percent")
    _between(1.0, 600.0, file, step_s=part.step_s)
    if not 0.0 < part.light_load_percent <= 100.0:
        raise InputError("must lie above 0 and up to 100 %", file=file, key="part.light_load_percent")


def _check_rig_check(part: RigCheckOptions, file: str | None) -> None:
    _check_lines((part.line,), file, "part.line")
    _between(1.0, 3600.0, file, readings_s=part.readings_s)
    if not 0.0 <= part.load_percent <= 100.0:
        raise InputError("must lie between 0 and 100 %", file=file, key="part.load_percent")


def _between(least: float, most: float, file: str | None, **times: float) -> None:
    for name, seconds in times.items():
        if not least <= seconds <= most:
            raise InputError(f"must lie between {least:g} and {most:g} s", file=file, key=f"part.{name}")


def _check_lines(lines: tuple[Line, ...], file: str | None, key: str) -> None:
    if not lines or any(not 1.0 <= x.voltage_V <= 1000.0 or not 40.0 <= x.frequency_Hz <= 440.0 for x in lines):
        raise InputError("name at least one line of 1 to 1000 V and 40 to 440 Hz", file=file, key=key)


def _check_loads(loads: tuple[float, ...], file: str | None) -> None:
    if not loads or any(not 0.0 <= x <= 110.0 for x in loads) or len(set(loads)) != len(loads):
        raise InputError("loads must differ and lie between 0 and 110 %", file=file, key="part.loads_percent")


MOST_TURNS = 100


def _check_grid(options: GridOptions, file: str | None) -> None:
    times = (options.warm_up_s, options.rewarm_s, options.settle_s, options.settle_at_most_s)
    _check_lines(options.lines, file, "part.lines")
    _check_loads(options.loads_percent, file)
    if any(not 0.0 <= t <= LONGEST_S for t in times):
        raise InputError("times must lie between 0 and 86400 s", file=file, key="part")
    if not 0 <= options.refine_points <= 100:
        raise InputError("must lie between 0 and 100", file=file, key="part.refine_points")
    for key in ("turns", "line_turns"):
        if not 0 <= getattr(options, key) <= MOST_TURNS:
            raise InputError(f"must lie between 0 and {MOST_TURNS}", file=file, key=f"part.{key}")
    _between(0.0, 60.0, file, at_once_s=options.at_once_s)
    _between(1.0, 3600.0, file, average_s=options.average_s)
    if not 4.0 <= options.settled_window_s <= 3600.0 or options.settled_percent <= 0.0:
        raise InputError("a window of 4 to 3600 s and a drift above zero are needed", file=file, key="part")


CHECKS: dict[type, Callable[[Any, str | None], None]] = {
    GridOptions: _check_grid,
    RegimeOptions: _check_regimes,
    DisplayOptions: _check_display,
    HandsInOptions: _check_hands_in,
    HarmonicOptions: _check_harmonics,
    StandbyOptions: _check_standby,
    BringUpOptions: _check_bring_up,
    RigCheckOptions: _check_rig_check,
}


def find_plan(name: str) -> Plan:
    """A plan by its name, or from a file of that name. InputError when there is neither."""
    if name in NAMED:
        return NAMED[name]
    if not name.endswith(".toml"):
        raise InputError(f"there is no plan {name!r}; there are: full, {', '.join(NAMED)}, or the path of a plan file")
    return read_plan(Path(name))
